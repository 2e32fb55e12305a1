"""Shapes of trials and their logs."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.log.entries import Ended
from convoy_core.log.fates import Fate
from convoy_core.narrow import Outcome
from convoy_core.words.log_shape import EntrySeverity, Mend

from ..installations.shapes.agent import Plain
from ..packs.shapes.checking import WayOut
from ..releases.models import MakingState
from ..shapes import Name, Schema, Short


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


class BenchIn(Schema):
    name: Name


class BenchMade(Schema):
    """`token`: lets the bench in; it is shown this once."""

    id: UUID
    token: str


class BenchRow(Schema):
    """A bench elsewhere. `games`: those that it said it has."""

    id: UUID
    name: str
    games: list[str]
    made_by: str
    made_at: datetime
    seen_at: datetime | None


class GamesIn(Schema):
    games: Annotated[list[Short], Field(max_length=100)]


class JobOutForBench(Schema):
    """`lock`: a player's share, as docs/formats.md has it; `own`: archives that only the site has, by sha256."""

    trial: UUID
    game: str
    profile: str
    lock: dict[str, Any]
    memory_mb: int
    sources: dict[str, str]
    own: list[str]


class HeardIn(Schema):
    done: Annotated[int, Field(ge=0, lt=2**53)] = 0


class HeardOut(Schema):
    stop: bool


Line = Annotated[Plain, Field(max_length=2000)]
Amount = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Many = Annotated[int, Field(ge=0, lt=2**53)]


class LogEntryIn(Schema):
    """One entry of a log (docs/formats.md, *A log*)."""

    at: Annotated[Plain, Field(max_length=80)]
    severity: EntrySeverity
    origin: Annotated[Plain, Field(max_length=200)]
    mod: Annotated[Plain, Field(max_length=80)] | None
    text: Line
    lines: Annotated[list[Line], Field(max_length=60)]
    from_line: Many
    to_line: Many
    count: Annotated[int, Field(ge=1, lt=2**53)]
    known: Short | None
    new: bool = False


class CauseIn(Schema):
    sentence: Annotated[Plain, Field(max_length=600)]
    mod: Short = ""
    other: Short = ""
    known: Short = ""
    mend: Mend | Literal[""] = ""


class OutcomeIn(Schema):
    """As `convoy_io.judging` has it, but for what it is held against: that is the site's."""

    came_up: bool
    ended: Ended
    stopped: Short
    exit: Annotated[int, Field(ge=-(2**31), lt=2**31)] | None
    seconds: Amount
    to_main_screen: Amount | None
    memory_mb: Many
    counts: dict[EntrySeverity, Many]
    cause: CauseIn | None
    fates: Annotated[dict[Annotated[Plain, Field(max_length=80)], Fate], Field(max_length=3000)]
    new_files: Annotated[list[Annotated[Plain, Field(max_length=300)]], Field(max_length=200)]
    lines: Many
    left_out: Many
    last: Annotated[Plain, Field(max_length=600)] = ""
    reports: Annotated[
        list[tuple[Annotated[Plain, Field(max_length=300)], Annotated[Plain, Field(max_length=10_000)]]],
        Field(max_length=3),
    ] = []


class WithoutIn(Schema):
    mod: Annotated[Plain, Field(max_length=80)]
    name: Annotated[Plain, Field(max_length=300)]
    why: Annotated[Plain, Field(max_length=300)]


class ResultIn(Schema):
    """`failed`: why it could not be tried there; else how it went."""

    failed: Annotated[Plain, Field(max_length=600)] = ""
    without: Annotated[list[WithoutIn], Field(max_length=3000)] = []
    outcome: OutcomeIn | None = None
    entries: Annotated[list[LogEntryIn], Field(max_length=1000)] = []
