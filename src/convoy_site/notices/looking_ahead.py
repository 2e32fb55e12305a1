"""What needs somebody before they play: who is not ready for tonight, and whose errands wait. Told once, and settled
when it is done.
"""

from collections.abc import Iterable
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from convoy_core.words.wording import counted

from ..installations.models import Departure, Installation
from ..installations.page import shown
from ..installations.standings import stand
from ..packs.models import Pack
from ..people.models import User
from ..releases.lookup import releases_of
from ..rollcall import departures
from . import mailing
from .models import Notice

BEFORE = timedelta(hours=24)
"""How long before a departure those who are not ready are told."""


def look_ahead() -> None:
    """All packs with a departure soon, and all installations with errands."""
    now = timezone.now()
    soon = Pack.objects.filter(departures__called_off=False, departures__at__range=(now, now + BEFORE)).distinct()
    for pack in soon.select_related("crew"):
        _departures(pack)
    _errands()
    _settle_past()


def _departures(pack: Pack) -> None:
    releases = list(releases_of(pack).select_related("withdrawal"))
    newest = next((one for one in releases if one.is_open()), None)
    stood = stand(shown(pack.installations.aboard()), releases)
    crew = {user.pk: user for user in User.objects.filter(is_active=True, memberships__crew=pack.crew)}
    now = timezone.now()
    for departure in departures.coming_up(pack):
        if not now < departure.at <= now + BEFORE:
            continue
        coming = [crew[one.user_id] for one in departure.answers.all() if one.comes and one.user_id in crew]
        to_do = departures.still_to_do(departure, newest, stood, coming)
        mine = {one.installation.member_id: one.installation.pk for one in stood}
        key = _ready_key(departure)
        _settle_but(key, to_do)
        _tell(
            Notice(
                user=crew[pk],
                key=key,
                crew=pack.crew,
                pack=pack,
                text=f"You are not ready for {pack.name}: {what}"[:500],
                when=departure.at,
                address=f"/installations/{mine[pk]}" if pk in mine else f"/packs/{pack.pk}/crew",
                needs=True,
            )
            for pk, what in to_do.items()
        )


def _errands() -> None:
    with_some = Installation.objects.aboard().select_related("pack__crew", "member").exclude(about__errands=[])
    waiting = [one for one in with_some.filter(about__has_key="errands") if one.about["errands"]]
    kept = Notice.objects.filter(key__startswith="errand:", settled_at=None)
    kept.exclude(key__in=[_errand_key(one) for one in waiting]).update(settled_at=timezone.now())
    _tell(
        Notice(
            user=one.member,
            key=_errand_key(one),
            crew=one.pack.crew,
            pack=one.pack,
            text=_waiting(one),
            address=f"/installations/{one.pk}",
            needs=True,
        )
        for one in waiting
    )


def _waiting(one: Installation) -> str:
    found = counted(len(one.about["errands"]), "errand waits", "errands wait")
    return f"{found} for you in {one.pack.name}, on {one.name}."


def _errand_key(one: Installation) -> str:
    return f"errand:{one.pk}:{one.about.get('plan', {}).get('release', '')}"


def _settle_but(key: str, still: Iterable[int]) -> None:
    Notice.objects.filter(key=key, settled_at=None).exclude(user__in=list(still)).update(settled_at=timezone.now())


def _settle_past() -> None:
    """A departure that is over, moved or called off asks nothing of anybody."""
    now = timezone.now()
    kept = Notice.objects.filter(key__startswith="ready:", settled_at=None)
    kept.filter(when__lte=now).update(settled_at=now)
    open_ones = {_ready_key(one) for one in Departure.objects.filter(called_off=False, at__gt=now)}
    kept.exclude(key__in=open_ones).update(settled_at=now)


def _ready_key(departure: Departure) -> str:
    """Another date is another thing to be ready for."""
    return f"ready:{departure.pk}:{departure.at:%Y%m%d%H%M}"


def _tell(notices: Iterable[Notice]) -> None:
    """Each thing once. What came back after it was settled needs its reader again, and no second letter."""
    notices = list(notices)
    if not notices:
        return
    known = Notice.objects.filter(key__in={one.key for one in notices}, user__in={one.user_id for one in notices})
    rows = {(one.user_id, one.key): one for one in known}
    for one in notices:
        before = rows.get((one.user_id, one.key))
        if before is None:
            with transaction.atomic():
                mailing.settle_letters([one], one.pack)
                one.save()
                mailing.mail_at_once([one])
        elif before.settled_at is not None or before.text != one.text:
            Notice.objects.filter(pk=before.pk).update(settled_at=None, text=one.text)
