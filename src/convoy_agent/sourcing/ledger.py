"""What was read of a folder's archives, kept beside them, so that only new and changed ones are read again.

An archive counts as read while its size and its time of change are the same. The ledger is no authority: lost or
spoilt, everything is read anew.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from convoy_core.outside.inspection import Member
from convoy_core.source.entries import ReadArchive

from ..storage.files import write_at_once

FORM = 1
FOLDER = ".convoy-source"
"""Within the folder of archives: the ledger, and nothing that is handed out."""


class Ledger:
    def __init__(self, folder: Path) -> None:
        self._place = folder / FOLDER / "ledger.json"
        self._rows: dict[str, dict[str, Any]] = self._kept()

    def _kept(self) -> dict[str, dict[str, Any]]:
        try:
            told = json.loads(self._place.read_bytes())
            return dict(told["archives"]) if told["form"] == FORM else {}
        except (OSError, ValueError, KeyError, TypeError):
            return {}

    def find(self, file: str, size: int, changed: int) -> ReadArchive | None:
        """What was read of a file that has not changed since. `changed`: nanoseconds."""
        row = self._rows.get(file)
        if row is None or (row["size"], row["changed"]) != (size, changed):
            return None
        try:
            members = tuple(Member(path, size, size) for path, size, _ in row["files"])
            hashes = {path: sha256 for path, _, sha256 in row["files"]}
            return ReadArchive(file, size, row["sha256"], row["date"], members, hashes, row["markers"])
        except (KeyError, TypeError, ValueError):
            return None

    def note(self, archive: ReadArchive, changed: int) -> None:
        files = [[one.path, one.size, archive.hashes[one.path]] for one in archive.members if not one.is_folder]
        self._rows[archive.file] = {
            "size": archive.size,
            "changed": changed,
            "sha256": archive.sha256,
            "date": archive.date,
            "files": files,
            "markers": archive.markers,
        }

    def keep(self, only: set[str] | None = None) -> None:
        """Writes it down; with `only`, without the files that are gone."""
        if only is not None:
            self._rows = {file: row for file, row in self._rows.items() if file in only}
        self._place.parent.mkdir(exist_ok=True)
        written = json.dumps({"form": FORM, "archives": self._rows}, separators=(",", ":"), default=str)
        write_at_once(self._place, written.encode())
