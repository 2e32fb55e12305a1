"""Sealed releases: who is shown what is in them before their hour. The one place that says so.

What a machine needs to install one lies on that machine; what is kept here is that no page, feed, file or list of this
site tells of it. Source: docs/rules.md, "Sealed".
"""

from collections.abc import Collection, Iterable, Sequence
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_core.words.errors import ConvoyError

from ..packs.models import Draft, Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import Crew, Membership, User
from ..people.rights import MAY, Action, Sealed
from .models import Release, Seal

OPEN_TASK = "convoy_site.releases.tasks.open_sealed"
LONGEST = timedelta(days=90)


class NoSeal(ConvoyError):
    """An hour that is none, or somebody who cannot be let in."""

    code = "no-seal"


def checked_hour(until: datetime) -> datetime:
    """Raises NoSeal."""
    now = timezone.now()
    if until <= now:
        raise NoSeal("This hour has passed.", now="Choose a later one.", field="sealed_until")
    if until > now + LONGEST:
        raise NoSeal(f"Nothing stays sealed for more than {LONGEST.days} days.", now="Choose an earlier hour.")
    return until


def people_of(crew: Crew, usernames: Collection[str]) -> list[User]:
    """Raises NoSeal for somebody who is not aboard."""
    found = list(User.objects.filter(memberships__crew=crew, username__in=usernames))
    if missing := set(usernames) - {one.username for one in found}:
        raise NoSeal(f"{min(missing)[:60]} is not aboard {crew.name}.", now="Choose somebody who is.")
    return found


def seal(release: Release, until: str, let_in: Iterable[int]) -> None:
    """Seals a release that has just come out, in its transaction, and has it opened at its hour."""
    hour = datetime.fromisoformat(until)
    made = Seal.objects.create(release=release, until=hour)
    made.let_in.set(let_in)
    Draft.objects.filter(pack=release.pack_id).update(kept_until=hour)
    app.configure_task(OPEN_TASK, schedule_at=hour).defer(release=release.pk)


def closed(pack: Pack) -> QuerySet[Seal]:
    return Seal.objects.filter(release__pack=pack, until__gt=timezone.now())


def hidden_from(user: User, packs: Iterable[UUID]) -> frozenset[int]:
    """Releases of some packs, by key, of which somebody is not shown what is in them. One query."""
    curated = Membership.objects.filter(user=user, role__in=MAY[Action.EDIT]).values("crew")
    found = Seal.objects.filter(release__pack__in=list(packs), until__gt=timezone.now()).exclude(let_in=user)
    return frozenset(found.exclude(release__pack__crew__in=curated).values_list("release_id", flat=True))


def refuse_hidden(user: User, pack: Pack, releases: Sequence[Release | None]) -> None:
    """Raises Sealed where what is in one of them is not for this reader yet."""
    hidden = hidden_from(user, [pack.pk])
    for one in releases:
        if one is not None and one.pk in hidden:
            until = Seal.objects.values_list("until", flat=True).get(release=one)
            raise Sealed(
                f"Release {one.number} of {pack.name} is sealed.",
                "What is in it is to be a surprise.",
                "It opens by itself at its hour.",
                until=until.isoformat(),
            )


@transaction.atomic
def has_opened(release: int) -> None:
    """At its hour: whoever follows the pack is told what was in it. Once, and not of one that was withdrawn."""
    found = Seal.objects.select_for_update(of=("self",)).select_related("release__pack__crew").filter(release=release)
    one = found.first()
    if one is None or one.is_closed or one.told or one.release.is_withdrawn:
        return
    one.told = True
    one.save(update_fields=["told"])
    pack = one.release.pack
    tell(Happened.OPENED, pack.crew, None, pack.pk, name=pack.name, number=one.release.number)


@transaction.atomic
def let_in(user: User, pack_id: UUID, number: str, usernames: Collection[str]) -> None:
    """Who sees a sealed release beside its curators. Raises NoSeal."""
    pack = pack_for(user, pack_id, Action.PUBLISH)
    found = closed(pack).filter(release__number=number).first()
    if found is None:
        raise NoSeal(f"Release {number} is not sealed.", "It may have opened meanwhile.")
    people = people_of(pack.crew, usernames)
    found.let_in.set(people)
    names = ", ".join(one.username for one in people) or "nobody else"
    audit.note(user, f"let {names} see the sealed {pack.name} {number}", pack.crew)
