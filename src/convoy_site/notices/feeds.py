"""A pack's news as an Atom feed (RFC 4287), at an address that only its reader knows."""

import hashlib
import secrets
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.feedgenerator import Atom1Feed
from django.utils.html import escape
from django.views.decorators.http import condition, require_safe

from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.events import Happened
from ..people.models import Event, Role, User
from ..people.rights import Action, role_in
from .calls import OF_PACKS
from .mailing import in_utc
from .models import Feed
from .sentences import in_words
from .spreading import announced

SHOWN = 50


def feed_address(feed: Feed) -> str:
    return f"{settings.ADDRESS}/news/feed/{feed.secret}.atom"


def make_feed(user: User, pack_id: UUID) -> Feed:
    """A new address; an earlier one of the same reader ends."""
    pack = pack_for(user, pack_id, Action.SEE)
    made, _ = Feed.objects.update_or_create(user=user, pack=pack, defaults={"secret": secrets.token_urlsafe(32)})
    return made


def end_feed(user: User, pack_id: UUID) -> None:
    Feed.objects.filter(user=user, pack=pack_for(user, pack_id, Action.SEE)).delete()


def _readable(secret: str) -> Feed | None:
    found = Feed.objects.select_related("user", "pack__crew").filter(secret=secret, user__is_active=True).first()
    return found if found and role_in(found.user, found.pack.crew_id) else None


def _events(feed: Feed) -> list[Event]:
    kinds = list(OF_PACKS)
    curates = role_in(feed.user, feed.pack.crew_id) in (Role.OWNER, Role.CURATOR)
    if not curates and not feed.pack.installations.filter(member=feed.user, trial=True).exists():
        kinds.remove(Happened.TRIAL)
    found = Event.objects.filter(pack=feed.pack_id, what__in=kinds).select_related("crew", "by")
    return list(found.order_by("-at", "-pk")[:SHOWN])


def _mark(request: HttpRequest, secret: str) -> str | None:
    feed = _readable(secret)
    if feed is None:
        return None
    events = _events(feed)
    told = f"{feed.pack.name} {[event.pk for event in events]}"
    return f'"{hashlib.sha256(told.encode()).hexdigest()[:32]}"'


@require_safe
@condition(etag_func=_mark)
def atom(request: HttpRequest, secret: str) -> HttpResponse:
    feed = _readable(secret)
    if feed is None:
        return HttpResponse(
            "There is no such feed, or its reader left the crew.", status=404, content_type="text/plain"
        )
    answer = HttpResponse(_written(feed.pack, _events(feed), feed_address(feed)), content_type="application/atom+xml")
    answer["Cache-Control"] = "private, max-age=300"
    answer["X-Robots-Tag"] = "noindex"
    return answer


def _written(pack: Pack, events: list[Event], address: str) -> str:
    written = Atom1Feed(
        title=f"News of {pack.name}",
        link=f"{settings.ADDRESS}/packs/{pack.pk}/crew",
        description="",
        feed_url=address,
        feed_guid=f"urn:uuid:{pack.pk}",
        author_name=pack.crew.name,
        language="en",
    )
    for event in events:
        told = in_words(event)
        paragraphs = [*([f"When: {in_utc(told.when)}"] if told.when else []), *announced(event).split("\n\n")]
        html = "".join(f"<p>{escape(one.strip()).replace(chr(10), '<br>')}</p>" for one in paragraphs if one.strip())
        written.add_item(
            title=told.text,
            link=f"{settings.ADDRESS}{told.address}",
            description=html or escape(told.text),
            unique_id=f"urn:uuid:{event.pk}",
            author_name=event.by.shown if event.by else pack.crew.name,
            pubdate=event.at,
            updateddate=event.at,
        )
    return written.writeString("utf-8")
