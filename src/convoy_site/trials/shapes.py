"""Shapes of trials and their logs."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field

from convoy_core.log.fates import Fate
from convoy_core.narrow import Outcome
from convoy_core.words.log_shape import EntrySeverity

from ..packs.shapes.checking import WayOut
from ..releases.models import MakingState
from ..shapes import Schema, Short


class TrialIn(Schema):
    """`number`: of a release; empty for the draft as it is."""

    number: Short = ""


class PinIn(Schema):
    pinned: bool


class LeftOutOut(Schema):
    mod: str
    name: str
    why: str


class CauseOut(Schema):
    """Why it ended so. `known`: the message of the profile that explains it; empty: it is only likely. `mend`: what
    helps, in the profile's words.
    """

    sentence: str
    mod: str
    other: str
    known: str
    mend: str


class FateOut(Schema):
    mod: str
    name: str
    fate: Fate


class OutcomeOfTrial(Schema):
    """`seconds` and `memory_mb` as measured; `to_main_screen`: null where it was never reached. `new` and `gone`: how
    many entries the last good run (`against`) had not, and had alone.
    """

    came_up: bool
    ended: str
    stopped: str
    exit: int | None
    seconds: float
    to_main_screen: float | None
    memory_mb: int
    counts: dict[EntrySeverity, int]
    cause: CauseOut | None
    new_files: list[str]
    lines: int
    left_out: int
    last: str
    against: UUID | None
    new: int
    gone: int
    loaded: int
    silent: int
    failed: int


class TrialRow(Schema):
    """`is_current`: of exactly what the draft is now. `before`, `seconds_left`: of one that waits: how many are in
    front of it, and about how long until its turn.
    """

    id: UUID
    number: str
    is_current: bool
    state: MakingState
    done: int
    total: int
    told: str
    by: str
    at: datetime
    ended_at: datetime | None
    pinned: bool
    before: int
    seconds_left: float | None
    outcome: OutcomeOfTrial | None


class ReportOut(Schema):
    """A crash report, as it begins."""

    path: str
    text: str


class TrialOut(TrialRow):
    """`ways`: what can be done about the cause, in the draft as it is now."""

    without: list[LeftOutOut]
    fates: list[FateOut]
    reports: list[ReportOut]
    ways: list[WayOut]
    narrowing: UUID | None
    """The newest search for what it fails by."""


class BenchOut(Schema):
    """`has_bench`: whether this game can be tried on this site. `current`: the trial of exactly what the draft is."""

    has_bench: bool
    current: UUID | None
    trials: list[TrialRow]


class EntryOut(Schema):
    """`at` as the log wrote it; lines count from 1. `beside`: it only stands around what was looked for."""

    number: int
    at: str
    severity: EntrySeverity
    origin: str
    mod: str | None
    text: str
    lines: list[str]
    from_line: int
    to_line: int
    count: int
    known: str | None
    new: bool
    beside: bool


class LogWanted(Schema):
    """`severity`: this bad or worse; `text`: words that are in it, small or capital; `mod`: whose; `fresh`: only what
    the last good run had not; `around`: so many entries on either side, too; `first`: from this entry of the answer on.
    """

    severity: EntrySeverity = EntrySeverity.DEBUG
    text: Short = ""
    mod: Short = ""
    fresh: bool = False
    around: Annotated[int, Field(ge=0, le=20)] = 0
    first: Annotated[int, Field(ge=0, le=10_000)] = 0


class TrialLog(Schema):
    """`found`: how many there are, `shown` with those around them; `first_bad`: the number of the first error; -1 for
    none. `mods`: whose entries there are, most first.
    """

    found: int
    shown: int
    whole: int
    first_bad: int
    mods: list[str]
    entries: list[EntryOut]


class NarrowIn(Schema):
    """`chance`: with which it fails; 1 for always."""

    chance: Annotated[float, Field(gt=0.05, le=1)] = 1.0


class TryOut(Schema):
    """`mods`: places in the narrowing's `mods`."""

    mods: list[int]
    outcome: Outcome
    seconds: float


class CulpritsOut(Schema):
    """`fails`: all together do. `without_it_works`: null where that could not be decided."""

    culprits: list[LeftOutOut]
    tries: int
    without_it_works: bool | None
    sure: float
    fails: bool


class TriedWay(WayOut):
    """A way out that was started on the bench."""

    outcome: Outcome
    seconds: float


class NarrowingOut(Schema):
    """`planned`: about how many tries one culprit takes. `ways`: what can be done, in the draft as it is now."""

    id: UUID
    trial: UUID
    state: MakingState
    told: str
    by: str
    at: datetime
    chance: float
    planned: int
    mods: list[str]
    """Names, in the order in which they are tried."""
    tries: list[TryOut]
    found: CulpritsOut | None
    ways: list[WayOut]
    rehearsed: list[TriedWay]
    """Ways out that were started already, each with how it went."""
    is_current: bool
