"""What somebody sees of their news, and how they want it."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db.models import Q, QuerySet
from django.utils import timezone

from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.models import Membership, User
from ..people.rights import Action
from . import mailing
from .models import Feed, Mailed, Notice, Wish

A_PAGE = 40


def news_of(user: User, before: int | None = None) -> list[Notice]:
    """A page of what happened, the newest first; `before`: the last notice of the page before. What waits for them is
    `needing`.
    """
    found = _readable(user).exclude(needs=True, settled_at=None)
    last = found.filter(pk=before).first() if before is not None else None
    if last:
        found = found.filter(Q(at__lt=last.at) | Q(at=last.at, pk__lt=last.pk))
    return list(found[:A_PAGE])


def needing(user: User) -> list[Notice]:
    """What asks something of them, the soonest first."""
    found = _readable(user).filter(needs=True, settled_at=None)
    return sorted(found[:A_PAGE], key=lambda one: (one.when is None, one.when or one.at))


def counts(user: User) -> tuple[int, int]:
    """How much is unseen, and how much needs them."""
    mine = _readable(user)
    return mine.filter(seen_at=None).count(), mine.filter(needs=True, settled_at=None).count()


def _readable(user: User) -> QuerySet[Notice]:
    """Of crews that they are in now: what others do is none of theirs any more."""
    mine = Q(crew=None) | Q(crew__in=Membership.objects.filter(user=user).values("crew"))
    return Notice.objects.filter(mine, user=user).select_related("pack", "crew", "event")


def seen(user: User, until: int) -> None:
    Notice.objects.filter(user=user, seen_at=None, pk__lte=until).update(seen_at=timezone.now())


@dataclass(frozen=True)
class PackWish:
    """How the news of one pack comes. `said`: what was chosen for this pack; None where it is as for all."""

    pack: Pack
    said: Mailed | None
    feed: Feed | None


def wishes(user: User) -> tuple[Mailed | None, Sequence[PackWish]]:
    """For all packs (None: nothing said), and for each pack of their crews."""
    said = {one.pack_id: Mailed(one.mail) for one in Wish.objects.filter(user=user)}
    feeds = {one.pack_id: one for one in Feed.objects.filter(user=user)}
    packs = Pack.objects.filter(crew__memberships__user=user).select_related("crew").order_by("name")
    return said.get(None), [PackWish(pack, said.get(pack.pk), feeds.get(pack.pk)) for pack in packs]


def wish(user: User, pack_id: UUID | None, mail: Mailed | None) -> None:
    """`mail` of None: as for all, or as the product does."""
    mailing.wish(user, pack_for(user, pack_id, Action.SEE) if pack_id else None, mail)
