"""What agents ask and tell. An agent shows a token, and sees nothing but its own installation's pack."""

from typing import Annotated, Any, cast
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from ninja import Path, Router

from convoy_core.trust.charter import Duty
from convoy_core.trust.statement import Named

from ...catalogue import own
from ...catalogue.readings import Reported
from ...catalogue.services import addresses
from ...packs.models import Pack
from ...people.rights import NotFound
from ...people.services import asker_address
from ...releases.charters import charters_after, marks_of, newest_charter, signatures_of
from ...releases.lookup import current_release
from ...releases.models import Release
from ...releases.playing import milestones_for
from ...releases.statements import said_with_releases, statements_of
from ...sending import send_file
from ...shapes import Done, Short
from .. import agents, beside, brought, choices, joining, orders, progress, reports, standings, starts
from ..kept import Progress
from ..models import Installation
from ..shapes.agent import (
    BesideCodeIn,
    BesideHead,
    ChartersOut,
    GameToStart,
    Head,
    HoldOut,
    IntoWorldIn,
    Known,
    Looked,
    MilestoneHead,
    OrderDone,
    OrderOut,
    Paired,
    PairIn,
    ProgressIn,
    ReadFilesIn,
    ReportIn,
    SignedOut,
    StartedIn,
    TakenOut,
    WantedArchiveOut,
    WantedFileOut,
)
from ..standings import followed, target_of
from ..tokens import AgentToken, FromAgent

router = Router(tags=["agent"], auth=AgentToken())


@router.post("/agent/pair", auth=None, response=Paired, operation_id="agent_pair")
def pair(request: HttpRequest, body: PairIn) -> Paired:
    installation, token = joining.pair(body.code, asker_address(request))
    return Paired(token=token, **_looked(installation))


@router.post("/agent/pair/look", auth=None, response=Looked, operation_id="agent_pair_look")
def look(request: HttpRequest, body: PairIn) -> Looked:
    """What a pairing code opens, and by which key: asked before the code is used up, or anything is copied."""
    return Looked(**_looked(joining.look(body.code, asker_address(request))))


def _looked(installation: Installation) -> dict[str, Any]:
    found = newest_charter(installation.pack.crew)
    return {
        "public_key": found.charter.duties[Duty.CHARTER].keys[0].hex(),
        "key": found.charter.mark,
        "charter": found.signed.as_data(),
        "pack_id": str(installation.pack_id),
        "pack": installation.pack.name,
        "installation": str(installation.id),
        "name": installation.name,
        "side": installation.side,
    }


@router.get("/agent/head", response=Head, operation_id="agent_head")
def head(request: FromAgent) -> Head:
    installation: Installation = request.auth
    pack = installation.pack
    said, releases = said_with_releases(pack)
    target, open_to = target_of(installation, releases), followed(installation, releases)
    if target is None:
        raise NotFound(f"{pack.name} has no open release.", now="Come back when one is published.")
    progress.seen_watching(installation)
    order = orders.pending(installation)
    holds, rows = installation.holds, beside.rows_of(installation, target)
    return Head(
        number=target.number,
        sha256=target.sha256,
        newest=open_to[0].number if open_to else "",
        statement=SignedOut(**said.as_data()),
        word=f"{settings.WORD_ADDRESS}/{pack.pk}.json",
        sources=addresses(pack.game_id, pack.crew_id, *(row.collection.crew_id for row in rows if row.served)),
        left_out=installation.left_out,
        worlds=installation.worlds,
        line=holds["line_kb"].value,
        most=holds["most_mb"].value,
        keep=holds["kept_backups"].value,
        tells_settings=installation.tells_settings,
        sets=installation.setting_sets,
        pinned=installation.pinned,
        milestones=[
            MilestoneHead(id=str(one.pk), name=one.called, world=one.playthrough.world) for one in milestones_for(pack)
        ],
        beside=_beside_heads(rows),
        order=OrderOut(**order) if order else None,
    )


def _beside_heads(rows: list[beside.Row]) -> list[BesideHead]:
    """Of one without a release nothing is said: what lies there of it stays."""
    if not rows:
        return []
    marks = marks_of({row.collection.crew for row in rows})
    said = statements_of([row.collection for row in rows if row.release])
    return [
        BesideHead(
            pack=str(row.collection.pk),
            name=row.collection.name,
            number=row.release.number if row.release else "",
            sha256=row.release.sha256 if row.release else "",
            mark=marks[row.collection.crew_id],
            refused=dict(row.refused),
            statement=SignedOut(**said[row.collection.pk].as_data()) if row.release else None,
        )
        for row in rows
    ]


@router.post("/agent/beside/look", response=BesideHead, operation_id="agent_beside_look")
def look_beside(request: FromAgent, body: BesideCodeIn) -> BesideHead:
    """What a collection's join code opens, and by which key: asked before it is used up."""
    return _opened_beside(beside.look_at_code(request.auth, body.code))


@router.post("/agent/beside", response=BesideHead, operation_id="agent_beside_take")
def take_beside(request: FromAgent, body: BesideCodeIn) -> BesideHead:
    return _opened_beside(beside.take_up_by_code(request.auth, body.code))


def _opened_beside(collection: Pack) -> BesideHead:
    """Which release of it suits is said by the head."""
    newest = current_release(collection)
    return BesideHead(
        pack=str(collection.pk),
        name=collection.name,
        number=newest.number if newest else "",
        sha256=newest.sha256 if newest else "",
        mark=newest_charter(collection.crew).charter.mark,
        refused={},
        statement=None,
    )


@router.delete("/agent/beside/{collection_id}", response=Done, operation_id="agent_beside_drop")
def drop_beside(request: FromAgent, collection_id: UUID) -> Done:
    beside.leave(request.auth, collection_id)
    return Done()


@router.get(
    "/agent/beside/{collection_id}/charters/{after}", response=ChartersOut, operation_id="agent_beside_charters"
)
def beside_charters(
    request: FromAgent, collection_id: UUID, after: Annotated[int, Path(ge=0, lt=2**31)]
) -> ChartersOut:
    found = charters_after(beside.taken_by(request.auth, collection_id).crew, after)
    return ChartersOut(charters=[SignedOut(**one.as_data()) for one in found])


@router.get("/agent/beside/{collection_id}/releases/{number}", operation_id="agent_beside_release")
def beside_release(request: FromAgent, collection_id: UUID, number: Short) -> HttpResponse:
    """As `agent_release`, of a collection beside the pack."""
    return _signed_release(beside.release_for(request.auth, collection_id, number))


@router.post("/agent/worlds", response=Done, operation_id="agent_into_world")
def into_world(request: FromAgent, body: IntoWorldIn) -> Done:
    """A world was copied, brought over or called otherwise: what was chosen for it goes along."""
    choices.into_world(request.auth, body.world, body.mods, body.instead_of)
    return Done()


@router.get("/agent/charters/{after}", response=ChartersOut, operation_id="agent_charters")
def agent_charters(request: FromAgent, after: Annotated[int, Path(ge=0, lt=2**31)]) -> ChartersOut:
    """Charters of the crew after a version, some at a time: for agents that trust an earlier one."""
    found = charters_after(request.auth.pack.crew, after)
    return ChartersOut(charters=[SignedOut(**one.as_data()) for one in found])


@router.post("/agent/order", response=Done, operation_id="agent_order")
def order(request: FromAgent, body: OrderDone) -> Done:
    """How an order went that the head gave."""
    orders.order_done(request.auth, body.id, body.said, body.refused)
    return Done()


@router.post("/agent/left", response=Done, operation_id="agent_left")
def left(request: FromAgent) -> Done:
    """The installation was left on its machine: it is heard from no more, and its token opens nothing."""
    joining.left(request.auth)
    return Done()


@router.get("/agent/known/{sha256}", response=Known, operation_id="agent_known")
def known(request: FromAgent, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> Known:
    """Which build an archive is, so that a member who brings a wrong one is told which."""
    return Known(name=reports.known_archive(request.auth.pack, sha256))


@router.get("/agent/offer", operation_id="agent_offer")
def agent_offer(request: FromAgent) -> HttpResponse:
    """Which agents this site has, as signed bytes: for agents that are asked to bring themselves up to date."""
    offer = agents.offer(request.auth.pack.crew)
    return HttpResponse(offer.as_bytes(), content_type="application/json")


@router.get("/agent/own/{sha256}", operation_id="agent_own_file")
def own_file(request: FromAgent, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> HttpResponseBase:
    """An archive of the crew's own, for an installation of one of its packs; or of a collection's beside it."""
    file = own.own_file(beside.crews_of(request.auth), sha256)
    return send_file(request, file.place, file.size, file.sha256)


@router.get("/agent/readings", response=list[WantedArchiveOut], operation_id="agent_wanted_readings")
def wanted_readings(request: FromAgent) -> list[WantedArchiveOut]:
    """Settings and data files that nobody has read: of archives that only a person may fetch, for an agent whose store
    has one; and, of an empty archive, those that the agent told of as written by the game.
    """
    written = brought.unread_written(request.auth)
    files = [WantedFileOut(member="", path=path, sha256=sha256) for path, sha256 in written.items()]
    return [
        *([WantedArchiveOut(archive_sha256="", files=files)] if files else []),
        *(
            WantedArchiveOut(
                archive_sha256=one.build.archive_sha256,
                files=[
                    WantedFileOut(member=member, path=path, sha256=sha256)
                    for member, (sha256, path) in one.files.items()
                ],
            )
            for one in brought.unread_of(request.auth)
        ),
    ]


@router.post("/agent/readings", response=TakenOut, operation_id="agent_readings")
def readings(request: FromAgent, body: ReadFilesIn) -> TakenOut:
    """What an agent found in such files. Kept for the crew alone, and only of files that were asked for."""
    told = [Reported(one.sha256, one.keys, one.trouble) for one in body.files]
    return TakenOut(taken=brought.take_readings(request.auth, told))


@router.get("/agent/game", response=GameToStart, operation_id="agent_game")
def game(request: FromAgent) -> GameToStart:
    """The profile of the pack's game: how it is started, and what its log says."""
    return GameToStart(profile=request.auth.pack.game.profile_text, departs=starts.departs(request.auth))


@router.post("/agent/started", response=Done, operation_id="agent_started")
def started(request: FromAgent, body: StartedIn) -> Done:
    """How a start of the game stands. Kept around a departure only."""
    starts.take_start(request.auth, body.began, Named(body.release, body.release_sha256), body.in_step, body.state)
    return Done()


@router.get("/agent/releases/{number}", operation_id="agent_release")
def release(request: FromAgent, number: Short) -> HttpResponse:
    """The signed bytes of a release; keys and their signatures are in a header, as hex."""
    return _signed_release(standings.release_for(request.auth, number))


def _signed_release(found: Release) -> HttpResponse:
    signed = signatures_of(found)
    pairs = ", ".join(f"{key.hex()} {signature.hex()}" for key, signature in signed.signatures)
    return HttpResponse(
        signed.document,
        content_type="application/json",
        # Signatures are added when a charter changes, so that the answer is not for ever.
        headers={"Convoy-Signatures": pairs, "Cache-Control": "private, no-cache"},
    )


@router.post("/agent/report", response=Done, operation_id="agent_report")
def report(request: FromAgent, body: ReportIn) -> Done:
    about = body.about.model_dump(mode="json", exclude={"strayed", "found"}) if body.about else {}
    told = reports.AgentReport(
        body.release,
        body.deviations,
        body.release_sha256,
        body.serial,
        body.fingerprint,
        [row.dict() for row in body.about.strayed] if body.about else [],
        body.about.found if body.about else {},
        about,
    )
    reports.take_report(request.auth, told)
    return Done()


@router.post("/agent/progress", response=HoldOut, operation_id="agent_progress")
def hear(request: FromAgent, body: ProgressIn) -> HoldOut:
    return HoldOut(hold=progress.hear_progress(request.auth, cast(Progress, body.dict())))
