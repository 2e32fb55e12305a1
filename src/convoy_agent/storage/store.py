"""The store: archives by their sha256, shared by all installations of a machine. What lies in it was verified.

ROOT/ab/SHA256 is an archive, ROOT/partial/ what is being fetched. ROOT/installations.json says which folders use it and
what each refers to, ROOT/brought.json which archives a person brought: those are dropped on a person's word only.
"""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import platformdirs
from filelock import FileLock, Timeout

from . import disk, sealed
from .files import hashed, made_anew, sha256_of, write_at_once


@dataclass(frozen=True)
class Use:
    """What lies in the store: archives, bytes, and how much of it no known installation refers to. `brought`: of the
    idle ones, those that a person brought, with what they were called.
    """

    archives: int
    bytes: int
    idle: tuple[str, ...]
    idle_bytes: int
    partial_bytes: int
    brought: dict[str, str]


@dataclass(frozen=True)
class Served:
    """A folder that synced from this store. `installation`: the site's name for it, which moves along with the folder;
    `archives`: what it refers to (None: not known, so anything may be).
    """

    folder: Path
    installation: str = ""
    archives: frozenset[str] | None = field(default=None)

    @property
    def is_there(self) -> bool:
        return (self.folder / ".convoy").is_dir()


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
        self.remarks: list[str] = []

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
        disk.replace(verified, place)

    def copy_in(self, file: Path, sha256: str) -> bool:
        """Copies a member's own file in, leaving theirs where it is; says whether it was still what it must be."""
        with tempfile.NamedTemporaryFile(dir=self.partial, prefix=f"{sha256}.", delete=False) as beside:
            copy = Path(beside.name)
        try:
            with file.open("rb") as here, made_anew(copy) as there:
                shutil.copyfileobj(here, there)
                disk.written(there)
            taken = self.take_in(copy, sha256)
            if taken:
                self._note_brought(sha256, file.name)
            return taken
        finally:
            disk.remove(copy)

    def _note_brought(self, sha256: str, name: str) -> None:
        with self._own_files():
            sealed.write(self.root / "brought.json", {**self.brought(), sha256: name[:200]}, twin=True)

    def brought(self) -> dict[str, str]:
        """Archives that a person brought: sha256 to what the file was called. Their going is a person's decision."""
        told = self._told("brought.json", twin=True)
        return {str(one): str(name) for one, name in told.items()} if isinstance(told, dict) else {}

    def _told(self, name: str, twin: bool = False) -> Any:
        place = self.root / name
        try:
            return sealed.read(place, twin=twin)
        except FileNotFoundError:
            return None
        except sealed.Damaged:
            disk.replace(place, place.with_name(f"{name}.damaged"))
            self.remarks.append(
                f"{place} was damaged and is kept as {name}.damaged. Each folder says anew at its next sync what it "
                "needs."
            )
            return None

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
                    disk.remove(Path(lock.lock_file))
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
        known = self.brought()
        brought = {one: known[one] for one in idle if one in known}
        return Use(len(sizes), sum(sizes.values()), idle, sum(sizes[one] for one in idle), partial, brought)

    def forget_begun(self, wanted: Collection[str]) -> int:
        """Removes what was begun long ago and nothing refers to; gives the bytes."""
        freed = 0
        for place in self.partial.iterdir():
            # Whatever goes meanwhile was not left behind: another agent is at work on it.
            with suppress(FileNotFoundError):
                info = place.stat()
                if place.name[:64] not in wanted and time.time() - info.st_mtime > LEFT_FOR:
                    disk.remove(place)
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

    def remember(self, folder: Path, installation: str = "", archives: Collection[str] | None = None) -> None:
        """Puts an installation on the list of those that the store serves, or says anew what it refers to.

        A folder that was moved takes its old place on the list with it.
        """
        known = self.served()
        before = next((one for one in known if one.folder == folder), None)
        wanted = frozenset(archives) if archives is not None else before.archives if before else None
        now = Served(folder, installation or (before.installation if before else ""), wanted)
        if now == before:
            return
        with self._own_files():
            self._keep_served([*(one for one in self.served() if one.folder != folder and not _moved(one, now)), now])

    def forget(self, folder: Path) -> None:
        """Takes a folder off the list: it was left, or is gone for good."""
        with self._own_files():
            self._keep_served([one for one in self.served() if one.folder != folder])

    def _keep_served(self, all_of_them: Sequence[Served]) -> None:
        rows = [
            [str(one.folder), one.installation, None if one.archives is None else sorted(one.archives)]
            for one in all_of_them
        ]
        sealed.write(self.root / "installations.json", rows, twin=True)

    def served(self) -> list[Served]:
        """Every folder that ever synced from this store and was not left, whether it is there now or not: one that is
        not may have been moved, or lie on a disk that is not attached.
        """
        told = self._told("installations.json", twin=True)
        found = []
        for row in told if isinstance(told, list) else ():
            if isinstance(row, str):  # as earlier agents wrote it
                found.append(Served(Path(row)))
            elif isinstance(row, list) and len(row) == 3:
                archives = None if row[2] is None else frozenset(map(str, row[2]))
                found.append(Served(Path(str(row[0])), str(row[1]), archives))
        return found

    def installations(self) -> list[Path]:
        """Folders that synced from this store and are still there."""
        return [one.folder for one in self.served() if one.is_there]

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
        disk.remove(self.path(sha256))


def _moved(one: Served, now: Served) -> bool:
    """Whether an entry of the list is where `now` was before it was moved."""
    return bool(one.installation) and one.installation == now.installation and not one.is_there


def _size(place: Path) -> int:
    """Bytes; 0 for a file that another agent took away meanwhile."""
    try:
        return place.stat().st_size
    except FileNotFoundError:
        return 0
