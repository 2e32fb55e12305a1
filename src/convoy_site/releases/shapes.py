"""Shapes of releases, change logs and join codes."""

from collections.abc import Collection
from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.draft.following import LeadChanged, PlaceKind
from convoy_core.lock.change_log import What
from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.trust.charter import Duty
from convoy_core.words.model import Side

from ..packs.models import LeadFrom
from ..packs.shapes.packs import ChangeOut
from ..shapes import Moment, Name, Schema, Short, Text
from .as_files.packing import Shape
from .models import MakingState, Release

Number = Annotated[str, Field(pattern=r"^\d{1,6}(\.\d{1,6}){0,3}(-[0-9A-Za-z.]{1,20})?$", max_length=40)]


class ReleaseRow(Schema):
    """`withdrawn`: why nobody is to install it any more; empty for one that stands. `open`: members may follow it who
    did not choose otherwise; `only_open`: none would be left without it. `may_promote`: a trial one that stands.
    """

    number: str
    channel: ReleaseChannel
    withdrawn: str
    open: bool
    only_open: bool
    may_promote: bool
    sealed_until: datetime | None
    """Of one that is sealed still: its hour."""
    hidden: bool
    """What is in it is not for its reader yet: counts are 0, and nothing is told."""
    published_at: datetime
    published_by: str
    builds: int
    fingerprint: str
    added: int
    updated: int
    removed: int


class DespiteOut(Schema):
    """A blocker that stood when the release was published, and why it was published all the same."""

    what: str
    because: str


class ReleaseOut(ReleaseRow):
    """`announcement`: empty in releases from before there were any. `since`: the release that its followers had before;
    empty for the first.
    """

    since: str
    notes: str
    announcement: str
    announcement_markdown: str
    let_in: list[str]
    """Of a sealed one, for its curators: who sees it beside them."""
    base: str
    changes: list[ChangeOut]
    despite: list[DespiteOut]


class BuildLog(Schema):
    version: str
    text: str


class LoggedChange(ChangeOut):
    """`logs`: what its author says of all builds in between, the newest first."""

    logs: list[BuildLog]


class ChangeLogOut(Schema):
    """From release `since` (empty: from nothing) to `until`. `worlds`: what happens to saved worlds, in sentences."""

    since: str
    until: str
    base_before: str
    base: str
    rows: list[LoggedChange]
    worlds: list[str]


class AnnouncementOut(Schema):
    text: str


class AnnouncementIn(Schema):
    number: Number
    channel: ReleaseChannel = ReleaseChannel.STABLE
    notes: Text = ""


class PublishedOut(Schema):
    """`waits`: it lacks signatures that the site cannot give, and nobody gets it before."""

    number: str
    waits: bool


class WaitsOut(Schema):
    """A release that waits: `signed` of `needed` signatures are there."""

    number: str
    channel: ReleaseChannel
    signed: int
    needed: int
    made_by: str
    made_at: datetime


class ToSignOut(Schema):
    """What a pack's people have to sign. `older`: releases that a newer charter left without enough signatures."""

    waits: WaitsOut | None
    older: list[str]


class KeyOut(Schema):
    """`fingerprint`: as people compare it; `on_site`: it lies on the site."""

    fingerprint: str
    public: str
    on_site: bool


class DutyOut(Schema):
    duty: Duty
    threshold: int
    keys: list[KeyOut]


class UnsignedOut(Schema):
    pack: UUID
    name: str
    releases: int


class CharterOut(Schema):
    """Who may sign what for a crew. `mark`: what machines pin; `ends_soon`: its owner has to renew it."""

    mark: str
    version: int
    expires: datetime | None
    ends_soon: bool
    duties: list[DutyOut]
    unsigned: list[UnsignedOut]
    """Packs with releases that stand and lack signatures under it."""
    may_change: bool


class Pending(Schema):
    """What publishing now would do in a channel, against release `since` (empty: the first). `suggested`: a number;
    `base_before` is empty unless the base moves; `nothing`: the channel has exactly this already. `trial`: the
    number of a trial release that holds exactly this.
    """

    revision: int
    since: str
    suggested: str
    nothing: bool
    empty: bool
    trial: str
    base_before: str
    base: str
    changes: list[ChangeOut]


class PublishIn(Schema):
    revision: Annotated[int, Field(ge=0, lt=2**31)]
    number: Number
    channel: ReleaseChannel = ReleaseChannel.STABLE
    notes: Text = ""
    despite: Short = ""
    """Why it is published though blockers stand."""
    announcement: Text = ""
    """As its curator has it; where it is empty, the product's own is taken."""
    sealed_until: Moment | None = None
    let_in: list[Name] = Field(default=[], max_length=50)


class LetInIn(Schema):
    people: list[Name] = Field(max_length=50)


class PromoteIn(Schema):
    number: Number
    notes: Text = ""
    despite: Annotated[str, Field(max_length=300)] = ""
    """Why, though a playthrough forbids something of it."""


class WithdrawIn(Schema):
    why: Annotated[str, Field(min_length=1, max_length=300)]


class AskedFor(Schema):
    """What goes into a file. `number` empty: the draft; `side`: whose share."""

    number: Short = ""
    form: Shape = Shape.BAG
    side: Side = Side.BOTH
    builds: bool = True
    own: bool = True


class PackingIn(AskedFor):
    """As it was looked at before."""


class OutsideOut(Schema):
    """A build that would not be inside. `address`: where any program fetches it; empty: a person has to."""

    name: str
    version: str
    why: str
    address: str
    size: int


class PackingPlan(Schema):
    """Sizes in bytes."""

    inside: int
    builds: int
    outside: list[OutsideOut]


class PackingOut(Schema):
    """`number` empty: of the draft. `told`: why it failed. `left`: what is not inside, each with the reason."""

    id: UUID
    number: str
    form: Shape
    side: Side
    name: str
    state: MakingState
    done: int
    total: int
    told: str
    left: list[str]
    size: int
    by: str
    at: datetime


class BeginIn(Schema):
    name: Name


class MissingOut(Schema):
    """A build that cannot be had here. `page`: where people get it."""

    name: str
    version: str
    why: str
    page: str


class OpeningOut(Schema):
    """What a file holds, and how far a worker is. `mark`: of the keys that signed it; empty where `doubt` says why
    nobody can tell. `known`: in this site's sources; `comes`: along with the file; `game`: what the game
    is called that comes along, too. `told`: what came of it.
    """

    id: UUID
    state: MakingState
    begun: bool
    told: str
    pack: UUID | None
    pack_name: str
    number: str
    base: str
    notes: str
    fingerprint: str
    mark: str
    doubt: str
    known: list[str]
    comes: list[str]
    missing: list[MissingOut]
    own_files: int
    settings: int
    steps: int
    game: str


class MoveIn(Schema):
    crew: UUID


class CodeOut(Schema):
    code: str
    made_by: str
    made_at: datetime
    uses_left: int | None
    withdrawn: bool


class CodeIn(Schema):
    uses: Annotated[int, Field(ge=1, le=1000)] | None = None


class OpenedCode(Schema):
    """What a join code opens."""

    code: str
    pack: str
    emblem: str
    crew: str
    owner: str
    notes: str
    base: str
    release: str
    builds: int
    download: int
    already_in_crew: bool
    changes_progress: list[str]
    """Mods by which worlds that are played with it are kept apart."""
    is_collection: bool
    """It is taken up beside a pack, and joined by nobody."""
    game: str


class FollowLeadIn(Schema):
    """`lead`: a pack's id, or the address of a public page. `begun`: this pack began as what the lead says now."""

    where: Literal["releases", "draft", "address"]
    lead: Annotated[str, Field(min_length=1, max_length=400)]
    begun: bool = False


class ProposeIn(Schema):
    places: list[Annotated[str, Field(max_length=600)]] = Field(min_length=1, max_length=2_000)
    words: Annotated[str, Field(max_length=1_000)] = ""


class AnswerProposalIn(Schema):
    words: Annotated[str, Field(min_length=1, max_length=1_000)]


class LeadOut(Schema):
    """`number`: what was taken last, empty while nothing was; `newest`: what it says now, as it was looked at."""

    where: LeadFrom
    pack: UUID | None
    address: str
    name: str
    number: str
    newest: str
    notes: str
    mark: str
    looked_at: datetime | None
    may_propose: bool


class LeadOfferOut(Schema):
    """A change at the lead, with the three sides in words; empty: that side says nothing. `missing`: no source here has
    that build.
    """

    place: str
    kind: PlaceKind
    name: str
    changed: LeadChanged
    taken: str
    mine: str
    theirs: str
    missing: bool


class OwnWayOut(Schema):
    place: str
    kind: PlaceKind
    name: str
    theirs: str
    mine: str


class ProposedOut(Schema):
    place: str
    kind: PlaceKind
    name: str
    before: str
    after: str
    taken: bool


class ProposalOut(Schema):
    """What the curators of `of` propose to `pack`."""

    id: UUID
    pack: str
    of: str
    by: str
    at: datetime
    words: str
    changes: list[ProposedOut]
    answered_at: datetime | None
    answered_by: str
    answer: str


class LeadPage(Schema):
    """`lead`: none while the pack follows nobody. `proposals`: to this pack; `proposed`: by it."""

    revision: int
    lead: LeadOut | None
    offers: list[LeadOfferOut]
    otherwise: list[OwnWayOut]
    proposals: list[ProposalOut]
    proposed: list[ProposalOut]


def release_row(release: Release, only_open: bool = False, hidden: Collection[int] = ()) -> dict[str, Any]:
    """`hidden`: releases of which the reader is not shown what is in them. Needs its seal."""
    is_hidden = release.pk in hidden
    counts = [] if is_hidden else [row["what"] for row in release.changes]
    is_sealed = hasattr(release, "seal") and release.seal.is_closed
    return {
        "number": release.number,
        "channel": release.channel,
        "withdrawn": release.withdrawal.why if release.is_withdrawn else "",
        "open": release.is_open(),
        "only_open": only_open and release.is_open(),
        "sealed_until": release.seal.until if is_sealed else None,
        "hidden": is_hidden,
        "may_promote": release.channel == ReleaseChannel.TRIAL and not release.is_withdrawn,
        "published_at": release.published_at,
        "published_by": release.published_by.shown,
        "builds": release.builds,
        "fingerprint": release.fingerprint,
        "added": counts.count(What.ADDED),
        "updated": counts.count(What.UPDATED) + counts.count(What.TAKEN_BACK),
        "removed": counts.count(What.REMOVED),
    }
