"""News: one's own, how it comes, and what a pack calls."""

from typing import Annotated
from uuid import UUID

from allauth.account.models import EmailAddress
from django.conf import settings
from ninja import Query, Router
from pydantic import Field

from ..people.events import Happened
from ..people.rights import SignedIn
from ..people.tries import count_use
from ..shapes import Done, Schema
from . import calls, feeds, services
from .models import Call, CallState, Hook, Notice
from .shapes import (
    CallOut,
    FeedOut,
    HookIn,
    HookOut,
    HookSwitch,
    News,
    NewsCount,
    NoticeOut,
    PackWishOut,
    SeenIn,
    WishesOut,
    WishIn,
)

router = Router(tags=["news"])
CALLS_SHOWN = 50


class PageQuery(Schema):
    before: Annotated[int, Field(ge=0, lt=2**62)] | None = None


@router.get("/news", response=News, operation_id="news")
def news(request: SignedIn, asked: Annotated[PageQuery, Query()]) -> News:
    rows = services.news_of(request.user, asked.before)
    needs = services.needing(request.user) if asked.before is None else []
    return News(
        needs=[_notice(one) for one in needs],
        rows=[_notice(one) for one in rows],
        more=len(rows) == services.A_PAGE,
    )


def _notice(one: Notice) -> NoticeOut:
    return NoticeOut(
        id=one.pk,
        at=one.at,
        text=one.text,
        more=one.more,
        when=one.when,
        address=one.address,
        pack=one.pack.name if one.pack else "",
        crew=one.crew.name if one.crew else "",
        needs=one.needs and one.settled_at is None,
        seen=one.seen_at is not None,
    )


@router.get("/news/count", response=NewsCount, operation_id="news_count")
def news_count(request: SignedIn) -> NewsCount:
    unseen, needs = services.counts(request.user)
    return NewsCount(unseen=unseen, needs=needs)


@router.post("/news/seen", response=Done, operation_id="see_news")
def see_news(request: SignedIn, body: SeenIn) -> Done:
    services.seen(request.user, body.until)
    return Done()


@router.get("/news/wishes", response=WishesOut, operation_id="wishes")
def wishes(request: SignedIn) -> WishesOut:
    """How one's news comes by mail, and the feeds that were made."""
    mail, packs = services.wishes(request.user)
    return WishesOut(
        mail=mail,
        sends=settings.MAIL is not None,
        address=EmailAddress.objects.filter(user=request.user, verified=True).exists(),
        packs=[
            PackWishOut(
                pack=one.pack.pk,
                name=one.pack.name,
                crew=one.pack.crew.name,
                mail=one.said,
                feed=feeds.feed_address(one.feed) if one.feed else "",
            )
            for one in packs
        ],
    )


@router.put("/news/wishes", response=Done, operation_id="wish")
def wish(request: SignedIn, body: WishIn) -> Done:
    services.wish(request.user, body.pack, body.mail)
    return Done()


@router.post("/packs/{pack_id}/feed", response=FeedOut, operation_id="make_feed")
def make_feed(request: SignedIn, pack_id: UUID) -> FeedOut:
    """A secret address of one's own; an earlier one ends."""
    return FeedOut(address=feeds.feed_address(feeds.make_feed(request.user, pack_id)))


@router.delete("/packs/{pack_id}/feed", response=Done, operation_id="end_feed")
def end_feed(request: SignedIn, pack_id: UUID) -> Done:
    feeds.end_feed(request.user, pack_id)
    return Done()


@router.get("/packs/{pack_id}/hooks", response=list[HookOut], operation_id="hooks")
def hooks(request: SignedIn, pack_id: UUID) -> list[HookOut]:
    return [_hook(one) for one in calls.hooks_of(request.user, pack_id)]


@router.post("/packs/{pack_id}/hooks", response=HookOut, operation_id="make_hook")
def make_hook(request: SignedIn, pack_id: UUID, body: HookIn) -> HookOut:
    return _hook(calls.make_hook(request.user, pack_id, body.address, body.kinds))


@router.patch("/packs/{pack_id}/hooks/{hook_id}", response=Done, operation_id="switch_hook")
def switch_hook(request: SignedIn, pack_id: UUID, hook_id: UUID, body: HookSwitch) -> Done:
    calls.change_hook(request.user, pack_id, hook_id, body.on)
    return Done()


@router.delete("/packs/{pack_id}/hooks/{hook_id}", response=Done, operation_id="remove_hook")
def remove_hook(request: SignedIn, pack_id: UUID, hook_id: UUID) -> Done:
    calls.remove_hook(request.user, pack_id, hook_id)
    return Done()


@router.post("/packs/{pack_id}/hooks/{hook_id}/try", response=Done, operation_id="try_hook")
def try_hook(request: SignedIn, pack_id: UUID, hook_id: UUID) -> Done:
    """Calls it with nothing to tell, to see whether it is taken."""
    count_use("call-again", str(request.user.pk), 60, 600)
    calls.try_hook(request.user, pack_id, hook_id)
    return Done()


@router.get("/packs/{pack_id}/hooks/{hook_id}/calls", response=list[CallOut], operation_id="calls")
def calls_log(request: SignedIn, pack_id: UUID, hook_id: UUID) -> list[CallOut]:
    """The latest calls, the newest first."""
    return [_call(one) for one in calls.calls_of(request.user, pack_id, hook_id)[:CALLS_SHOWN]]


@router.post("/packs/{pack_id}/hooks/{hook_id}/calls/{call_id}/again", response=Done, operation_id="call_again")
def call_again(request: SignedIn, pack_id: UUID, hook_id: UUID, call_id: UUID) -> Done:
    count_use("call-again", str(request.user.pk), 60, 600)
    calls.send_again(request.user, pack_id, hook_id, call_id)
    return Done()


def _hook(one: Hook) -> HookOut:
    return HookOut(
        id=one.pk,
        address=one.address,
        secret=one.secret,
        kinds=[Happened(kind) for kind in one.kinds],
        made_by=one.made_by.shown if one.made_by else "",
        made_at=one.made_at,
        on=one.on,
        off_because=one.off_because,
    )


def _call(one: Call) -> CallOut:
    return CallOut(
        id=one.pk,
        kind=one.kind.partition(".")[2],
        at=one.at,
        state=CallState(one.state),
        tries=one.tries,
        next_at=one.next_at,
        told=one.told,
        took_ms=one.took_ms,
        body=one.body,
    )
