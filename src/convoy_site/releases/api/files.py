"""Packs as files: made of a release or the draft, and brought to become a pack of a crew here."""

from typing import Annotated
from urllib.parse import quote
from uuid import UUID

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from ninja import Query, Router

from ...people.rights import SignedIn
from ...people.tries import count_use
from ...receiving import upload_of
from ...sending import send_file
from ...shapes import FILE_BODY, Done
from ..as_files import opening, packing
from ..models import MakingState, Opening, Packing
from ..shapes import AskedFor, BeginIn, MissingOut, OpeningOut, OutsideOut, PackingIn, PackingOut, PackingPlan

router = Router(tags=["files of packs"])


@router.get("/packs/{pack_id}/packing-plan", response=PackingPlan, operation_id="packing_plan")
def packing_plan(request: SignedIn, pack_id: UUID, asked: Annotated[AskedFor, Query()]) -> PackingPlan:
    """What a file would hold, while somebody chooses. Nothing is made."""
    found = packing.plan(request.user, pack_id, asked.number, _asked(asked))
    return PackingPlan(
        inside=found.inside,
        builds=found.builds,
        outside=[OutsideOut(**vars(one)) for one in found.outside],
    )


def _asked(told: AskedFor | PackingIn) -> packing.Asked:
    return packing.Asked(told.form, told.side, told.builds, told.own)


@router.get("/packs/{pack_id}/packings", response=list[PackingOut], operation_id="packings")
def packings(request: SignedIn, pack_id: UUID) -> list[PackingOut]:
    return [_packing(one) for one in packing.packings(request.user, pack_id)]


@router.post("/packs/{pack_id}/packings", response=PackingOut, operation_id="pack_up")
def pack_up(request: SignedIn, pack_id: UUID, body: PackingIn) -> PackingOut:
    """Has a worker make the file."""
    count_use("pack-up", str(request.user.pk), 20, 3600)
    return _packing(packing.ask(request.user, pack_id, body.number, _asked(body)))


@router.delete("/packs/{pack_id}/packings/{packing_id}", response=Done, operation_id="stop_packing")
def stop_packing(request: SignedIn, pack_id: UUID, packing_id: UUID) -> Done:
    """Stops one that is being made; forgets one that is made."""
    packing.stop(request.user, pack_id, packing_id)
    return Done()


@router.get("/packs/{pack_id}/packings/{packing_id}/file", operation_id="packed_file")
def packed_file(request: SignedIn, pack_id: UUID, packing_id: UUID) -> HttpResponseBase:
    found = packing.made(request.user, pack_id, packing_id)
    reply = send_file(request, found.place, found.size, found.sha256)
    reply["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(found.name)}"
    return reply


def _packing(one: Packing) -> PackingOut:
    asked = packing.read_asked(one.asked)
    return PackingOut(
        id=one.pk,
        number=one.release.number if one.release else "",
        form=asked.form,
        side=asked.side,
        name=one.name,
        state=MakingState(one.state),
        done=one.done,
        total=one.total,
        told=one.told,
        left=one.left,
        size=one.size,
        by=one.by.shown,
        at=one.at,
    )


@router.post("/crews/{crew_id}/openings", response=OpeningOut, operation_id="bring_pack", openapi_extra=FILE_BODY)
def bring_pack(request: HttpRequest, crew_id: UUID) -> OpeningOut:
    """A pack as a file: says what it holds, and keeps it for a day."""
    count_use("bring-pack", str(request.user.pk), 30, 3600)
    return _opening(opening.look_into(request.user, crew_id, upload_of(request)))  # type: ignore[arg-type]


@router.get("/openings/{opening_id}", response=OpeningOut, operation_id="opening")
def opening_page(request: SignedIn, opening_id: UUID) -> OpeningOut:
    return _opening(opening.opening_of(request.user, opening_id))


@router.post("/openings/{opening_id}", response=OpeningOut, operation_id="open_pack")
def open_pack(request: SignedIn, opening_id: UUID, body: BeginIn) -> OpeningOut:
    """Has a worker make a pack of it."""
    return _opening(opening.begin(request.user, opening_id, body.name))


def _opening(one: Opening) -> OpeningOut:
    found = opening.as_found(one.said)
    return OpeningOut(
        id=one.pk,
        state=MakingState(one.state),
        begun=bool(one.told),
        told=one.told if one.state in (MakingState.DONE, MakingState.FAILED) else "",
        pack=one.pack_id,
        pack_name=found.pack_name,
        number=found.number,
        base=found.base,
        notes=found.notes,
        fingerprint=found.fingerprint,
        mark=found.mark,
        doubt=found.doubt,
        known=found.known,
        comes=found.comes,
        missing=[
            MissingOut(name=each.name, version=each.version, why=each.why, page=each.page) for each in found.missing
        ],
        own_files=found.own_files,
        settings=found.settings,
        steps=found.steps,
        game=found.game,
    )
