"""How a trial went, as it is kept and shown: judged from a run by the core's rules, held against the last good one."""

import gzip
import json
from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.log import Log, compared
from convoy_core.log.entries import Ended, Entry
from convoy_core.log.fates import fates_of
from convoy_core.log.wire import entry_as_json
from convoy_core.words.log_shape import EntrySeverity
from convoy_core.words.model import Kind
from convoy_io.games import GameRun

SPEAKING = frozenset({Kind.MOD, Kind.LIBRARY})
"""Kinds of which a game says that they came up."""

MOST_ENTRIES = 4_000
"""Entries of a log that are kept of a trial, worst first where there are more."""


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


@dataclass(frozen=True)
class Kept:
    """A log as it is kept: its entries as `log.wire` has them, each with whether the last good run had it not."""

    entries: list[dict[str, Any]] = field(default_factory=list)

    def as_bytes(self) -> bytes:
        return gzip.compress(json.dumps({"entries": self.entries}, ensure_ascii=False).encode(), 6, mtime=0)


def read_kept(data: bytes) -> Kept:
    return Kept(json.loads(gzip.decompress(data))["entries"])


def judged(
    run: GameRun, lock: Lock, there: Collection[str], new_files: list[str], before: Kept | None, against: str
) -> tuple[Outcome, Kept]:
    """`there`: the mods that were laid down; `before`: the log of the last good run, the trial `against`."""
    log = run.log
    why = log.cause
    cause = Cause(why.sentence, why.mod or "", why.other or "", why.known or "", str(why.mend or "")) if why else None
    kept, new, gone = _kept(log, before)
    outcome = Outcome(
        run.came_up, str(log.ended), str(run.stopped or ""), run.exit, round(run.seconds, 2),
        None if run.to_main_screen is None else round(run.to_main_screen, 2), run.memory_mb,
        {str(severity): count for severity, count in log.by_severity().items()},
        cause, {mod: str(fate) for mod, fate in fates_of(_speaking(lock, there), log).items()},
        tuple(new_files), log.lines, sum(log.left_out.values()), against, _last(log, lock), new, gone,
        tuple((one.path, one.text) for one in run.reports),
    )  # fmt: skip
    return outcome, kept


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


def _kept(log: Log, before: Kept | None) -> tuple[Kept, int, int]:
    """Its entries, marked where the last good run had them not; and how many are new, and how many gone."""
    found = compared(_as_log(before), log) if before is not None else None
    new = {id(one) for one in found.new} if found else set()
    order = {severity: at for at, severity in enumerate(reversed(EntrySeverity))}
    worst = sorted(enumerate(log.entries), key=lambda row: (order[row[1].severity], row[0]))[:MOST_ENTRIES]
    rows = [{**entry_as_json(one), "new": id(one) in new} for _, one in sorted(worst, key=lambda row: row[0])]
    return Kept(rows), len(new), len(found.gone) if found else 0


def _as_log(kept: Kept) -> Log:
    """Enough of a log to hold another against it."""
    entries = tuple(
        Entry(one["at"], EntrySeverity(one["severity"]), one["origin"], one["text"], 0, 0, one["count"])
        for one in kept.entries
    )
    return Log(entries, 0, Ended.CLOSED, None, 0, {}, {})
