"""Spreads an event: a notice for everybody whom it concerns, mail as each wants it, and calls of the pack's hooks."""

from uuid import UUID

from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from ..packs.models import Pack
from ..people.events import Happened
from ..people.models import Crew, Event, Role, User
from ..releases.models import Release
from . import calls, mailing
from .models import Notice
from .sentences import in_words

_CREWS = (
    Happened.DEPARTURE_SET,
    Happened.DEPARTURE_MOVED,
    Happened.DEPARTURE_OFF,
    Happened.PLAYTHROUGH_OPENED,
    Happened.PLAYTHROUGH_ENDED,
    Happened.HANDED_OVER,
)
"""What concerns the whole crew."""


@transaction.atomic
def spread(event_id: UUID) -> None:
    """Once, however often it is asked for. An event that is gone concerns nobody any more."""
    event = Event.objects.select_for_update(of=("self",)).select_related("crew").filter(pk=event_id).first()
    if event is None or event.spread_at:
        return
    pack = Pack.objects.filter(pk=event.pack).first() if event.pack else None
    told, more = in_words(event), announced(event)
    made = [
        Notice(
            user=user,
            event=event,
            key=f"event:{event.pk}",
            crew=event.crew,
            pack=pack,
            at=event.at,
            text=told.text,
            more=more,
            when=told.when,
            address=told.address,
        )
        for user in concerned(event, pack)
    ]
    mailing.settle_letters(made, pack)
    Notice.objects.bulk_create(made)
    mailing.mail_at_once(made)
    if pack:
        calls.call_hooks(event, pack, told, more)
        if event.what == Happened.PACK_MOVED:
            # Its hooks are of those who curated it until now.
            pack.hooks.update(on=False, off_because="The pack moved to another crew.")
    event.spread_at = timezone.now()
    event.save(update_fields=["spread_at"])


def tell_of_an_end(crew: Crew, by: User, text: str) -> None:
    """To all people of a crew that is about to be no more, in the transaction that ends it."""
    people = User.objects.filter(is_active=True, memberships__crew=crew).exclude(pk=by.pk)
    made = [Notice(user=user, key=f"ended:{crew.pk}", text=text[:500], address="/") for user in people]
    mailing.settle_letters(made, None)
    Notice.objects.bulk_create(made)
    mailing.mail_at_once(made)


def announced(event: Event) -> str:
    """For a release: its announcement. Of one that is sealed nobody is told what is in it before its hour."""
    if event.what not in (Happened.RELEASE, Happened.TRIAL, Happened.OPENED):
        return ""
    found = Release.objects.filter(pack=event.pack, number=event.about["number"])
    found = found.exclude(seal__until__gt=timezone.now())
    return found.values_list("announcement", flat=True).first() or ""


def concerned(event: Event, pack: Pack | None) -> QuerySet[User]:
    """Whom an event concerns, but for its doer."""
    crew = User.objects.filter(is_active=True, memberships__crew=event.crew)
    found = crew.exclude(pk=event.by_id or 0)
    if event.what == Happened.ROLE:
        return found.filter(username=event.about["username"])
    if event.what == Happened.ABOARD:
        return crew.filter(memberships__crew=event.crew, memberships__role=Role.OWNER).exclude(pk=event.by_id or 0)
    if event.what in _CREWS or pack is None:
        return found
    if event.what in calls.OF_PEOPLE:
        keeps = Q(memberships__crew=event.crew, memberships__role__in=(Role.OWNER, Role.CURATOR))
        return found.filter(keeps | Q(username=event.about["username"])).distinct()
    if event.what in (Happened.PROPOSED, Happened.ANSWERED, Happened.LEAD_NEW):
        return found.filter(memberships__crew=event.crew, memberships__role__in=(Role.OWNER, Role.CURATOR)).distinct()
    keeps = Q(memberships__crew=event.crew, memberships__role__in=(Role.OWNER, Role.CURATOR))
    follows = Q(installations__pack=pack)
    if event.what == Happened.TRIAL:
        follows &= Q(installations__trial=True)
    return found.filter(keeps | follows).distinct()
