"""How a start went, judged from its run by the core's rules: as a bench keeps it, wherever it stands."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.log import Log
from convoy_core.log.entries import Ended
from convoy_core.log.fates import fates_of
from convoy_core.words.model import Kind

from .games import GameRun

SPEAKING = frozenset({Kind.MOD, Kind.LIBRARY})
"""Kinds of which a game says that they came up."""


@dataclass(frozen=True)
class Cause:
    sentence: str
    mod: str = ""
    other: str = ""
    known: str = ""
    mend: str = ""


@dataclass(frozen=True)
class Outcome:
    """`came_up`: it reached the main screen. Seconds and MB as measured on the bench; `counts` by severity; `fates` by
    mod; `new`, `gone`: entries that the last good run had not, or had alone, as numbers of them.
    """

    came_up: bool
    ended: str
    stopped: str
    exit: int | None
    seconds: float
    to_main_screen: float | None
    memory_mb: int
    counts: Mapping[str, int]
    cause: Cause | None
    fates: Mapping[str, str]
    new_files: tuple[str, ...] = ()
    lines: int = 0
    left_out: int = 0
    against: str = ""
    """The trial that it was held against."""
    last: str = ""
    """What was said last, where it never came to an end of its own."""
    new: int = 0
    gone: int = 0
    reports: tuple[tuple[str, str], ...] = ()
    """Crash reports that it left: path, and how it begins."""

    def as_data(self) -> dict[str, Any]:
        return {**asdict(self), "new_files": list(self.new_files), "reports": [list(one) for one in self.reports]}


def read_outcome(told: dict[str, Any]) -> Outcome:
    cause = told["cause"]
    reports = tuple((path, text) for path, text in told.get("reports", ()))
    return Outcome(
        **{
            **told,
            "cause": Cause(**cause) if cause else None,
            "new_files": tuple(told["new_files"]),
            "reports": reports,
        }
    )


def judged(run: GameRun, lock: Lock, there: Collection[str], new_files: Collection[str]) -> Outcome:
    """`there`: the mods that were laid down. Nothing is said yet of an earlier start."""
    log, why = run.log, run.log.cause
    cause = Cause(why.sentence, why.mod or "", why.other or "", why.known or "", str(why.mend or "")) if why else None
    return Outcome(
        run.came_up, str(log.ended), str(run.stopped or ""), run.exit, round(run.seconds, 2),
        None if run.to_main_screen is None else round(run.to_main_screen, 2), run.memory_mb,
        {str(severity): count for severity, count in log.by_severity().items()},
        cause, {mod: str(fate) for mod, fate in fates_of(_speaking(lock, there), log).items()},
        tuple(new_files), log.lines, sum(log.left_out.values()), "", _last(log, lock),
        reports=tuple((one.path, one.text) for one in run.reports),
    )  # fmt: skip


def _last(log: Log, lock: Lock) -> str:
    """Of a start that neither came up nor ended by itself, as one that hangs."""
    if log.main_screen or log.ended is not Ended.RUNNING or not log.entries:
        return ""
    entry = max(log.entries, key=lambda one: one.to_line)
    build = lock.by_mod.get(entry.mod or "")
    name = build.name if build else "The game"
    return f"{name} spoke last: “{entry.text[:200]}”"


def _speaking(lock: Lock, there: Collection[str]) -> list[str]:
    return [build.mod for build in lock.builds if build.kind in SPEAKING and build.mod in there]
