"""What curators settle for people without an account, and join codes as pictures and cards."""

from base64 import b64encode
from uuid import UUID

from django.http import HttpResponse
from django.template.loader import render_to_string
from ninja import Router

from convoy_core.words.codes import JOIN_LENGTH, read_code, show_code

from ..packs.emblems import EMBLEM_PATHS
from ..packs.services import pack_for
from ..people.rights import Action, NotFound, SignedIn
from ..releases.lookup import current_release
from ..releases.models import JoinCode
from ..shapes import Short
from . import services
from .models import PublicPage
from .shapes import PublicPageIn, PublicPageOut
from .views import qr_svg

router = Router(tags=["public"])


@router.get("/packs/{pack_id}/public-page", response=PublicPageOut, operation_id="public_page")
def public_page(request: SignedIn, pack_id: UUID) -> PublicPageOut:
    """The page as it is; where there is none, one that is off, with an address that nobody has."""
    page = services.page_for(request.user, pack_id)
    if page is None:
        pack = pack_for(request.user, pack_id, Action.SEE)
        page = PublicPage(pack=pack, on=False, address=services.suggested_address(pack.name))
    return _page(page)


@router.put("/packs/{pack_id}/public-page", response=PublicPageOut, operation_id="change_public_page")
def change_public_page(request: SignedIn, pack_id: UUID, body: PublicPageIn) -> PublicPageOut:
    return _page(services.change_page(request.user, pack_id, body.on, body.address, body.words, body.code))


def _page(page: PublicPage) -> PublicPageOut:
    code = show_code(page.code.code) if page.code else ""
    return PublicPageOut(on=page.on, address=page.address, link=services.address_of(page), words=page.words, code=code)


@router.get("/packs/{pack_id}/codes/{code}/qr", operation_id="code_picture")
def code_picture(request: SignedIn, pack_id: UUID, code: Short) -> HttpResponse:
    """A join code's address as a QR code: SVG."""
    return HttpResponse(
        qr_svg(services.joining_address(_code(request, pack_id, code).code)), content_type="image/svg+xml"
    )


@router.get("/packs/{pack_id}/codes/{code}/card", operation_id="code_card")
def code_card(request: SignedIn, pack_id: UUID, code: Short) -> HttpResponse:
    """A card to print or post: a page of its own."""
    found = _code(request, pack_id, code)
    current = current_release(found.pack)
    address = services.joining_address(found.code)
    told = {
        "pack": found.pack,
        "code": show_code(found.code),
        "address": address,
        "base": current.base_text if current else "",
        "emblem": EMBLEM_PATHS.get(found.pack.emblem, ""),
        "qr": f"data:image/svg+xml;base64,{b64encode(qr_svg(address)).decode()}",
    }
    return HttpResponse(render_to_string("join_card.html", told), content_type="text/html; charset=utf-8")


def _code(request: SignedIn, pack_id: UUID, text: str) -> JoinCode:
    pack = pack_for(request.user, pack_id, Action.HAND_OUT)
    found = JoinCode.objects.select_related("pack__crew").filter(pack=pack, code=read_code(text, JOIN_LENGTH)).first()
    if found is None or found.withdrawn_at:
        raise NotFound("This code is not one of the pack's open codes.")
    return found
