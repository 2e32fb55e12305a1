"""The store: archives by their sha256, shared by all installations of a machine. What lies in it was verified.

ROOT/ab/SHA256 is an archive, ROOT/partial/ what is being fetched, ROOT/installations.json which folders use it.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from .files import hashed, sha256_of, write_at_once


@dataclass(frozen=True)
class Use:
    """What lies in the store: archives, bytes, and how much of it no known installation refers to."""

    archives: int
    bytes: int
    idle: tuple[str, ...]
    idle_bytes: int
    partial_bytes: int


ENOUGH_TO_JUDGE = 200_000
"""Bytes. A smaller fetch says more about the source's latency than about the line."""


class Store:
    """A folder of archives. `partial` holds what is being fetched; it is no part of the store until verified."""

    def __init__(self, root: Path | None = None) -> None:
        self.root = root or Path(platformdirs.user_data_dir("true-convoy")) / "store"
        self.partial = self.root / "partial"
        self.partial.mkdir(parents=True, exist_ok=True)

    def path(self, sha256: str) -> Path:
        return self.root / sha256[:2] / sha256

    def __contains__(self, sha256: object) -> bool:
        return isinstance(sha256, str) and self.path(sha256).is_file()

    def take_in(self, file: Path, sha256: str) -> bool:
        """Moves a file of this machine's into the store when its content is what it must be; says whether it was."""
        if sha256_of(file) != sha256:
            return False
        self.adopt(file, sha256)
        return True

    def adopt(self, verified: Path, sha256: str) -> None:
        """Swaps a file in whose content was hashed while it was written."""
        place = self.path(sha256)
        place.parent.mkdir(exist_ok=True)
        verified.replace(place)

    def copy_in(self, file: Path, sha256: str) -> None:
        """Copies a member's own file in, leaving theirs where it is. The caller has hashed it."""
        beside = self.partial / f"{sha256}.copy"
        shutil.copyfile(file, beside)
        self.take_in(beside, sha256)

    def archives(self) -> Iterator[Path]:
        for place in sorted(self.root.glob("??/*")):
            if place.is_file() and len(place.name) == 64:
                yield place

    def use(self, wanted: Collection[str]) -> Use:
        """`wanted`: sha256 of everything that installations of this machine refer to."""
        sizes = {place.name: place.stat().st_size for place in self.archives()}
        idle = tuple(sorted(sizes.keys() - set(wanted)))
        partial = sum(place.stat().st_size for place in self.partial.iterdir() if place.is_file())
        return Use(len(sizes), sum(sizes.values()), idle, sum(sizes[one] for one in idle), partial)

    def damaged(self, mend: bool) -> tuple[str, ...]:
        """Archives whose content is no longer what it was; `mend` drops them, so that they are fetched anew."""
        places = list(self.archives())
        found = hashed([str(place) for place in places])
        wrong = tuple(place.name for place, sha256 in zip(places, found, strict=True) if place.name != sha256)
        for sha256 in wrong if mend else ():
            self.drop(sha256)
        return wrong

    def remember(self, folder: Path) -> None:
        """Puts an installation on the list of those that the store serves."""
        known = self.installations()
        if folder not in known:
            told = [str(one) for one in (*known, folder)]
            write_at_once(self.root / "installations.json", json.dumps(told).encode())

    def installations(self) -> list[Path]:
        """Folders that synced from this store and are still there."""
        try:
            told = json.loads((self.root / "installations.json").read_bytes())
        except (OSError, ValueError):
            return []
        return [Path(one) for one in told if isinstance(one, str) and (Path(one) / ".convoy").is_dir()]

    def keep_speed(self, count: int, seconds: float) -> None:
        """Remembers what the line gave, for telling how long the next fetching will take."""
        if count > ENOUGH_TO_JUDGE and seconds > 0:
            write_at_once(self.root / "speed", f"{count / seconds:.0f}".encode())

    def speed(self) -> float:
        """Bytes a second of the last fetching that was large enough to tell; 0 when there was none."""
        try:
            return float((self.root / "speed").read_text())
        except (OSError, ValueError):
            return 0

    def drop(self, sha256: str) -> None:
        """Forgets an archive that turned out damaged."""
        self.path(sha256).unlink(missing_ok=True)
