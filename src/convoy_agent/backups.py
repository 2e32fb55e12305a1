"""Backups of worlds and settings: made before anything that touches them, listed, restored, dropped.

.convoy/backups/ID/list.json names what was there, .convoy/backups/content/ holds it by sha256, so that what did not
change between two backups lies there once. Restoring keeps a backup of what it replaces, and can so be undone; a stop
while restoring is completed at the next start (`restore.json`). Source: rules.md, "Sync"; job.md 12.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.terms import Terms

from .errors import BackupRefused
from .files import (
    CHUNK,
    copy_beside,
    inside,
    made_anew,
    remove_empty_folders,
    sha256_of,
    trouble_told,
    walk,
    write_at_once,
)
from .folder import Folder

KEPT = 8
"""Backups that were made by themselves and are kept; older ones go. Those that somebody asked for stay."""

LONGEST_LIST = 200_000
"""Files in one backup; worlds with more are split by their games into thousands of small files, not more."""


@dataclass(frozen=True)
class Backup:
    """`made_at`: ISO 8601; `size`: bytes of all its files; `by_hand`: somebody asked for it."""

    id: str
    made_at: str
    why: str
    release: str
    by_hand: bool
    files: tuple[tuple[str, int, str], ...]

    @property
    def size(self) -> int:
        return sum(size for _, size, _ in self.files)


class Backups:
    """The backups of one installation. The caller holds the folder."""

    def __init__(self, folder: Folder) -> None:
        self._folder = folder
        self.root = folder.own / "backups"
        self._content = self.root / "content"
        self._restoring = folder.own / "restore.json"

    def all(self) -> list[Backup]:
        """Newest first. One whose list cannot be read is passed by; its content is then swept away."""
        found = []
        for place in self.root.glob("*/list.json"):
            try:
                told = json.loads(place.read_bytes())
                files = tuple((str(path), int(size), str(sha256)) for path, size, sha256 in told["files"])
                found.append(
                    Backup(
                        place.parent.name, told["made_at"], told["why"], told["release"], bool(told["by_hand"]), files
                    )
                )
            except (OSError, ValueError, KeyError, TypeError):
                continue
        return sorted(found, key=lambda one: one.id, reverse=True)

    def make(
        self, terms: Terms, stamp: str, made_at: str, why: str, release: str, by_hand: bool, spared: str = ""
    ) -> Backup | None:
        """Copies worlds and settings; None when there are none. Raises BackupRefused when one changes meanwhile.

        `spared`: an old backup that is not retired for this one.
        """
        with trouble_told(self._folder.root):
            rows = [self._keep(path, Path(entry.path)) for path, entry in self._what(terms)]
            if not rows:
                return None
            backup = Backup(self._free(stamp), made_at, why, release, by_hand, tuple(sorted(rows)))
            self._write(backup)
        self._retire(spared)
        return backup

    def restore(self, backup_id: str, terms: Terms, stamp: str, made_at: str, step: Callable[[str], None]) -> Backup:
        """Puts worlds and settings back as they were, after a backup of how they are. Raises BackupRefused."""
        wanted = self.find(backup_id)
        for _, _, sha256 in wanted.files:
            if not (self._content / sha256).is_file() or sha256_of(self._content / sha256) != sha256:
                raise BackupRefused(
                    "This backup is damaged.",
                    "Part of it is gone or was altered.",
                    "Nothing was changed.",
                    id=wanted.id,
                )
        why = f"Before going back to the backup of {wanted.made_at[:16].replace('T', ' ')}"
        before = self.make(terms, stamp, made_at, why, "", False, spared=wanted.id)
        there = {path for path, _ in self._what(terms)}
        kept = {path for path, _, _ in wanted.files}
        journal = {
            "backup": wanted.id,
            # Settings return to mods that are still there; of those that left they would only be litter.
            "put": sorted(path for path in kept if terms.is_world(path) or path in there),
            "gone": sorted(path for path in there - kept if terms.is_world(path)),
        }
        write_at_once(self._restoring, json.dumps(journal).encode())
        self.complete(step)
        return before or wanted

    def complete(self, step: Callable[[str], None] = lambda name: None) -> bool:
        """Goes on with a restoring that was stopped; says whether there was one. May be repeated without harm."""
        try:
            journal = json.loads(self._restoring.read_bytes())
        except FileNotFoundError:
            return False
        with trouble_told(self._folder.root):
            put = set(journal["put"])
            for path, _, sha256 in self.find(journal["backup"]).files:
                if path in put:
                    step(f"restore {path}")
                    self._put(path, sha256)
            for path in journal["gone"]:
                step(f"clear {path}")
                # It is in the backup that was made just before.
                inside(self._folder.root, path).unlink(missing_ok=True)
                remove_empty_folders(self._folder.root, path)
            step("end of restoring")
            self._restoring.unlink()
        return True

    def find(self, backup_id: str) -> Backup:
        """Raises BackupRefused when there is none of this name."""
        for one in self.all():
            if one.id == backup_id:
                return one
        raise BackupRefused(f"There is no backup {backup_id}.", now="Choose one of those listed.")

    def drop(self, backup_id: str) -> None:
        shutil.rmtree(self.root / self.find(backup_id).id)
        self._sweep()

    def _what(self, terms: Terms) -> list[tuple[str, os.DirEntry[str]]]:
        found = [
            (path, entry)
            for path, entry in walk(self._folder.root)
            if entry.is_file(follow_symlinks=False) and (terms.is_world(path) or terms.is_settings(path))
        ]
        if len(found) > LONGEST_LIST:
            raise BackupRefused(f"There are {len(found)} files of worlds and settings, more than a backup takes.")
        return found

    def _keep(self, path: str, place: Path) -> tuple[str, int, str]:
        """Copies one file, and makes sure that it is the same before and after: a world that is being played tears."""
        try:
            before = place.stat()
            sha256 = sha256_of(place)
            kept = self._content / sha256
            # One of another size was cut short, as by a power cut that came before it was on the disk.
            if not kept.exists() or kept.stat().st_size != before.st_size:
                self._copy(path, place, sha256)
            after = place.stat()
        except FileNotFoundError as error:
            raise self._still_played(path) from error
        if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
            raise self._still_played(path)
        return path, after.st_size, sha256

    def _copy(self, path: str, place: Path, sha256: str) -> None:
        self._content.mkdir(parents=True, exist_ok=True)
        beside = self._content / f"{sha256}.new"
        with place.open("rb") as here, made_anew(beside) as there:
            shutil.copyfileobj(here, there, CHUNK)
        if sha256_of(beside) != sha256:
            beside.unlink()
            raise self._still_played(path)
        beside.replace(self._content / sha256)

    def _still_played(self, path: str) -> BackupRefused:
        return BackupRefused(
            f"{path} changed while it was backed up.", "The game is probably running.", "Close it, then try again."
        )

    def _put(self, path: str, sha256: str) -> None:
        place = inside(self._folder.root, path)
        if place.is_file() and sha256_of(place) == sha256:
            return
        place.parent.mkdir(parents=True, exist_ok=True)
        copy_beside(self._content / sha256, place)

    def _free(self, stamp: str) -> str:
        number, free = 2, stamp
        while (self.root / free).exists():
            free, number = f"{stamp}-{number}", number + 1
        return free

    def _write(self, backup: Backup) -> None:
        place = self.root / backup.id
        place.mkdir(parents=True)
        told: dict[str, Any] = {
            "made_at": backup.made_at,
            "why": backup.why,
            "release": backup.release,
            "by_hand": backup.by_hand,
            "files": [list(row) for row in backup.files],
        }
        write_at_once(place / "list.json", json.dumps(told).encode())

    def _retire(self, spared: str) -> None:
        for one in [one for one in self.all() if not one.by_hand][KEPT:]:
            if one.id != spared:
                shutil.rmtree(self.root / one.id)
        self._sweep()

    def _sweep(self) -> None:
        named = {sha256 for one in self.all() for _, _, sha256 in one.files}
        for file in self._content.iterdir() if self._content.exists() else ():
            if file.name not in named:
                file.unlink()
