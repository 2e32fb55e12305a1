"""Shapes of what a crew sees together: the roll call, departures, finding."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.sync.standing import State
from convoy_core.sync.starts import StartState
from convoy_core.words.model import Side

from ..installations.shapes.member import FitOut, ProgressOut, StandingOut
from ..packs.shapes.packs import ChangeOut
from ..shapes import Moment, Name, Schema, Short


class CalledRow(Schema):
    """One row of the roll call. `by_listing`: somebody handed a listing in, no agent reports."""

    installation: UUID
    person: str
    name: str
    mine: bool
    side: Side
    release: str
    target: str
    heard_at: datetime | None
    fingerprint: str
    wanted: str
    """The fingerprint that the release it has should give."""
    errands: int
    by_listing: bool
    standing: StandingOut
    keeps: str
    """What keeps it from being in step, as a phrase."""
    message: str
    """What one may send to its person: polite, with the exact to-do. Empty when there is nothing to do."""
    fit: FitOut
    progress: ProgressOut


class RollCall(Schema):
    """`without` names people of the crew that have no installation of this pack."""

    current: str
    fingerprint: str
    rows: list[CalledRow]
    without: list[str]


class StopOut(Schema):
    number: str
    channel: ReleaseChannel
    withdrawn: bool
    sealed: bool
    open: bool
    published_at: datetime
    changes: int


class LinePlaythrough(Schema):
    """A playthrough on the line: the release that it was begun with, the one that it is at or ended with."""

    id: UUID
    name: str
    world: str
    rule: Rule
    begun: str
    last: str
    open: bool


class LinePerson(Schema):
    """Somebody on the line: at which release (empty: none yet), in which state."""

    installation: UUID
    person: str
    initials: str
    name: str
    server: bool
    mine: bool
    release: str
    state: State
    to_do: str
    busy: bool


class TheLine(Schema):
    """The line: releases oldest first, the draft's pending changes, and who stands where."""

    stops: list[StopOut]
    pending: int
    people: list[LinePerson]
    playthroughs: list[LinePlaythrough]


class PlaythroughIn(Schema):
    name: Name
    world: Annotated[str, Field(min_length=1, max_length=120)]
    rule: Rule = Rule.NOT_THE_WORLD
    release: Name
    note: Annotated[str, Field(max_length=300)] = ""


class EndPlaythroughIn(Schema):
    because: Annotated[str, Field(min_length=1, max_length=300)]


class MilestoneIn(Schema):
    name: Name


class MilestoneOut(Schema):
    """`backed_up`: installations that have a backup by its name."""

    name: str
    by: str
    at: datetime
    backed_up: int


class ExceptionOut(Schema):
    """Something that was changed against a playthrough's rule, and why."""

    release: str
    what: str
    because: str


class PlaythroughOut(Schema):
    """`last`: the release that it is at; of one that has ended, the one that it ended with."""

    id: UUID
    name: str
    world: str
    rule: Rule
    note: str
    begun: str
    last: str
    by: str
    at: datetime
    ended_at: datetime | None
    ended_because: str
    exceptions: list[ExceptionOut]
    milestones: list[MilestoneOut]


class PlaythroughsOut(Schema):
    """`worlds`: names of worlds that one may know of, to choose from."""

    playthroughs: list[PlaythroughOut]
    worlds: list[str]


class PassedOut(Schema):
    version: str
    why: str


class KeepsOut(Schema):
    """The newest build of a mod that open playthroughs leave to be taken; empty: none but the one that is there."""

    version: str
    now: str
    passed: list[PassedOut]


class WaitingOut(Schema):
    who: str
    to_do: str


class StartedOut(Schema):
    """Somebody who has started the game for a departure. `right`: what it needs, and nothing differed."""

    who: str
    state: StartState
    release: str
    right: bool
    began: datetime


class DepartureOut(Schema):
    """`needed` is the release that it asks for, empty while none is open; `release` the same where it was chosen and is
    still open, empty where whatever is newest is meant. `last`: the release of the evening before, with what changed
    since.
    """

    id: UUID
    at: datetime
    release: str
    needed: str
    note: str
    set_by: str
    mine: bool | None
    coming: list[str]
    absent: list[str]
    silent: list[str]
    ready: int
    waiting: list[WaitingOut]
    started: list[StartedOut]
    last: str
    changes: list[ChangeOut]


class BoardOut(TheLine):
    """One pack on the evening's board. `blockers` and `warnings` count findings of its draft, `newer` builds that are
    newer than those in it and fit.
    """

    departure: DepartureOut | None
    blockers: int
    warnings: int
    newer: int


class DepartureIn(Schema):
    at: Moment
    release: Short = ""
    note: Annotated[str, Field(max_length=300)] = ""


class ComingIn(Schema):
    comes: bool


class Found(Schema):
    """Something the command palette can go to."""

    what: Literal["pack", "person", "installation"]
    name: str
    hint: str
    address: str
