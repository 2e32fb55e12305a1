"""The store: archives by their sha256, shared by all installations of a machine. What lies in it was verified.

ROOT/ab/SHA256 is an archive, ROOT/partial/ what is being fetched, ROOT/installations.json which folders use it.
"""

from __future__ import annotations

import json
import shutil
import tempfile
import time
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import platformdirs
from filelock import FileLock, Timeout

from .files import hashed, sha256_of, write_at_once


@dataclass(frozen=True)
class Use:
    """What lies in the store: archives, bytes, and how much of it no known installation refers to."""

    archives: int
    bytes: int
    idle: tuple[str, ...]
    idle_bytes: int
    partial_bytes: int


LEFT_FOR = 86_400
"""Seconds after which what was begun and is wanted no more counts as forgotten."""

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

    def copy_in(self, file: Path, sha256: str) -> bool:
        """Copies a member's own file in, leaving theirs where it is; says whether it was still what it must be."""
        with tempfile.NamedTemporaryFile(dir=self.partial, prefix=f"{sha256}.", delete=False) as beside:
            copy = Path(beside.name)
        try:
            shutil.copyfile(file, copy)
            return self.take_in(copy, sha256)
        finally:
            copy.unlink(missing_ok=True)

    @contextmanager
    def alone_with(self, sha256: str, waiting: Callable[[], None]) -> Iterator[None]:
        """Keeps other agents of this machine from fetching the same archive meanwhile: two would write into one file.

        `waiting` is called about once a second while another has it, and may raise.
        """
        lock = FileLock(self.partial / f"{sha256}.lock")
        while True:
            try:
                lock.acquire(timeout=1)
                break
            except Timeout:
                waiting()
        try:
            yield
        finally:
            if sha256 in self:
                # Whoever still waits for this lock finds the archive there and fetches nothing.
                with suppress(OSError):
                    Path(lock.lock_file).unlink()
            lock.release()

    def archives(self) -> Iterator[Path]:
        for place in sorted(self.root.glob("??/*")):
            if place.is_file() and len(place.name) == 64:
                yield place

    def use(self, wanted: Collection[str]) -> Use:
        """`wanted`: sha256 of everything that installations of this machine refer to."""
        sizes = {place.name: _size(place) for place in self.archives()}
        idle = tuple(sorted(sizes.keys() - set(wanted)))
        partial = sum(map(_size, self.partial.iterdir()))
        return Use(len(sizes), sum(sizes.values()), idle, sum(sizes[one] for one in idle), partial)

    def forget_begun(self, wanted: Collection[str]) -> int:
        """Removes what was begun long ago and nothing refers to; gives the bytes."""
        freed = 0
        for place in self.partial.iterdir():
            # Whatever goes meanwhile was not left behind: another agent is at work on it.
            with suppress(FileNotFoundError):
                info = place.stat()
                if place.name[:64] not in wanted and time.time() - info.st_mtime > LEFT_FOR:
                    place.unlink()
                    freed += info.st_size
        return freed

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
        if folder in self.installations():
            return
        with self._own_files():
            told = [str(one) for one in (*self.installations(), folder)]
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
            with self._own_files():
                write_at_once(self.root / "speed", f"{count / seconds:.0f}".encode())

    def _own_files(self) -> FileLock:
        """Held while the store writes about itself: agents of several installations may at once."""
        return FileLock(self.root / "store.lock")

    def speed(self) -> float:
        """Bytes a second of the last fetching that was large enough to tell; 0 when there was none."""
        try:
            return float((self.root / "speed").read_text())
        except (OSError, ValueError):
            return 0

    def drop(self, sha256: str) -> None:
        """Forgets an archive that turned out damaged."""
        self.path(sha256).unlink(missing_ok=True)


def _size(place: Path) -> int:
    """Bytes; 0 for a file that another agent took away meanwhile."""
    try:
        return place.stat().st_size
    except FileNotFoundError:
        return 0
