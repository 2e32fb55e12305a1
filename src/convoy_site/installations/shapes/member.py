"""What goes in and out where a member's own installations are concerned."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.lock.terms import Check
from convoy_core.sync.orders import OrderKind
from convoy_core.sync.standing import State
from convoy_core.words.model import Pickup, Side

from ...packs.shapes.packs import ChangeOut
from ...people.defaults import From
from ...releases.shapes import ReleaseRow
from ...shapes import Name, Schema, Short
from .own import BesideOut, IntoWorldsOut, SavedWorldOut

WorldName = Annotated[str, Field(max_length=300, pattern=r"^[^\x00]+/[^/\x00]+$")]


class StrayedOut(Schema):
    path: str
    key: str
    wanted: str
    there: str


class DifferenceOut(Schema):
    """`version` is the build as the release has it, `has` the one that lies there instead, where it is known."""

    name: str
    what: str
    paths: list[str]
    counts: bool
    sentence: str
    version: str
    has: str
    strayed: list[StrayedOut]


class StandingOut(Schema):
    """`state` in words; `to_do` is what this machine's person has to do, empty when nothing; `since` when it began;
    `withdrawn` that the release it has was withdrawn, and why; `other` that it is none that the pack has now.
    """

    state: State
    behind: int
    differences: list[DifferenceOut]
    to_do: str
    since: datetime | None
    withdrawn: str
    other: str


class FitOut(Schema):
    """MB. `figure`: memory to give the game here; `ceiling`: the most that the machine can, `over`: it is not enough;
    `obstacles`: why it cannot run; `remarks`: what is tight."""

    machine: int
    minimum: int
    recommended: int
    figure: int
    ceiling: int
    over: bool
    disk_free: int
    runtime: str
    runtimes: list[str]
    obstacles: list[str]
    remarks: list[str]
    leave_out: list[str]
    """Optional mods without which memory is no obstacle any more."""


class UnderWayOut(Schema):
    """One file that is on its way. Bytes."""

    name: str
    done: int
    total: int


class ProgressOut(Schema):
    """What the agent is doing: waiting, checking, fetching, unpacking, placing, stopped. `done` of `total` bytes, and
    `files_done` of `files`; `rate` in bytes a second; `seconds_left` -1 when not known.
    """

    phase: str = ""
    what: str = ""
    done: int = 0
    total: int = 0
    rate: int = 0
    seconds_left: int = -1
    files_done: int = 0
    files: int = 0
    under_way: list[UnderWayOut] = []
    error: str = ""


class InstallationRow(Schema):
    id: UUID
    name: str
    pack_id: UUID
    pack: str
    emblem: str
    crew: str
    side: Side
    release: str
    current: str
    target: str
    heard_at: datetime | None
    standing: StandingOut
    progress: ProgressOut


class WorldOut(Schema):
    sentence: str
    note: str


class RewrittenOut(Schema):
    path: str
    comments: int


class PlanOut(Schema):
    """What a sync would do, by the agent's last look. Paths are cut to 200 of a kind; counts are whole."""

    release: str
    place: int
    replace: int
    merge: int
    adjust: int
    remove: int
    left_alone: int
    merged: list[str]
    rewritten: list[RewrittenOut] = []
    """Settings files that lose comments, as those stand within a list that is written anew."""
    mine: list[str]
    aside: list[str]
    extras: list[str]
    fetch: int
    fetch_bytes: int
    place_bytes: int
    seconds: int


class ErrandOut(Schema):
    mod: str
    name: str
    version: str
    file: str
    size: int
    sha256: str
    source: str
    page: str
    pickup: Pickup
    instructions: str


class ChoiceOut(Schema):
    """An optional mod. `memory`: MB that it takes; `fresh`: its member has not been asked about it yet; `collection`:
    by name the one beside the pack that it is of, empty for the pack's own.
    """

    mod: str
    name: str
    version: str
    advice: str
    size: int
    memory: int
    taken: bool
    fresh: bool
    collection: str = ""


class StepOut(Schema):
    """`seen`: the agent's own check says that it is done."""

    id: str
    text: str
    check: Check
    path: str
    done: bool
    seen: bool


class BackupOut(Schema):
    id: str
    made_at: datetime
    why: str
    release: str
    by_hand: bool
    files: int
    size: int
    holds: str = ""
    damaged: str = ""
    """Why it could not be restored whole."""


class SettingOut(Schema):
    key: str
    mine: str
    new: str


class NoteOut(Schema):
    """What merging did to one settings file: `kept` is the member's, `overruled` what must match."""

    path: str
    changed: list[str] = []
    kept: list[SettingOut] = []
    overruled: list[SettingOut] = []
    comments_lost: int = 0
    problem: str = ""
    beside: str = ""


class HistoryOut(Schema):
    """One sync that changed something. `id` begins with its date."""

    id: str
    before: str
    release: str
    counts: dict[str, int]
    moved: list[str]
    notes: list[NoteOut]
    backup: str
    undoes: bool
    mods: list[str] = []


class OwnSettingOut(Schema):
    """One key: what the followed release sets it to, what the installed one does, and what it says here. Empty: not
    set, or nobody told. `how`: how much the followed release insists; `server`: what the server has otherwise, where
    its keeper lets it be seen; `pinned`: the member keeps theirs, whatever a release brings.
    """

    path: str
    key: list[str]
    how: str
    pack: str
    installed: str
    mine: str
    was: str
    server: str
    pinned: bool


class OfferedSetOut(Schema):
    """A set of settings that a member may choose. `settings`: what it sets, a line each."""

    id: str
    name: str
    taken: bool
    settings: list[str]


class ToldSettingOut(Schema):
    """A key that somebody has otherwise than it was placed: their value, and the one that was placed. `text`: theirs,
    where a browser has no place for it as a number.
    """

    path: str
    key: list[str]
    mine: Any
    was: Any
    text: str | None


class MachineSettingsOut(Schema):
    """What one installation has otherwise. `own`: whether it is one's own."""

    installation: UUID
    name: str
    member: str
    own: bool
    heard_at: datetime | None
    rows: list[ToldSettingOut]


class HoldsOut(Schema):
    """A value that holds for an installation, and where it comes from."""

    value: int
    source: From


class InstallationPage(InstallationRow):
    base: str
    key: str
    fingerprint: str
    wanted_fingerprint: str
    paired: bool
    machine: str
    watching: bool
    by_listing: bool
    looked_at: str
    """When the plan was made; empty while nobody looked."""
    changes: list[ChangeOut]
    """What the followed release has that this installation's has not."""
    worlds: list[WorldOut]
    """What going to it does to saved worlds, known before anything has looked."""
    plan: PlanOut | None
    errands: list[ErrandOut]
    errand_minutes: int
    choices: list[ChoiceOut]
    beside: list[BesideOut]
    worlds_here: list[str]
    """Saved worlds that lie there, as `FOLDER/NAME`."""
    saved: list[SavedWorldOut]
    into_worlds: list[IntoWorldsOut]
    tells_settings: bool
    settings: list[OwnSettingOut]
    """What the pack sets here, and what was changed here as far as the agent may tell."""
    offered: list[OfferedSetOut]
    steps: list[StepOut]
    steps_later: int = 0
    """Steps of a sealed release that are told when it opens."""
    backups: list[BackupOut]
    history: list[HistoryOut]
    undo: str
    """The release that taking the last sync back leads to; empty when there is nothing to take back."""
    had_before: int
    """Files of the pack that lay there before joining: leaving keeps them."""
    remarks: list[str]
    fit: FitOut
    releases: list[ReleaseRow]
    sealed_until: datetime | None
    """Of a followed release that is sealed for its member: its hour."""
    sync_does: str
    """What a sync would do, as its button says it."""
    over_limit: bool
    """More would be fetched than the member lets through unasked."""
    stays_at: str
    trial: bool
    holds: dict[Literal["memory_share", "line_kb", "most_mb", "kept_backups"], HoldsOut]
    answer: str
    refused: bool


class JoinIn(Schema):
    code: Short
    name: Name
    side: Literal["player", "server"] = "player"
    machine: Short = ""


class AgentFileOut(Schema):
    """The agent as one file, for one system (`linux-x86_64`), or for any Python (`any`). `size` in bytes."""

    system: str
    version: str
    address: str
    size: int
    sha256: str


class PairingOut(Schema):
    """`install` gets the agent onto a machine that has a Python; empty where the site has none to hand out. `files`:
    the agent for those who have none.
    """

    command: str
    code: str
    until: datetime
    install: str
    files: list[AgentFileOut]


class SettingPlaceIn(Schema):
    """A key of one of the installation's settings files."""

    path: Annotated[str, Field(min_length=1, max_length=300)]
    key: list[Annotated[str, Field(min_length=1, max_length=300)]] = Field(min_length=1, max_length=40)


class OrderIn(Schema):
    """What is asked of the agent. Which fields count depends on `what`; the agent checks them again."""

    what: OrderKind
    extras_aside: bool = False
    only: list[Annotated[str, Field(max_length=300)]] = Field(default=[], max_length=2_000)
    anyway: bool = False
    thorough: bool = False
    backup: Short = ""
    id: Short = ""
    step: Short = ""
    done: bool = True
    keep_all: bool = False
    settings: list[SettingPlaceIn] = Field(default=[], max_length=400)
    words: Annotated[str, Field(max_length=2000)] = ""
    plain: bool = False
    alone: bool = False
    world: Annotated[str, Field(max_length=300)] = ""
    name: Annotated[str, Field(max_length=80)] = ""


class HoldIn(Schema):
    what: Literal["", "pause", "stop"]


class ChoicesIn(Schema):
    """What is left out stays as it is."""

    stays_at: Short | None = None
    trial: bool | None = None
    tells_settings: bool | None = None
    """Whether the agent tells which settings were changed here, and which the game wrote: the crew sees them."""
    setting_sets: list[Name] | None = Field(default=None, max_length=30)
    pinned: list[SettingPlaceIn] | None = Field(default=None, max_length=400)
    """All settings that stay as they are, whatever a release brings."""
    left_out: list[Name] | None = Field(default=None, max_length=500)
    asked_about: list[Name] | None = Field(default=None, max_length=500)
    worlds: dict[Name, Annotated[list[WorldName], Field(max_length=200)]] | None = Field(default=None, max_length=200)
    """By mod the worlds that its content goes into, as `FOLDER/NAME`, or `FOLDER/*` for all; of every mod that has any.
    """
    memory_share: Annotated[int, Field(ge=10, le=50)] | None = None
    line_kb: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    most_mb: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    kept_backups: Annotated[int, Field(ge=1, le=100)] | None = None
    as_default: list[Literal["memory_share", "line_kb", "most_mb", "kept_backups"]] | None = Field(
        default=None, max_length=4
    )
    """Of the four above, those of which nothing is said for this installation any more."""


class BroughtOut(Schema):
    """What a dropped file is: the errand that it does (`mod`), or what else it is, in words."""

    mod: str
    said: str


class MachineOut(Schema):
    slug: str
    name: str
    memory_mb: int


class NamedOut(Schema):
    """Which build a file is, in words; empty when no source has it."""

    name: str
