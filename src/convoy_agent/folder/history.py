"""Every sync of an installation, an entry each: `.convoy/history/ID.json`. What was done, and what it moved aside.

Entries are in the order of their numbers, which are counted; clocks go back. An entry that was damaged is told of, and
what can be known of it is: what it moved aside still lies there.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from convoy_core.words.errors import ConvoyError

from ..storage import disk, sealed
from ..storage.disk import entry_is_folder

Entry = dict[str, Any]


class History:
    """The history that lies in an agent's own folder. `damaged` names the entries that could not be read."""

    def __init__(self, own: Path) -> None:
        self._own = own
        self._place = own / "history"
        self.damaged: list[str] = []

    def all(self) -> list[Entry]:
        """Oldest first."""
        self.damaged = []
        entries = [*self._of_earlier_agents(), *self._kept()]
        for before, entry, after in zip([None, *entries], entries, [*entries[1:], None], strict=False):
            if entry.get("damaged"):
                # The one before was filled in already; the one after may be damaged, too.
                entry["from"] = before["release"] if before else ""
                entry["release"] = after.get("from", "") if after else ""
        return entries

    def put_down(self, entry: Entry) -> None:
        """Adds an entry, once: a change that is completed a second time is there already."""
        self._place.mkdir(exist_ok=True)
        sealed.write(self._place / f"{entry['id']}.json", entry)

    def next_id(self, at: datetime) -> tuple[int, str]:
        """A number that nothing here has had yet, and the id that is made of it: `2026-11-25-193445-000012`."""
        number = max([self._counted(), *self._numbers()]) + 1
        self._own.mkdir(exist_ok=True)
        sealed.write(self._own / "count.json", {"last": number})
        return number, f"{at:%Y-%m-%d-%H%M%S}-{number:06d}"

    def carry_over(self) -> Path | None:
        """Writes what earlier agents put down as entries of today; gives their file, which is then read no more."""
        place = self._own / "history.jsonl"
        for entry in self._of_earlier_agents():
            self.put_down({**entry, "number": 0})
        return place if place.exists() else None

    def _counted(self) -> int:
        with suppress(FileNotFoundError, sealed.Damaged, ConvoyError, KeyError, TypeError, ValueError):
            return int(sealed.read(self._own / "count.json")["last"])
        return 0

    def _numbers(self) -> Iterator[int]:
        for name in ("history", "aside", "backups"):
            for entry in disk.entries_of(str(self._own / name)):
                last = entry.name.removesuffix(".json").rpartition("-")[2]
                # Earlier agents put millionths of a second there, which are no count.
                if last.isdecimal() and int(last) < MOST:
                    yield int(last)

    def _kept(self) -> list[Entry]:
        found = []
        for file in sorted(self._place.glob("*.json")) if self._place.exists() else ():
            try:
                entry: Any = sealed.read(file)
                found.append({**entry, "id": str(entry["id"]), "number": int(entry["number"])})
            except (sealed.Damaged, KeyError, TypeError, ValueError):
                self.damaged.append(file.stem)
                found.append(self._what_is_left(file.stem))
        return sorted(found, key=lambda entry: int(entry["number"]))

    def _what_is_left(self, entry_id: str) -> Entry:
        aside = f"aside/{entry_id}"
        last = entry_id.rpartition("-")[2]
        return {
            "id": entry_id,
            "number": int(last) if last.isdecimal() else 0,
            "aside": aside,
            "moved": list(lying_in(self._own / aside)),
            "counts": {},
            "notes": [],
            "damaged": True,
        }

    def _of_earlier_agents(self) -> list[Entry]:
        """One line each, in one file. A line that was cut off is told of."""
        try:
            lines = (self._own / "history.jsonl").read_text(errors="replace").splitlines()
        except OSError:
            return []
        found: list[Entry] = []
        for number, line in enumerate(lines, start=1):
            try:
                entry = json.loads(line)
                found.append({**entry, "id": str(entry["id"]), "release": str(entry["release"]), "from": entry["from"]})
            except (ValueError, KeyError, TypeError):
                self.damaged.append(f"line {number}")
        return found


MOST = 100_000
"""Above this a number in a name is no count: one sync a minute for two months, in one folder."""


def lying_in(folder: Path) -> Iterator[str]:
    """Paths of all files and links below a folder of things moved aside."""
    pending = [("", str(folder))]
    while pending:
        prefix, place = pending.pop()
        for entry in sorted(disk.entries_of(place), key=lambda one: one.name):
            if entry_is_folder(entry):
                pending.append((f"{prefix}{entry.name}/", entry.path))
            else:
                yield prefix + entry.name
