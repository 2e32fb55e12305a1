"""Claims of the crew's own builds, and the second curator who looks at them."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from ninja import Router
from pydantic import Field

from convoy_core.words.model import Reach, Side

from ...people.rights import Action, SignedIn
from ...shapes import Done, Name, Schema, Short
from .. import reviewing
from ..services import pack_for

router = Router(tags=["packs"])


class ReviewOut(Schema):
    """A claim that is looked at. `against`: what the archive's contents say against it; `mine`: one's own upload."""

    mod: str
    name: str
    version: str
    side: Side
    reach: Reach
    claim: str
    by: str
    mine: bool
    agreed: bool
    agreed_by: str
    refused_by: str
    note: str
    at: datetime | None
    against: list[str]


class ReviewsOut(Schema):
    """`asked`: the crew wants claims looked at before a release."""

    asked: bool
    reviews: list[ReviewOut]


class ReviewIn(Schema):
    """`side`, `reach`: the claim that was looked at."""

    mod: Name
    version: Short
    side: Side
    reach: Reach
    agrees: bool
    note: Annotated[str, Field(max_length=400)] = ""


@router.get("/packs/{pack_id}/reviews", response=ReviewsOut, operation_id="reviews")
def reviews(request: SignedIn, pack_id: UUID) -> ReviewsOut:
    """Claims of own builds in the draft, those that wait first."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return ReviewsOut(
        asked=pack.crew.reviews,
        reviews=[
            ReviewOut(
                mod=one.build.mod,
                name=one.build.name,
                version=one.build.version,
                side=one.build.side,
                reach=one.build.reach,
                claim=one.claim,
                by=one.row.by.shown if one.row and one.row.by else "",
                mine=one.row is not None and one.row.by_id == request.user.pk,
                agreed=one.agreed,
                agreed_by=one.row.agreed_by.shown if one.row and one.row.agreed_by else "",
                refused_by=one.row.refused_by.shown if one.row and one.row.refused_by else "",
                note=one.row.note if one.row else "",
                at=one.row.at if one.row else None,
                against=list(one.against),
            )
            for one in reviewing.reviews(pack)
        ],
    )


@router.post("/packs/{pack_id}/reviews", response=Done, operation_id="review")
def review(request: SignedIn, pack_id: UUID, body: ReviewIn) -> Done:
    said = body.side, body.reach
    reviewing.review(request.user, pack_id, (body.mod, body.version), said, body.agrees, body.note.strip())
    return Done()
