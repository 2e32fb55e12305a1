"""Shapes of what agents send and are told."""

import json
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, field_validator

from convoy_core.lock.beside import MOST_BESIDE
from convoy_core.settings.readings import MOST_KEYS
from convoy_core.sync.deviations import Deviation
from convoy_core.sync.plan import Act
from convoy_core.sync.starts import StartState

from ...shapes import Moment, Schema, Sha256, Short
from ..reports import MAX_DEVIATIONS


class SignatureOut(Schema):
    key: str
    signature: str


class SignedOut(Schema):
    """A document with its signatures, as `convoy_core.trust.signed` reads it."""

    document: str
    signatures: list[SignatureOut]


class ChartersOut(Schema):
    charters: list[SignedOut]


class GameToStart(Schema):
    """`profile`: TOML (docs/games.md). It names no program that is run. `departs`: a departure is near, and the crew
    wants to know who has started the right thing.
    """

    profile: str
    departs: bool


class StartedIn(Schema):
    began: Moment
    release: Short
    release_sha256: Annotated[str, Field(pattern="^([0-9a-f]{64})?$")] = ""
    in_step: bool
    state: StartState


class PairIn(Schema):
    code: Short


class Looked(Schema):
    """What a pairing code opens."""

    public_key: str
    key: str
    charter: SignedOut
    pack_id: str
    pack: str
    installation: str
    name: str
    side: Literal["player", "server"]


class Paired(Looked):
    token: str


class OrderOut(Schema):
    id: int
    what: str
    given: dict[str, Any]


class MilestoneHead(Schema):
    """A moment of a playthrough at which the world of that name is backed up."""

    id: str
    name: str
    world: str


class BesideHead(Schema):
    """A collection that the member takes up beside the pack. `mark`: of its crew's charter; `statement`: its pack's
    signed word; `refused`: builds of it that do not go together with the pack, and why.
    """

    pack: str
    name: str
    number: str
    sha256: str
    mark: str
    refused: dict[str, str]
    statement: SignedOut | None


class BesideCodeIn(Schema):
    code: Short


class Head(Schema):
    """`number`: the release that this installation follows by its member's choice, `newest` the pack's own, empty
    while none is open. `statement`: the pack's signed word, which
    goes before all of this; `word`: where that is handed out for whoever watches. Sources: where they are now; one that
    begins with `/` is this site. `line`: KB a second at most; `most`: MB at once; 0: any. `keep`: backups made before
    syncs that stay.
    """

    number: str
    sha256: str
    newest: str
    statement: SignedOut
    word: str
    sources: dict[str, str]
    left_out: list[str]
    worlds: dict[str, list[str]]
    line: int
    most: int
    keep: int
    tells_settings: bool
    sets: list[str]
    pinned: list[tuple[str, list[str]]]
    milestones: list[MilestoneHead]
    beside: list[BesideHead]
    order: OrderOut | None


def no_null(text: str) -> str:
    """The database keeps every character but one."""
    if "\x00" in text:
        raise ValueError("a null character is not allowed")
    return text


Plain = Annotated[str, AfterValidator(no_null)]


Text = Annotated[Plain, Field(max_length=600)]


Path300 = Annotated[Plain, Field(max_length=300)]


Paths = Annotated[list[Path300], Field(max_length=200)]


Count = Annotated[int, Field(ge=0, lt=2**53)]


class MachineIn(Schema):
    memory_mb: Count
    disk_free: Count
    runtimes: Annotated[list[Annotated[Plain, Field(max_length=20)]], Field(max_length=20)]
    system: Annotated[Plain, Field(max_length=40)]


class WorldIn(Schema):
    sentence: Text
    note: Text


class RewrittenIn(Schema):
    """A settings file that loses comments, as they stand within a list that is written anew."""

    path: Path300
    comments: Count


class PlanIn(Schema):
    release: Short
    counts: Annotated[dict[Act, Count], Field(max_length=len(Act))]
    left_alone: Count
    merged: Paths
    rewritten: Annotated[list[RewrittenIn], Field(max_length=200)] = []
    mine: Paths
    aside: Paths
    extras: Paths
    fetch: Count
    fetch_bytes: Count
    place_bytes: Count
    seconds: Annotated[int, Field(ge=-1, lt=2**31)]
    worlds: Annotated[list[WorldIn], Field(max_length=200)]


class PlayedIn(Schema):
    """A release that a world was played with, and until when."""

    name: Annotated[Plain, Field(max_length=200)]
    number: Short
    until: Annotated[Plain, Field(max_length=40)]


class WorldThereIn(Schema):
    """A saved world, and the mods whose content was placed in it; when it was played last, and with what; what in that
    changes progress.
    """

    world: Path300
    holds: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=200)]
    size: Count = 0
    changed: Annotated[Plain, Field(max_length=40)] = ""
    played: Annotated[list[PlayedIn], Field(max_length=20)] = []
    progress: Annotated[list[Path300], Field(max_length=20)] = []


class IntoWorldIn(Schema):
    """Content of these mods goes into a world, too; or instead of into another, which is called so now."""

    world: Path300
    mods: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=200)]
    instead_of: Path300 = ""


class StepIn(Schema):
    id: Annotated[Plain, Field(max_length=80)]
    text: Annotated[Plain, Field(max_length=2000)]
    check: Literal["none", "exists", "changed"]
    path: Path300
    done: bool
    seen: bool


class BackupIn(Schema):
    id: Annotated[str, Field(pattern=r"^[0-9-]{10,60}$")]
    made_at: Moment
    why: Annotated[Plain, Field(max_length=200)]
    release: Short
    by_hand: bool
    files: Count
    size: Count
    holds: Text = ""
    """Which worlds, how many files, in words."""
    damaged: Text = ""
    """Why it could not be restored whole; empty as far as is known."""


class SettingIn(Schema):
    key: Text
    mine: Text
    new: Text


class NoteIn(Schema):
    path: Path300
    changed: Annotated[list[Text], Field(max_length=2000)] = []
    kept: Annotated[list[SettingIn], Field(max_length=2000)] = []
    overruled: Annotated[list[SettingIn], Field(max_length=2000)] = []
    comments_lost: Count = 0
    problem: Text = ""
    beside: Annotated[Plain, Field(max_length=320)] = ""


class HistoryIn(Schema):
    id: Short
    before: Short
    release: Short
    counts: Annotated[dict[Annotated[Plain, Field(max_length=20)], Count], Field(max_length=10)]
    moved: Paths
    notes: Annotated[list[NoteIn], Field(max_length=200)]
    backup: Annotated[Plain, Field(max_length=60)]
    undoes: bool
    mods: Annotated[list[Text], Field(max_length=300)] = []
    """What came, moved and left, a sentence each."""


class StrayedIn(Schema):
    path: Path300
    key: Annotated[Plain, Field(max_length=200)]
    wanted: Annotated[Plain, Field(max_length=200)]
    there: Annotated[Plain, Field(max_length=200)]


MOST_OF_A_VALUE = 400
"""Characters of one value as JSON."""


class OwnSettingIn(Schema):
    """A key that its member has otherwise than it was placed; no value where there is none."""

    path: Path300
    key: list[Annotated[Plain, Field(max_length=300)]] = Field(min_length=1, max_length=40)
    mine: Any = None
    was: Any = None

    @field_validator("mine", "was")
    @classmethod
    def short(cls, value: Any) -> Any:
        """As JSON a value stays within what anybody reads."""
        if len(json.dumps(value)) > MOST_OF_A_VALUE:
            raise ValueError("a value is longer than anybody reads")
        return value


class NotLaidIn(Schema):
    """A build of a collection that is not laid down, and why."""

    name: Annotated[Plain, Field(max_length=300)]
    version: Annotated[Plain, Field(max_length=300)]
    because: Text


class BesideIn(Schema):
    """A collection beside the pack: the release that the next sync lays down, and the one that lies there; how many of
    its mods, and how many of those are not as they should be.
    """

    pack: Annotated[Plain, Field(max_length=60)]
    name: Annotated[Plain, Field(max_length=300)]
    number: Short
    has: Short
    mods: Count
    off: Count
    errands: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=500)]
    left_out: Annotated[list[NotLaidIn], Field(max_length=200)]


class AboutIn(Schema):
    """What an agent tells beside its deviations (`convoy_agent.report`). Kept as it stands, within these bounds."""

    at: Moment
    machine: MachineIn
    plan: PlanIn
    errands: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=2000)]
    errand_minutes: Count
    strayed: Annotated[list[StrayedIn], Field(max_length=200)]
    found: Annotated[dict[Path300, Annotated[str, Field(pattern="^[0-9a-f]{64}$")]], Field(max_length=200)]
    choices: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=500)]
    steps: Annotated[list[StepIn], Field(max_length=500)]
    undo: Short = ""
    """The release that taking the last sync back leads to; empty: there is nothing to take back."""
    worlds: Annotated[list[WorldThereIn], Field(max_length=200)] = []
    backups: Annotated[list[BackupIn], Field(max_length=30)]
    history: Annotated[list[HistoryIn], Field(max_length=30)]
    settings: Annotated[list[OwnSettingIn], Field(max_length=300)] = []
    written: Annotated[dict[Path300, Sha256], Field(max_length=60)] = {}
    """Settings files that the game or a mod wrote, with their hashes. Both are told only where the member allowed it.
    """
    sets: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=30)] = []
    """Offered sets of settings that are in what was placed."""
    had_before: Count = 0
    """Files of the pack that lay there before joining."""
    beside: Annotated[list[BesideIn], Field(max_length=MOST_BESIDE)] = []
    remarks: Annotated[list[Text], Field(max_length=20)] = []
    """What the agent found wrong with what it keeps, and what it did about it."""


class WantedFileOut(Schema):
    """A file that is to be read: its member in the archive, and the path at which it lies, or would."""

    member: str
    path: str
    sha256: str


class WantedArchiveOut(Schema):
    archive_sha256: str
    files: list[WantedFileOut]


class ReadFileIn(Schema):
    """What an agent read in one file: rows of a key and a value, or why it cannot be read. Never the file."""

    sha256: Sha256
    keys: Annotated[list[Any], Field(max_length=MOST_KEYS)] = []
    trouble: Short = ""


class ReadFilesIn(Schema):
    files: Annotated[list[ReadFileIn], Field(max_length=200)]


class TakenOut(Schema):
    taken: int


class ReportIn(Schema):
    """`serial`: grows with each report of a folder, so that one that comes late overwrites none."""

    release: Short
    release_sha256: Annotated[str, Field(pattern="^([0-9a-f]{64})?$")] = ""
    serial: Annotated[int, Field(ge=0, lt=2**62)] = 0
    deviations: Annotated[dict[Path300, Deviation], Field(max_length=MAX_DEVIATIONS)]
    fingerprint: Annotated[Plain, Field(max_length=9)] = ""
    about: AboutIn | None = None


class OrderDone(Schema):
    id: int
    said: Annotated[Plain, Field(max_length=2000)]
    refused: bool


class HoldOut(Schema):
    """What the member asks meanwhile: `pause`, `stop`, or nothing."""

    hold: str


class Known(Schema):
    name: str


class UnderWayIn(Schema):
    name: Annotated[Plain, Field(max_length=200)]
    done: Count
    total: Count


class ProgressIn(Schema):
    phase: Literal["fetching", "unpacking", "placing", "checking", "stopped", "paused", "waiting for errands"]
    what: Annotated[Plain, Field(max_length=200)] = ""
    done: Count = 0
    total: Count = 0
    rate: Count = 0
    seconds_left: Annotated[int, Field(ge=-1, lt=2**31)] = -1
    files_done: Count = 0
    files: Count = 0
    under_way: Annotated[list[UnderWayIn], Field(max_length=8)] = []
    error: Annotated[Plain, Field(max_length=2000)] = ""
