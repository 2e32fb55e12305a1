"""What is put by while a fault is narrowed down, and comes back as it was: mods, saved worlds, settings.

.convoy/narrowing/files/     files of mods that the try does without
.convoy/narrowing/settings/  settings files themselves; what lies in their places are copies
.convoy/narrowing/worlds/    saved worlds, whole, each by its path as a name
.convoy/narrowing/wrote/     what the game wrote in tries; in the end it goes aside

Whatever lies in the first three goes back to the path that it has there. So a run that was killed loses nothing: the
next one does the same again, and finds done what was done.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Collection, Iterator
from pathlib import Path
from urllib.parse import quote, unquote

from convoy_core.lock.lock import Lock, PlacedFile
from convoy_io.zips import ArchiveWrong, opened

from ..storage import disk
from ..storage.files import copy_beside, free_name, inside, made_anew, move, own_place, remove_empty_folders, walk
from ..storage.store import Store
from .folder import Folder


class PutBy:
    """Whoever calls holds the folder, and no game runs from it."""

    def __init__(self, folder: Folder, store: Store) -> None:
        self._folder, self._store = folder, store
        self._place = folder.own / "narrowing"
        self._files, self._settings = self._place / "files", self._place / "settings"
        self._worlds, self._wrote = self._place / "worlds", self._place / "wrote"

    def begin(self, worlds: Collection[str], settings: Collection[str]) -> None:
        """Puts worlds by, and the settings files, of which copies stay."""
        self._place.mkdir(exist_ok=True)
        for path in worlds:
            place = own_place(self._folder.root, path)
            kept = self._worlds / quote(path, safe="")
            if os.path.lexists(place) and not os.path.lexists(kept):
                move(place, kept)
        for path in settings:
            place = own_place(self._folder.root, path)
            if os.path.lexists(place) and not os.path.lexists(self._settings / path):
                move(place, self._settings / path)
                copy_beside(self._settings / path, place)

    def ready(self, whole: Lock, mods: Collection[str], wrote: Collection[str]) -> list[str]:
        """Has these mods alone lie there, with settings as they were before the first try. `wrote`: worlds and files
        that were not there then. Gives mods whose archives would be needed for a file, and are not here.
        """
        for path in wrote:
            self._away(path)
        lock = whole.only(set(mods))
        before, now = whole.by_path, lock.by_path
        for path, file in before.items():
            stays = path in now and now[path].mod == file.mod
            if not os.path.lexists(self._settings / path):
                self._bring(path) if stays else self._put(path)
            elif not stays:
                disk.remove(inside(self._folder.root, path))
        for path in _files_in(self._settings):
            if path not in before or (path in now and now[path].mod == before[path].mod):
                copy_beside(self._settings / path, _with_folder(own_place(self._folder.root, path)))
        lent = [file for path, file in now.items() if before[path].mod != file.mod]
        return sorted({file.mod for file in lent if not self._lend(lock, file)})

    def end(self, wrote: Collection[str], aside: str) -> int:
        """Everything as it was; what the game wrote meanwhile goes aside by that name. Gives how much that was."""
        for path in wrote:
            self._away(path)
        for path in _files_in(self._files):
            self._bring(path)
        for path in _files_in(self._settings):
            place = own_place(self._folder.root, path)
            disk.remove(place)
            move(self._settings / path, place)
        for kept in list(disk.entries_of(str(self._worlds))):
            world = unquote(kept.name)
            self._away(world)
            move(Path(kept.path), own_place(self._folder.root, world))
        many = sum(1 for _ in _files_in(self._wrote))
        if many:
            move(self._wrote, free_name(self._folder.own / "aside" / aside))
        disk.remove_tree(self._place)
        return many

    def _put(self, path: str) -> None:
        place, kept = inside(self._folder.root, path), self._files / path
        if not os.path.lexists(place):
            return
        if os.path.lexists(kept):
            # It was put by already: the game, or a try before this one, laid this here.
            self._away(path)
        else:
            move(place, kept)
            remove_empty_folders(self._folder.root, path)

    def _bring(self, path: str) -> None:
        kept = self._files / path
        if os.path.lexists(kept):
            place = inside(self._folder.root, path)
            if os.path.lexists(place):
                self._away(path)
            move(kept, place)

    def _away(self, path: str) -> None:
        place = own_place(self._folder.root, path)
        if os.path.lexists(place):
            move(place, free_name(self._wrote / path))
            remove_empty_folders(self._folder.root, path)

    def _lend(self, lock: Lock, file: PlacedFile) -> bool:
        """Lays a file down that lay under another's, out of its archive, once it was found to be right."""
        archive = lock.by_mod[file.mod].archive.sha256
        if archive not in self._store:
            return False
        unpacked, digest = self._place / "lending", hashlib.sha256()
        try:
            with opened(self._store.path(archive)) as source, made_anew(unpacked) as out:
                for block in source.blocks(source.get(file.member)):
                    digest.update(block)
                    out.write(block)
        except ArchiveWrong:
            return False
        if digest.hexdigest() != file.sha256:
            return False
        move(unpacked, inside(self._folder.root, file.path))
        return True


def _with_folder(place: Path) -> Path:
    place.parent.mkdir(parents=True, exist_ok=True)
    return place


def _files_in(place: Path) -> Iterator[str]:
    """Listed beforehand: what is moved meanwhile is passed by."""
    return iter([path for path, _ in walk(place)] if place.is_dir() else [])
