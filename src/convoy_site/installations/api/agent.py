"""What agents ask and tell. An agent shows a token, and sees nothing but its own installation's pack."""

from datetime import datetime
from typing import Annotated, Any, Literal

from django.core.files.storage import default_storage
from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest, HttpResponse
from ninja import Path, Router, Schema
from ninja.security import HttpBearer
from pydantic import AfterValidator, Field

from convoy_core.lock.signing import key_fingerprint
from convoy_core.sync.deviations import Deviation

from ...catalogue import own
from ...catalogue.models import Source
from ...people.rights import NotFound
from ...releases.keys import public_key
from ...releases.services import releases_of
from ...sending import send_file
from ...shapes import Done, Short
from .. import asking, services
from ..models import Installation
from ..services import MAX_DEVIATIONS
from ..standings import followed, target_of


class AgentToken(HttpBearer):
    """Lets in who shows the token of a paired installation, and hands that installation on."""

    def authenticate(self, request: HttpRequest, token: str) -> Installation | None:
        return services.by_token(token)


router = Router(tags=["agent"], auth=AgentToken())


class PairIn(Schema):
    code: Short


class Looked(Schema):
    """What a pairing code opens."""

    public_key: str
    key: str
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


class Head(Schema):
    """`number`: the release that this installation follows by its member's choice, `newest` the pack's own, empty
    while none is open. Sources: where they are now; one that begins with `/` is this site. `line`: KB a second at
    most; `most`: MB at once; 0: any.
    """

    number: str
    newest: str
    sources: dict[str, str]
    left_out: list[str]
    line: int
    most: int
    order: OrderOut | None


def _no_null(text: str) -> str:
    """The database keeps every character but one."""
    if "\x00" in text:
        raise ValueError("a null character is not allowed")
    return text


Plain = Annotated[str, AfterValidator(_no_null)]
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


class PlanIn(Schema):
    release: Short
    counts: Annotated[dict[Literal["place", "replace", "merge", "aside", "remove"], Count], Field(max_length=5)]
    left_alone: Count
    merged: Paths
    mine: Paths
    aside: Paths
    extras: Paths
    fetch: Count
    fetch_bytes: Count
    place_bytes: Count
    seconds: Annotated[int, Field(ge=-1, lt=2**31)]
    worlds: Annotated[list[WorldIn], Field(max_length=200)]


class StepIn(Schema):
    id: Annotated[Plain, Field(max_length=80)]
    text: Annotated[Plain, Field(max_length=2000)]
    check: Literal["none", "exists", "changed"]
    path: Path300
    done: bool
    seen: bool


class BackupIn(Schema):
    id: Annotated[str, Field(pattern=r"^[0-9-]{10,60}$")]
    made_at: datetime
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


class AboutIn(Schema):
    """What an agent tells beside its deviations (`convoy_agent.report`). Kept as it stands, within these bounds."""

    at: datetime
    machine: MachineIn
    plan: PlanIn
    errands: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=2000)]
    errand_minutes: Count
    strayed: Annotated[list[StrayedIn], Field(max_length=200)]
    found: Annotated[dict[Path300, Annotated[str, Field(pattern="^[0-9a-f]{64}$")]], Field(max_length=200)]
    choices: Annotated[list[Annotated[Plain, Field(max_length=80)]], Field(max_length=500)]
    steps: Annotated[list[StepIn], Field(max_length=50)]
    undo: Short = ""
    """The release that taking the last sync back leads to; empty: there is nothing to take back."""
    backups: Annotated[list[BackupIn], Field(max_length=30)]
    history: Annotated[list[HistoryIn], Field(max_length=30)]
    had_before: Count = 0
    """Files of the pack that lay there before joining."""
    remarks: Annotated[list[Text], Field(max_length=20)] = []
    """What the agent found wrong with what it keeps, and what it did about it."""


class ReportIn(Schema):
    release: Short
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


@router.post("/agent/pair", auth=None, response=Paired, operation_id="agent_pair")
def pair(request: HttpRequest, body: PairIn) -> Paired:
    installation, token = services.pair(body.code, request.META.get("REMOTE_ADDR", ""))
    return Paired(token=token, **_looked(installation))


@router.post("/agent/pair/look", auth=None, response=Looked, operation_id="agent_pair_look")
@transaction.atomic
def look(request: HttpRequest, body: PairIn) -> Looked:
    """What a pairing code opens, and by which key: asked before the code is used up, or anything is copied."""
    return Looked(**_looked(services.opened_by(body.code, request.META.get("REMOTE_ADDR", ""))))


def _looked(installation: Installation) -> dict[str, Any]:
    return {
        "public_key": public_key().hex(),
        "key": key_fingerprint(public_key()),
        "pack_id": str(installation.pack_id),
        "pack": installation.pack.name,
        "installation": str(installation.id),
        "name": installation.name,
        "side": installation.side,
    }


@router.get("/agent/head", response=Head, operation_id="agent_head")
def head(request: HttpRequest) -> Head:
    installation: Installation = request.auth
    pack = installation.pack
    releases = list(releases_of(pack).select_related("withdrawal"))
    target, open_to = target_of(installation, releases), followed(installation, releases)
    if target is None:
        raise NotFound(f"{pack.name} has no open release.", now="Come back when one is published.")
    services.seen_watching(installation)
    order = asking.pending(installation)
    shown = Source.objects.filter(Q(crew=None) | Q(crew=pack.crew_id), game=pack.game_id)
    return Head(
        number=target.number,
        newest=open_to[0].number if open_to else "",
        sources=dict(shown.values_list("id", "address")),
        left_out=installation.left_out,
        line=installation.line_kb,
        most=installation.most_mb,
        order=OrderOut(**order) if order else None,
    )


@router.post("/agent/order", response=Done, operation_id="agent_order")
def order(request: HttpRequest, body: OrderDone) -> Done:
    """How an order went that the head gave."""
    asking.order_done(request.auth, body.id, body.said, body.refused)
    return Done()


@router.post("/agent/left", response=Done, operation_id="agent_left")
def left(request: HttpRequest) -> Done:
    """The installation was left on its machine: it is heard from no more, and its token opens nothing."""
    services.left(request.auth)
    return Done()


@router.get("/agent/known/{sha256}", response=Known, operation_id="agent_known")
def known(request: HttpRequest, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> Known:
    """Which build an archive is, so that a member who brings a wrong one is told which."""
    return Known(name=services.known_archive(request.auth.pack, sha256))


@router.get("/agent/own/{sha256}", operation_id="agent_own_file")
def own_file(request: HttpRequest, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> HttpResponse:
    """An archive of the crew's own, for an installation of one of its packs."""
    file = own.own_file(request.auth.pack.crew, sha256)
    return send_file(request, default_storage.open(file.place), file.size, file.sha256)


@router.get("/agent/releases/{number}", operation_id="agent_release")
def release(request: HttpRequest, number: Short) -> HttpResponse:
    """The signed bytes of a release; the signature and its key are in headers, as hex."""
    found = services.release_for(request.auth, number)
    return HttpResponse(
        bytes(found.document),
        content_type="application/json",
        headers={
            "Convoy-Signature": bytes(found.signature).hex(),
            "Convoy-Key": bytes(found.public_key).hex(),
            "Cache-Control": "private, immutable, max-age=31536000",
        },
    )


@router.post("/agent/report", response=Done, operation_id="agent_report")
def report(request: HttpRequest, body: ReportIn) -> Done:
    about = body.about.model_dump(mode="json", exclude={"strayed", "found"}) if body.about else {}
    told = services.Told(
        body.release,
        body.deviations,
        body.fingerprint,
        [row.dict() for row in body.about.strayed] if body.about else [],
        body.about.found if body.about else {},
        about,
    )
    services.take_report(request.auth, told)
    return Done()


@router.post("/agent/progress", response=HoldOut, operation_id="agent_progress")
def progress(request: HttpRequest, body: ProgressIn) -> HoldOut:
    return HoldOut(hold=services.hear_progress(request.auth, body.dict()))
