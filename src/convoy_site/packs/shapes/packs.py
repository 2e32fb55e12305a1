"""Shapes of packs, drafts, lines, edits and findings."""

from datetime import date, datetime
from enum import StrEnum
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.draft.lines import LineState
from convoy_core.lock.change_log import What
from convoy_core.lock.terms import Check, How
from convoy_core.words.model import Channel, Kind, Pickup, Reach, Side

from ...people.models import Role
from ...shapes import Name, Schema, Short, Text
from ..models import EMBLEMS, Pack
from .edits import EditIn

Emblem = Annotated[str, Field(pattern="^(" + "|".join(EMBLEMS) + ")$")]


class BaseOut(Schema):
    game: str
    game_name: str
    game_version: str
    game_label: str
    loader: str
    loader_name: str
    loader_version: str


class SuitsIn(Schema):
    """Of a collection: ranges of game versions, and of the versions of each loader; no loader named means any."""

    games: Short = "*"
    loaders: dict[Name, Short] = Field(default={}, max_length=20)


class SuitsOut(Schema):
    games: str
    loaders: dict[str, str]
    words: str
    """The same as people say it."""


class PackIn(Schema):
    """With `suits` it is a collection, and its base the one that it is tried on."""

    crew: UUID
    game: Name
    name: Name
    emblem: Emblem = EMBLEMS[0]
    group: Short = ""
    notes: Text = ""
    game_version: Name
    loader: Short = ""
    loader_version: Short = ""
    suits: SuitsIn | None = None


class PackChange(Schema):
    name: Name | None = None
    emblem: Emblem | None = None
    group: Short | None = None
    notes: Text | None = None
    suits: SuitsIn | None = None
    kept: bool | None = None


class PackRow(Schema):
    """`newest_release`: what members follow who did not choose otherwise; empty while none is open. `retired`: why
    nobody works on it any more; empty while they do. `role`: what its reader may do with it, which is a member's part
    while it is retired. `suits`: of a collection; none of a pack.
    """

    id: UUID
    name: str
    emblem: str
    group: str
    crew: str
    role: Role
    base: BaseOut
    chosen: int
    newest_release: str
    installations: int
    retired: str
    suits: SuitsOut | None


class PackOut(PackRow):
    """`owner`: whether its reader owns its crew. `kept`: its curators keep the draft to themselves; `kept_until`: a
    sealed release keeps it.
    """

    owner: bool
    crew_id: UUID
    notes: str
    revision: int
    kept: bool
    kept_until: datetime | None


class NamedMod(Schema):
    mod: str
    name: str


class WayOutOut(Schema):
    """A change that was tried and frees a line; `edit` carries it out."""

    text: str
    edit: Annotated[EditIn, Field(discriminator="do")]


class Group(StrEnum):
    CHOSEN = "chosen"
    COLLECTION = "collection"
    BROUGHT_IN = "brought in"


class LineOut(Schema):
    """One line of the manifest. An unsettled one tells `why`; `newer`: a newer build that fits. `kept_for`: lines that
    are off, whose needs keep this one in. `collection`: the id of the one that it is a line of.
    """

    mod: str
    name: str
    summary: str
    kind: Kind | Literal[""]
    group: Group
    collection: str
    state: LineState
    on: bool
    why: str
    ways: list[WayOutOut]
    version: str
    channel: Channel | Literal[""]
    newer: str
    held: bool
    held_because: str
    order: int
    side: Side | Literal[""]
    reach: Reach | Literal[""]
    size: int
    pickup: Pickup | Literal[""]
    errand: bool
    licence: str
    needed_by: list[str]
    kept_for: list[str]
    optional: bool
    advice: str
    tags: list[str]
    note: str
    updated: date | None
    category: str
    verdict: str
    """What the crew says of its build on this base."""


class DemandOut(Schema):
    """What the pack asks of a machine: memory in MB, disk in bytes beside the game; `estimated` builds gave none.
    The machines, in MB, are one that gives it safely, and the smallest that can.
    """

    minimum: int
    recommended: int
    disk: int
    estimated: int
    comfortable_machine: int
    smallest_machine: int
    shares: str


class TweakOut(Schema):
    """One setting that the pack sets: enforced, a starting value, or advice."""

    path: str
    key: list[str]
    value: str | int | float | bool | list[str | int | float | bool]
    how: How
    side: Side = Side.BOTH
    by: str = ""
    at: datetime | None = None
    because: str = ""
    set: str = ""


class TweakSetOut(Schema):
    """Settings that are switched on and off as one."""

    id: str
    name: str
    on: bool
    offered: bool = False


class HandStepOut(Schema):
    """Something that only a person can do; `check` is none, exists or changed, looking at `path`."""

    id: str
    text: str
    check: Check
    path: str


class OtherwiseOut(Schema):
    """A line of a collection in whose stead the pack has another: `instead`, the build that counts (empty: it is left
    out), `by` the collection that it is of (empty: the pack's own).
    """

    mod: str
    name: str
    version: str
    instead: str
    by: str


class SetOtherwiseOut(Schema):
    path: str
    key: list[str]
    theirs: str
    ours: str


class CollectionOut(Schema):
    """A collection under the draft. `newer`: the number of a release to move to; `withdrawn`, `misfit`: why its release
    should not stay; `lines`: those that count; `shared`: those that others have in the same build.
    """

    id: str
    name: str
    emblem: str
    crew: str
    number: str
    held: bool
    newer: str
    withdrawn: str
    misfit: str
    lines: int
    shared: int
    settings: int
    steps: int
    otherwise: list[OtherwiseOut]
    sets_otherwise: list[SetOtherwiseOut]
    is_seen: bool
    """Whether its reader may open it."""


class OfferedOut(Schema):
    """A collection that could be taken up; `number`: its newest release that suits the base, else `why` it cannot."""

    id: UUID
    name: str
    emblem: str
    crew: str
    notes: str
    suits: str
    number: str
    mods: int
    why: str


class DraftOut(Schema):
    revision: int
    lines: list[LineOut]
    collections: list[CollectionOut]
    chosen: int
    through: int
    """Lines of collections."""
    brought_in: int
    unsettled: int
    off: int
    download: int
    errands: int
    demand: DemandOut
    tweaks: list[TweakOut]
    holding: int
    """How many settings the next release sets: not those of sets that are off or that members choose."""
    enforced: int
    """Of these."""
    tweak_sets: list[TweakSetOut]
    steps: list[HandStepOut]
    undo: int | None
    redo: int | None
    """Revisions of the edits that one's own undoing and redoing would take back."""


class EditsIn(Schema):
    """Edits made against `revision`. `rehearse` answers what they would do and keeps nothing; `ask` does so
    where they would do more than they say. `with_draft`: where they are kept, the answer has the draft as it is then.
    """

    revision: Annotated[int, Field(ge=0, lt=2**31)]
    edits: Annotated[list[Annotated[EditIn, Field(discriminator="do")]], Field(min_length=1, max_length=500)]
    rehearse: bool = False
    ask: bool = False
    with_draft: bool = False


class ChangeOut(Schema):
    what: What
    mod: str
    name: str
    before: str
    after: str
    chosen: bool


class UnsettledOut(Schema):
    mod: str
    name: str
    why: str
    core: list[str]
    ways: list[WayOutOut]


class StayingOut(Schema):
    """A mod that was to go and stays; `for_lines`: the chosen lines from which needs lead to it."""

    mod: str
    name: str
    for_lines: list[NamedMod]


class OtherBuildOut(Schema):
    """A build that comes in the place of the one that was promised (`wanted`), and why that does not."""

    mod: str
    name: str
    version: str
    wanted: str
    why: str


class OutcomeOut(Schema):
    """What edits did, or would do where they are not `kept`. `more`: they do more than was asked; `effects` says it."""

    revision: int
    sentence: str
    changes: list[ChangeOut]
    unsettled: list[UnsettledOut]
    left_out: list[UnsettledOut]
    settled_again: list[str]
    meanwhile: list[str]
    staying: list[StayingOut]
    other_builds: list[OtherBuildOut]
    effects: str
    more: bool
    kept: bool
    draft: DraftOut | None = None


class EditOut(Schema):
    revision: int
    by: str
    at: datetime
    sentence: str
    subjects: list[str]
    mine: bool
    takes_back: int | None
    taken_back: bool


def base_out(pack: Pack) -> BaseOut:
    profile, draft = pack.game.profile, pack.draft
    loader = profile.loader(draft.loader).name if draft.loader else ""
    return BaseOut(
        game=pack.game_id,
        game_name=profile.name,
        game_version=draft.game_version,
        game_label=profile.game_version(draft.game_version).label,
        loader=draft.loader,
        loader_name=loader,
        loader_version=draft.loader_version,
    )
