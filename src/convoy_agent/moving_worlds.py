"""How a world is copied: from a folder or out of an archive, into a place of the agent's own, and from there, whole, to
where it belongs.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from convoy_core.lock.lock import Lock
from convoy_core.lock.papers import Papers
from convoy_core.outside.paths import is_litter, refuse_twins
from convoy_io.worlds import NoWorld, opened_world, world_meant

from .errors import DiskFull, WorldRefused
from .folder.folder import Folder
from .folder.worlds import files_of
from .lying_beside import papers_beside
from .storage import disk
from .storage.disk import is_link
from .storage.files import CHUNK, SPARE_BYTES, made_anew, own_place, trouble_told

STAGED = "world-new"
"""Below the agent's own folder: a world on its way in, until it is whole."""

MOST_FILES = 200_000

Blocks = Callable[[], Iterator[bytes]]


@dataclass(frozen=True)
class Found:
    """A world somewhere. `files`: path in it to size in bytes and what it holds; `papers`: None where nothing says what
    it was played with.
    """

    name: str
    files: Mapping[str, tuple[int, Blocks]]
    papers: Papers | None = None

    @property
    def size(self) -> int:
        return sum(size for size, _ in self.files.values())


def in_folder(place: Path, papers: Papers | None = None) -> Found:
    """The world that a folder is. Raises WorldRefused: a world is copied whole or not at all."""
    files: dict[str, tuple[int, Blocks]] = {}
    for path, entry in files_of(place):
        if not entry.is_file(follow_symlinks=False):
            raise WorldRefused(f"“{path[:120]}” in it is a link, or no plain file.", "A world is copied whole.")
        if is_litter(path):
            continue
        files[path] = entry.stat(follow_symlinks=False).st_size, partial(_blocks, Path(entry.path))
        if len(files) > MOST_FILES:
            raise WorldRefused(f"It holds more than {MOST_FILES:,} files.", "No world is that large.")
    if not files:
        raise NoWorld(f"Nothing lies in {place}.")
    return Found(place.name, files, papers)


def _blocks(place: Path) -> Iterator[bytes]:
    """A file as it is; one that is written meanwhile would be torn. Raises WorldRefused."""
    before = place.stat()
    with place.open("rb") as file:
        while block := file.read(CHUNK):
            yield block
    after = place.stat()
    if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
        raise WorldRefused(
            f"{place.name} changed while it was copied.", "The game is probably running.", "Close it, then try again."
        )


@contextmanager
def elsewhere(source: Path, lock: Lock, wanted: str) -> Iterator[Found]:
    """A world in a ZIP, in a game's or installation's folder, or the folder that it is. `lock`: of the pack that it is
    to come to. Raises NoWorld, WorldRefused, ArchiveWrong, HostileArchive, MalformedInput; OSError.
    """
    if source.is_file():
        with opened_world(source, lock.terms.worlds, wanted) as one:
            files = {path: (size, partial(one.blocks, path)) for path, size in one.files.items()}
            yield Found(one.name, files, one.papers)
        return
    if not source.is_dir() or is_link(source):
        raise NoWorld(f"{source} is neither a file nor a folder.", now="Name a ZIP, or the folder of a world.")
    place = source.absolute()
    root = _root_of(place, lock)
    if root is None:
        root = place
        worlds = [
            f"{folder}/{entry.name}"
            for folder in lock.terms.worlds
            for entry in disk.entries_of(str(root / folder))
            if disk.entry_is_folder(entry)
        ]
        if not worlds:
            # A folder by itself: then it is the world.
            yield in_folder(place)
            return
        place = root / world_meant(worlds, wanted)
    world = place.relative_to(root).as_posix()
    yield in_folder(place, papers_beside(root, world, lock))


def _root_of(place: Path, lock: Lock) -> Path | None:
    """The game's folder that a world's folder lies in, as its place says; None where it is none."""
    for folder in lock.terms.worlds:
        depth = folder.count("/") + 1
        above = place.parents[depth] if len(place.parents) > depth else None
        if above is not None and place.parent == above / folder:
            return above
    return None


def staged(folder: Folder, found: Found) -> Path:
    """Copies a world into a place of the agent's own. Raises DiskFull before anything is written, WorldRefused."""
    refuse_twins(found.files)
    free = shutil.disk_usage(folder.root).free
    if free < found.size + SPARE_BYTES:
        raise DiskFull(
            f"The world has {found.size // 2**20 + 1} MB, and the disk has {free // 2**20}.",
            f"{SPARE_BYTES // 2**20} MB stay free for the game.",
            "Make room, then try again.",
        )
    place = folder.own / STAGED
    disk.remove_tree(place)
    with trouble_told(folder.root):
        for path, (size, blocks) in found.files.items():
            target = own_place(place, path)
            target.parent.mkdir(parents=True, exist_ok=True)
            with made_anew(target) as file:
                count = 0
                for block in blocks():
                    count += len(block)
                    file.write(block)
                disk.written(file)
            if count != size:
                raise WorldRefused(f"{path[:120]} changed while it was copied.", now="Close the game, then try again.")
    return place


def put(folder: Folder, place: Path, world: str) -> None:
    """Puts a staged world where it belongs, at once. Nothing lies there."""
    with trouble_told(folder.root):
        target = own_place(folder.root, world)
        target.parent.mkdir(parents=True, exist_ok=True)
        disk.all_on_disk()
        if os.path.lexists(target):
            raise WorldRefused(f"There is a world “{target.name}” already.", "None is written over.")
        disk.replace(place, target)
