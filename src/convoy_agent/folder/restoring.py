"""Going back to a backup: worlds and settings as they were, after a backup of how they are.

A stop while restoring is completed at the next start (`restore.json`). Nothing is written through a link.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from convoy_core.lock.terms import Terms
from convoy_core.words.errors import ConvoyError

from ..errors import BackupRefused
from ..storage import disk, sealed
from ..storage.disk import is_link
from ..storage.files import (
    copy_beside,
    free_name,
    move,
    own_place,
    remove_empty_folders,
    sha256_of,
    trouble_told,
    unless_hopeless,
)
from .backup import Backup, world_of
from .backups import Backups


class Restoring:
    """Restores one of some backups into its folder. The caller holds the folder."""

    def __init__(self, backups: Backups) -> None:
        self._backups = backups
        self._folder = backups.folder
        self._journal = backups.root.parent / "restore.json"

    def restore(self, backup_id: str, terms: Terms, at: datetime, step: Callable[[str], None]) -> Backup:
        """Puts worlds and settings back as they were, after a backup of how they are; gives that one.

        Raises BackupRefused, and changes nothing, when the backup is damaged or worlds lie behind a link.
        """
        self._folder.refuse_while_playing()
        wanted = self._backups.find(backup_id)
        if why_not := self._why_not(wanted):
            raise BackupRefused(why_not, now="Nothing was changed.", id=wanted.id)
        folders = tuple({*wanted.folders, *terms.worlds})
        there = {path for path, _ in self._backups.worlds_in(folders)}
        kept = {path for path, _, _ in wanted.files}
        put = sorted(path for path in kept if world_of(path, folders) or (self._folder.root / path).is_file())
        gone = sorted(there - kept)
        try:
            for path in [*put, *gone]:
                own_place(self._folder.root, path)
        except ConvoyError as error:
            raise BackupRefused(
                error.what,
                "Nothing is written through links.",
                "Put a folder in its place, or take the files out with “convoy restore ID --into FOLDER”.",
            ) from error
        why = f"Before going back to the backup of {wanted.made_at[:16].replace('T', ' ')}"
        scope = Terms(terms.settings, folders)
        before = self._backups.make(scope, at, why, self._folder.record().release, by_hand=True, spared=wanted.id)
        _, aside = self._folder.history().next_id(at)
        journal = {
            "backup": wanted.id,
            "before": before.id if before else "",
            "aside": aside,
            # Settings return to mods that are still there; of those that left they would only be litter.
            "put": put,
            "gone": gone,
        }
        sealed.write(self._journal, journal)
        self.complete(step)
        return before or wanted

    def complete(self, step: Callable[[str], None] = lambda name: None) -> bool:
        """Goes on with a restoring that was stopped; says whether there was one. May be repeated without harm."""
        try:
            journal: Any = sealed.read(self._journal)
            known = {one.id: one for one in self._backups.all()}
            wanted, before = known[journal["backup"]], known.get(journal["before"])
            put, gone, aside = list(journal["put"]), list(journal["gone"]), str(journal["aside"])
        except FileNotFoundError:
            return False
        except (sealed.Damaged, KeyError, TypeError):
            told = (
                "A backup was being restored when the agent was stopped, and what was left to do is lost. Worlds may "
                "be partly as they were: restore again, or go back with the newest of “convoy backups”."
            )
            self._folder.put_away(self._journal, told)
            return False
        was = {path: sha256 for path, _, sha256 in before.files} if before else {}
        rows = {path: sha256 for path, _, sha256 in wanted.files}
        with trouble_told(self._folder.root):
            for path in put:
                step(f"restore {path}")
                with unless_hopeless(self._not_restored(path)):
                    self._put(path, rows.get(path, ""), was.get(path, ""), aside)
            for path in gone:
                step(f"clear {path}")
                with unless_hopeless(self._not_restored(path)):
                    self._clear(path, was.get(path, ""), aside)
            step("end of restoring")
            disk.all_on_disk()
            disk.remove(self._journal)
        return True

    def _why_not(self, wanted: Backup) -> str:
        lost = [path for path, _, sha256 in wanted.files if not self._backups.is_whole(sha256)]
        if not lost:
            return ""
        rest = f"“convoy restore {wanted.id} --into FOLDER” gives the other {len(wanted.files) - len(lost)}."
        return f"This backup is damaged: {lost[0]}{f' and {len(lost) - 1} more' if len(lost) > 1 else ''}. {rest}"

    def _not_restored(self, path: str) -> Callable[[str], None]:
        return lambda why: self._folder.remarks.append(f"{path} was not restored. {why}")

    def _put(self, path: str, sha256: str, was: str, aside: str) -> None:
        """`was`: the sha256 of what the backup that was just made holds of this path; anything else goes aside."""
        place = own_place(self._folder.root, path)
        if not is_link(place) and place.is_file():
            found = sha256_of(place)
            if found == sha256:
                return
            # The copy that was just made of it may have rotted since: then this is the last one.
            if found != was or not self._backups.is_whole(was):
                self._set_aside(path, place, aside)
        elif os.path.lexists(place):
            self._set_aside(path, place, aside)
        if not self._backups.is_whole(sha256):
            self._not_restored(path)("Its copy was damaged meanwhile.")
            return
        self._make_way(place, aside)
        place.parent.mkdir(parents=True, exist_ok=True)
        copy_beside(self._backups.content(sha256), place)

    def _clear(self, path: str, was: str, aside: str) -> None:
        place = own_place(self._folder.root, path)
        if not os.path.lexists(place):
            return
        is_kept = not is_link(place) and place.is_file() and sha256_of(place) == was and self._backups.is_whole(was)
        if is_kept:
            disk.remove(place)
        else:
            self._set_aside(path, place, aside)
        remove_empty_folders(self._folder.root, path)

    def _make_way(self, place: Path, aside: str) -> None:
        for above in reversed(place.relative_to(self._folder.root).parents[:-1]):
            there = self._folder.root / above
            if os.path.lexists(there) and not there.is_dir():
                self._set_aside(above.as_posix(), there, aside)

    def _set_aside(self, path: str, place: Path, aside: str) -> None:
        move(place, free_name(self._backups.root.parent / "aside" / aside / path))
