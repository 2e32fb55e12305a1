"""What agents ask and tell. An agent shows a token, and sees nothing but its own installation's pack."""

from typing import Annotated, Literal

from django.core.files.storage import default_storage
from django.db.models import Q
from django.http import HttpRequest, HttpResponse
from ninja import Path, Router, Schema
from ninja.security import HttpBearer
from pydantic import Field

from convoy_core.rollcall import Deviation
from convoy_core.signing import key_fingerprint

from ..catalogue import own
from ..catalogue.models import Source
from ..people.rights import NotFound
from ..releases.keys import public_key
from ..releases.services import newest_release
from ..sending import send_file
from ..shapes import Done, Short
from . import services
from .models import Installation

MAX_DEVIATIONS = 10_000
"""Paths in one report. An agent with more sends that many: nobody reads further, and the state is the same."""


class AgentToken(HttpBearer):
    """Lets in who shows the token of a paired installation, and hands that installation on."""

    def authenticate(self, request: HttpRequest, token: str) -> Installation | None:
        return services.by_token(token)


router = Router(tags=["agent"], auth=AgentToken())


class PairIn(Schema):
    code: Short


class Paired(Schema):
    token: str
    public_key: str
    key: str
    pack_id: str
    pack: str
    installation: str
    name: str
    side: Literal["player", "server"]


class Head(Schema):
    """The pack's newest release, and where its sources are now; one that begins with `/` is this site."""

    number: str
    sources: dict[str, str]


class ReportIn(Schema):
    release: Short
    deviations: Annotated[dict[Annotated[str, Field(max_length=300)], Deviation], Field(max_length=MAX_DEVIATIONS)]
    fingerprint: Annotated[str, Field(max_length=9)] = ""


class ProgressIn(Schema):
    phase: Literal["fetching", "placing", "checking", "stopped"]
    what: Short = ""
    done: Annotated[int, Field(ge=0, lt=2**53)] = 0
    total: Annotated[int, Field(ge=0, lt=2**53)] = 0
    seconds_left: Annotated[int, Field(ge=-1, lt=2**31)] = -1
    error: Annotated[str, Field(max_length=2000)] = ""


@router.post("/agent/pair", auth=None, response=Paired, operation_id="agent_pair")
def pair(request: HttpRequest, body: PairIn) -> Paired:
    installation, token = services.pair(body.code, request.META.get("REMOTE_ADDR", ""))
    return Paired(
        token=token,
        public_key=public_key().hex(),
        key=key_fingerprint(public_key()),
        pack_id=str(installation.pack_id),
        pack=installation.pack.name,
        installation=str(installation.id),
        name=installation.name,
        side=installation.side,
    )


@router.get("/agent/head", response=Head, operation_id="agent_head")
def head(request: HttpRequest) -> Head:
    installation: Installation = request.auth
    newest = newest_release(installation.pack)
    if newest is None:
        raise NotFound(f"{installation.pack.name} has no release yet.", now="Come back when one is published.")
    pack = installation.pack
    shown = Source.objects.filter(Q(crew=None) | Q(crew=pack.crew_id), game=pack.game_id)
    return Head(number=newest.number, sources=dict(shown.values_list("id", "address")))


@router.get("/agent/own/{sha256}", operation_id="agent_own_file")
def own_file(request: HttpRequest, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> HttpResponse:
    """An archive of the crew's own, for an installation of one of its packs."""
    file = own.own_file(request.auth.pack.crew, sha256)
    return send_file(request, default_storage.open(file.place), file.size, file.sha256)


@router.get("/agent/releases/{number}", operation_id="agent_release")
def release(request: HttpRequest, number: Short) -> HttpResponse:
    """The signed bytes of a release; the signature and its key are in headers, as hex."""
    installation: Installation = request.auth
    found = installation.pack.releases.filter(number=number).first()
    if found is None:
        raise NotFound(f"{installation.pack.name} has no release {number}.")
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
    services.take_report(request.auth, body.release, body.deviations, body.fingerprint)
    return Done()


@router.post("/agent/progress", response=Done, operation_id="agent_progress")
def progress(request: HttpRequest, body: ProgressIn) -> Done:
    services.take_progress(request.auth, body.dict())
    return Done()
