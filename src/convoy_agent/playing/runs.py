"""Starts that were made here: `.convoy/runs/ID/` with `run.json` and the log, packed. Pinned ones stay, others a while.

The log is kept as the game wrote it: it leaves this machine only as its member sends it.
"""

from __future__ import annotations

import gzip
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import IO, Any

from convoy_core.log.entries import Ended

from ..storage import disk, sealed

KEPT = 12
"""Starts that are kept beside the pinned ones."""

MOST_LOG = 64 * 2**20
"""Bytes of a log that are kept of one start: its beginning, where causes stand; the end is in `run.json`."""


@dataclass(frozen=True)
class Run:
    """A start. `seconds`: how long it ran; `to_main_screen`: None where it never came there; `ended`: as its log says;
    `exit`: as the system says; `stopped`: why it was ended, empty where it ended itself.
    """

    id: str
    release: str
    began: str
    seconds: float
    to_main_screen: float | None
    memory_mb: int
    given_mb: int
    plain: bool
    ended: str
    exit: int | None
    stopped: str
    cause: str
    counts: dict[str, int]
    new_files: tuple[str, ...] = ()
    pinned: bool = False
    reports: tuple[tuple[str, str], ...] = ()
    """Crash reports that it left: path, and how it begins."""
    narrowing: bool = False
    """A try with some of the mods: it says nothing of the pack."""

    @property
    def is_good(self) -> bool:
        """It reached the main screen, and did not crash."""
        return self.to_main_screen is not None and self.ended != Ended.CRASHED


class Runs:
    def __init__(self, own: Path) -> None:
        self._place = own / "runs"

    def new(self, at: datetime) -> str:
        id, number = f"{at:%Y-%m-%d-%H%M%S}", 1
        while (self._place / id).exists():
            number += 1
            id = f"{at:%Y-%m-%d-%H%M%S}-{number}"
        (self._place / id).mkdir(parents=True)
        return id

    def forget(self, id: str) -> None:
        with suppress(OSError):
            disk.remove_tree(self._place / id)

    def log_writer(self, id: str) -> _LogCopy:
        return _LogCopy(gzip.open(self._place / id / "log.gz", "wb", compresslevel=3))

    def log_of(self, id: str) -> Path:
        """Packed with gzip. It need not be there."""
        return self._place / id / "log.gz"

    def keep(self, run: Run) -> None:
        sealed.write(self._place / run.id / "run.json", asdict(run))
        self._sweep()

    def all(self) -> list[Run]:
        """Newest first."""
        return sorted(self._kept(), key=lambda one: one.id, reverse=True)

    def pin(self, id: str) -> None:
        """Keeps a start for good."""
        for one in self.all():
            if one.id == id:
                self.keep(replace(one, pinned=True))

    def played(self) -> float:
        """Seconds played in all, those that are kept no more included."""
        with suppress(OSError, sealed.Damaged):
            return sealed.read(self._place / "played.json", float)
        return 0.0

    def count(self, seconds: float) -> None:
        sealed.write(self._place / "played.json", round(self.played() + seconds, 1))

    def _kept(self) -> Iterator[Run]:
        for entry in disk.entries_of(str(self._place)):
            with suppress(OSError, sealed.Damaged, TypeError):
                yield sealed.read(Path(entry.path) / "run.json", _read)

    def _sweep(self) -> None:
        loose = [one for one in self.all() if not one.pinned]
        for old in loose[KEPT:]:
            self.forget(old.id)


class _LogCopy:
    """Takes a log piece by piece, up to its bound."""

    def __init__(self, out: IO[bytes] | Any) -> None:
        self._out, self._left = out, MOST_LOG

    def __call__(self, data: bytes) -> None:
        self._out.write(data[: self._left])
        self._left -= min(self._left, len(data))

    def __enter__(self) -> _LogCopy:
        return self

    def __exit__(self, *_: object) -> None:
        self._out.close()


def _read(told: Any) -> Run:
    reports = tuple((str(path), str(text)) for path, text in told.get("reports", ()))
    return Run(**{**told, "new_files": tuple(told.get("new_files", ())), "reports": reports})
