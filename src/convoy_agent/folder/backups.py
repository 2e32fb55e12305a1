"""Backups of worlds and settings: made before anything that touches them, listed, rehearsed, restored, dropped.

.convoy/backups/ID/list.json names what was there, .convoy/backups/content/ holds it by sha256, so that what did not
change between two backups lies there once. What an earlier backup holds is hashed before a new one relies on it.
Restoring keeps a backup of what it replaces, and can so be undone; a stop while restoring is completed at the next
start (`restore.json`). Backups are in the order of their numbers, which are counted: clocks go back.

Worlds that are links are followed for reading. Nothing is written through a link: such a backup is restored into a
folder of its own (`extract`), or once the link is a folder again. Source: docs/rules.md, "Sync"; "The job" 12.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Collection, Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from convoy_core.lock.terms import Terms
from convoy_core.words.wording import counted

from ..errors import BackupRefused
from ..storage import disk, sealed
from ..storage.disk import is_link
from ..storage.files import (
    CHUNK,
    copy_beside,
    is_plain_with,
    made_anew,
    own_place,
    sha256_of,
    trouble_told,
    walk,
)
from .backup import Backup, Rehearsal, Row, as_rehearsal, read_backup
from .folder import Folder

KEPT = 8
"""Backups that were made before a sync and are kept; older ones go. Those that somebody asked for, or that a restoring
made of what it replaced, stay until they are dropped."""

LONGEST_LIST = 200_000
"""Files in one backup; worlds with more are split by their games into thousands of small files, not more."""

REHEARSE_EVERY = timedelta(days=1)
"""How often all backups are read: a disk that rots is found out before somebody needs them."""

DROPPING = ".dropping"
"""Ends the name of a backup that is on its way out."""


class Backups:
    """The backups of one installation, or those kept when it was left (`place`). The caller holds the folder."""

    def __init__(self, folder: Folder, place: Path | None = None) -> None:
        self.folder = folder
        self.root = place or folder.own / "backups"
        self._content = self.root / "content"
        self._rehearsed = self.root / "rehearsed.json"
        self.damaged: list[str] = []

    def all(self) -> list[Backup]:
        """Newest first. Those whose list cannot be read are named in `damaged`; nothing of them is removed."""
        found = []
        self.damaged = []
        for entry in sorted(disk.entries_of(str(self.root)), key=lambda one: one.name):
            place = Path(entry.path)
            if place == self._content or place.suffix == DROPPING or not disk.entry_is_folder(entry):
                continue
            try:
                found.append(read_backup(place, entry.name))
            except (FileNotFoundError, sealed.Damaged):
                self.damaged.append(entry.name)
        return sorted(found, key=lambda one: (one.number, one.id), reverse=True)

    def make(
        self, terms: Terms, at: datetime, why: str, release: str, by_hand: bool, spared: str = "", keep: int = 0
    ) -> Backup | None:
        """Copies worlds and settings; None when there are none.

        Raises BackupRefused when one changes meanwhile, or cannot be read. `spared`: an old backup that is not retired
        for this one; `keep`: how many of those before syncs stay, where the member said so.
        """
        with trouble_told(self.folder.root):
            rows = [self._keep(path, place) for path, place in self._what(terms)]
            if not rows:
                return None
            number, name = self.folder.history().next_id(at)
            moment = at.isoformat(timespec="seconds")
            backup = Backup(name, number, moment, why, release, by_hand, tuple(sorted(rows)), terms.worlds)
            self._write(backup)
            self._retire({spared, backup.id}, keep or KEPT)
        return backup

    def extract(self, backup_id: str, into: Path) -> tuple[int, list[str]]:
        """Writes a backup's files into a new or empty folder; gives how many, and which are damaged."""
        wanted = self.find(backup_id)
        if into.exists() and any(into.iterdir()):
            raise BackupRefused(f"{into} is not empty.", "Something there could be in the way.", "Name a new folder.")
        damaged, count = [], 0
        with trouble_told(into):
            into.mkdir(parents=True, exist_ok=True)
            for path, _, sha256 in wanted.files:
                if not self.is_whole(sha256):
                    damaged.append(path)
                    continue
                place = own_place(into, path)
                place.parent.mkdir(parents=True, exist_ok=True)
                copy_beside(self._content / sha256, place)
                count += 1
        return count, damaged

    def find(self, backup_id: str) -> Backup:
        """Raises BackupRefused when there is none of this name."""
        for one in self.all():
            if one.id == backup_id:
                return one
        damaged = backup_id in self.damaged
        raise BackupRefused(
            f"The list of backup {backup_id} is damaged." if damaged else f"There is no backup {backup_id}.",
            now="Choose one of those listed by “convoy backups”.",
        )

    def drop(self, backup_id: str) -> None:
        self._drop([self.find(backup_id)])

    # --- Whether they could be restored

    def rehearse(self, at: datetime) -> Rehearsal:
        """Reads every backup as restoring would. What is damaged is copied anew where the very file still lies in the
        folder; the rest is remembered, and told until it is no longer so.
        """
        found = self.all()
        bad = dict.fromkeys(self.damaged, "Its list is damaged. What it holds is kept, and what it was called is lost.")
        broken = {sha256 for one in found for _, _, sha256 in one.files}
        broken = {sha256 for sha256 in broken if not self.is_whole(sha256)}
        for one in found:
            for path, _, sha256 in one.files if broken else ():
                if sha256 in broken and self._copy_anew(path, sha256):
                    broken.discard(sha256)
        for one in found:
            lost = [path for path, _, sha256 in one.files if sha256 in broken]
            if lost:
                bad[one.id] = f"{len(lost)} of {counted(len(one.files), 'file')} damaged, {lost[0]} among them."
        if found or bad:
            sealed.write(self._rehearsed, {"at": at.isoformat(), "bad": bad})
        return Rehearsal(at.isoformat(), bad)

    def rehearsal(self) -> Rehearsal:
        """What the last rehearsal found, as far as those backups still stand."""
        try:
            there = {one.id for one in self.all()} | set(self.damaged)
            return sealed.read(self._rehearsed, lambda told: as_rehearsal(told, there))
        except (FileNotFoundError, sealed.Damaged):
            return Rehearsal()

    def is_due(self, at: datetime) -> bool:
        """Whether it is time to read them all. A clock that went back makes it so, too."""
        last = self.rehearsal().at
        try:
            passed = at - datetime.fromisoformat(last)
        except (ValueError, TypeError):
            return self.root.exists()
        return not timedelta() <= passed < REHEARSE_EVERY

    def content(self, sha256: str) -> Path:
        """Where content of this hash is kept, or would be."""
        return self._content / sha256

    def is_whole(self, sha256: str) -> bool:
        return is_plain_with(self.content(sha256), sha256)

    def _copy_anew(self, path: str, sha256: str) -> bool:
        place = self.folder.root / path
        try:
            if not place.is_file() or sha256_of(place) != sha256:
                return False
            self._copy(path, place, sha256)
        except (OSError, BackupRefused):
            return False
        return True

    # --- What is backed up

    def _what(self, terms: Terms) -> list[tuple[str, Path]]:
        found = [
            (path, Path(entry.path))
            for path, entry in walk(self.folder.root)
            if terms.is_settings(path) and not terms.is_world(path) and entry.is_file(follow_symlinks=False)
        ]
        found += self.worlds_in(terms.worlds)
        if len(found) > LONGEST_LIST:
            raise BackupRefused(f"There are {len(found)} files of worlds and settings, more than a backup takes.")
        return found

    def worlds_in(self, folders: Collection[str]) -> Iterator[tuple[str, Path]]:
        """Files of worlds, links followed. Raises BackupRefused for what cannot be read, by name: a backup without it
        would pass for whole.
        """
        seen: set[tuple[int, int]] = set()
        pending = [(folder, self.folder.root / folder) for folder in folders if _lies(self.folder.root / folder)]
        count = 0
        while pending:
            path, place = pending.pop()
            try:
                info = place.stat()
                if place.is_file():
                    count += 1
                    yield path, place
                    if count > LONGEST_LIST:
                        raise _unread(path, "It leads to more files than a backup takes.")
                    continue
                if not place.is_dir() or (info.st_dev, info.st_ino) in seen:
                    continue
                seen.add((info.st_dev, info.st_ino))
                if is_link(place) and disk.one_inside_other(self.folder.root, place.resolve()):
                    raise _unread(path, "It is a link to a folder that holds this installation, or lies in it.")
                pending += [(f"{path}/{entry.name}", Path(entry.path)) for entry in os.scandir(place)]
            except FileNotFoundError as error:
                if is_link(place):
                    raise _unread(path, "It is a link that leads nowhere: is its disk there?") from error
            except PermissionError as error:
                raise _unread(path, "It cannot be read.") from error

    # --- Keeping

    def _keep(self, path: str, place: Path) -> Row:
        """Copies one file, and makes sure that it is the same before and after: a world that is being played tears."""
        try:
            before = place.stat()
            sha256 = sha256_of(place)
            if not self.is_whole(sha256):
                self._copy(path, place, sha256)
            after = place.stat()
        except FileNotFoundError as error:
            raise _still_played(path) from error
        except PermissionError as error:
            raise _unread(path, "It cannot be read.") from error
        if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
            raise _still_played(path)
        return path, after.st_size, sha256

    def _copy(self, path: str, place: Path, sha256: str) -> None:
        self._content.mkdir(parents=True, exist_ok=True)
        beside = self._content / f"{sha256}.new"
        with place.open("rb") as here, made_anew(beside) as there:
            shutil.copyfileobj(here, there, CHUNK)
            disk.written(there)
        if sha256_of(beside) != sha256:
            disk.remove(beside)
            raise _still_played(path)
        disk.replace(beside, self._content / sha256)

    def _write(self, backup: Backup) -> None:
        """The content is on the disk before the list that vouches for it."""
        disk.all_on_disk()
        place = self.root / backup.id
        place.mkdir(parents=True)
        told: dict[str, Any] = {
            "number": backup.number,
            "made_at": backup.made_at,
            "why": backup.why,
            "release": backup.release,
            "by_hand": backup.by_hand,
            "files": [list(row) for row in backup.files],
            "folders": list(backup.folders),
        }
        sealed.write(place / "list.json", told, twin=True)

    def _retire(self, spared: Collection[str], keep: int) -> None:
        """Drops what is over `keep`, the oldest first; what is spared counts and stays."""
        self._drop([one for one in [one for one in self.all() if not one.by_hand][keep:] if one.id not in spared])

    def _drop(self, leaving: Collection[Backup]) -> None:
        """Drops backups, and then what only they named. While a list cannot be read, nothing is dropped that it may
        name.

        A stop in between leaves a backup that is on its way out, and that the next dropping ends.
        """
        for one in leaving:
            disk.replace(self.root / one.id, self.root / f"{one.id}{DROPPING}")
        stays = {sha256 for one in self.all() for _, _, sha256 in one.files}
        if self.damaged:
            return
        for place in list(self.root.glob(f"*{DROPPING}")):
            try:
                named = {sha256 for _, _, sha256 in read_backup(place, place.stem).files}
            except (FileNotFoundError, sealed.Damaged):
                named = set()
            for sha256 in named - stays:
                disk.remove(self._content / sha256)
            disk.remove_tree(place)


def _lies(place: Path) -> bool:
    return os.path.lexists(place)


def _still_played(path: str) -> BackupRefused:
    return BackupRefused(
        f"{path} changed while it was backed up.", "The game is probably running.", "Close it, then try again."
    )


def _unread(path: str, why: str) -> BackupRefused:
    return BackupRefused(
        f"“{path}” cannot be backed up.", why, "Put it right, or move it out of the folder.", path=path
    )
