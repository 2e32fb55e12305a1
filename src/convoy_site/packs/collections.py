"""Collections: what there is for a pack to take up, and what becomes of those that it has.

A collection is a pack without a base of its own. Its releases are read here into what they lay under packs.
"""

from collections.abc import Collection as Several
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from uuid import UUID

from django.db.models import Q
from django.utils import timezone

from convoy_core.checks import Under
from convoy_core.draft.collections import Collection, Otherwise, collection_of, sets_otherwise
from convoy_core.lock.change_log import change_log
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import ReleaseChannel, read_recipe
from convoy_core.lock.suits import SUITS_ALL, Suits
from convoy_core.lock.terms import Tweak
from convoy_core.words.model import Base
from convoy_core.words.ranges import parse_range

from ..people.models import User
from . import draft_terms, drafts
from .models import Draft, Pack


def suits_of(pack: Pack, games: str, loaders: Mapping[str, str]) -> dict[str, Any]:
    """What somebody said that a collection suits, as a pack keeps it. Raises MalformedInput for what is no range, and
    what the game says of a loader that it does not have.
    """
    for loader in loaders:
        pack.game.profile.loader(loader)
    ranges = {loader: parse_range(text or "*") for loader, text in sorted(loaders.items())}
    return Suits(parse_range(games or "*"), ranges).as_data()


@lru_cache(maxsize=512)
def release_read(release: int) -> Collection:
    """A collection's release as it is laid under packs. Kept in memory: a release never changes."""
    pack, document = Pack.objects.filter(releases__pk=release).values_list("pk", "releases__document").get()
    recipe = read_recipe(bytes(document))
    suits = recipe.suits or SUITS_ALL
    return collection_of(str(pack), recipe.pack_name, recipe.number, recipe.sha256, suits, recipe.lock)


def newest_fitting(collections: Several[Any], base: Base) -> dict[str, Collection]:
    """Of each collection (pack or id) its newest open release that suits a base, by id."""
    return {one: release_read(release) for one, release in newest_releases(collections, base).items()}


def newest_releases(collections: Several[Any], base: Base) -> dict[str, int]:
    """The same, as the keys of the releases."""
    rows = Pack.objects.filter(pk__in=[getattr(one, "pk", one) for one in collections], suits__isnull=False)
    rows = rows.filter(_told("releases__"), releases__channel=ReleaseChannel.STABLE, releases__withdrawal=None)
    found: dict[str, int] = {}
    for pack, release in rows.order_by("-releases__pk").values_list("pk", "releases__pk"):
        if str(pack) not in found and not release_read(release).suits.misfit(base):
            found[str(pack)] = release
    return found


def _told(releases: str = "") -> Q:
    """Releases that are not sealed: what is in those is nobody's before their hour, also not by way of another pack."""
    return Q(**{f"{releases}seal": None}) | Q(**{f"{releases}seal__until__lte": timezone.now()})


@dataclass(frozen=True)
class Offered:
    """A collection that a pack could take up: its newest release that suits the base; none: `why` it cannot."""

    pack: Pack
    newest: Collection | None
    why: str


def offered(user: User, pack: Pack) -> list[Offered]:
    """The collections of somebody's crews for the game of a pack, but for those that it has."""
    there = pack.draft.collections.keys() | {str(pack.pk)}
    shown = Pack.objects.filter(crew__memberships__user=user, game=pack.game_id, suits__isnull=False, retired_at=None)
    found = [one for one in shown.select_related("crew").order_by("name") if str(one.pk) not in there]
    base = drafts.base_of(pack.draft)
    newest = newest_fitting(found, base)
    return [Offered(one, newest.get(str(one.pk)), "" if str(one.pk) in newest else _why(one, base)) for one in found]


def _why(collection: Pack, base: Base) -> str:
    last = collection.releases.filter(_told(), channel=ReleaseChannel.STABLE, withdrawal=None).order_by("-pk").first()
    if last is None:
        return "It has no open release."
    return f"Its newest release, {last.number}, is {release_read(last.pk).suits.misfit(base)}."


@dataclass(frozen=True)
class Taken:
    """A collection under a draft. `newer`: a release that it could be moved to; `withdrawn`: why its own was withdrawn;
    `otherwise`: lines of it in whose stead others count; `settings`: its own, and what the pack has in their stead.
    """

    collection: Collection
    held: bool
    pack: Pack | None
    newer: Collection | None
    withdrawn: str
    misfit: str
    otherwise: Sequence[Otherwise]
    settings: Sequence[tuple[Tweak, Tweak]]


def taken(draft: Draft) -> list[Taken]:
    """In the order in which they are laid down. A fixed number of queries."""
    if not draft.collections:
        return []
    found = drafts.collections_of(draft)
    base, under = drafts.base_of(draft), drafts.taken_under(draft)
    packs = {str(one.pk): one for one in Pack.objects.filter(pk__in=draft.collections).select_related("crew")}
    newest = newest_fitting(packs.keys(), base)
    gone = _withdrawn(packs)
    own = {(one.path, one.key): one for one in draft_terms.own_tweaks(draft)}
    return [
        Taken(
            one,
            draft.collections[one.id]["held"],
            packs.get(one.id),
            newer if (newer := newest.get(one.id)) is not None and newer.sha256 != one.sha256 else None,
            gone.get((one.id, one.number), ""),
            one.suits.misfit(base),
            under.otherwise[one.id],
            sets_otherwise(own, one),
        )
        for one in found
    ]


def _withdrawn(packs: Mapping[str, Pack]) -> dict[tuple[str, str], str]:
    rows = Pack.objects.filter(pk__in=packs, releases__withdrawal__isnull=False)
    told = rows.values_list("pk", "releases__number", "releases__withdrawal__why")
    return {(str(pack), number): why or "Nobody said why." for pack, number, why in told}


def under(draft: Draft) -> list[Under]:
    """The same as the checks look at it."""
    return [
        Under(
            one.collection.id,
            one.collection.name,
            one.collection.number,
            one.misfit,
            one.withdrawn,
            one.newer.number if one.newer else "",
        )
        for one in taken(draft)
    ]


def log_between(one: Taken) -> tuple[dict[str, Any], ...]:
    """What the newer release of a collection has otherwise, as change logs tell it."""
    if one.newer is None or one.pack is None:
        return ()
    after = _lock(one.pack, one.newer.number)
    return change_log(_lock(one.pack, one.collection.number), after) if after else ()


def notes_between(one: Taken) -> list[tuple[str, str]]:
    """Number and notes of each release passed on the way, newest first."""
    if one.newer is None or one.pack is None:
        return []
    rows = list(one.pack.releases.filter(withdrawal=None).order_by("pk").values_list("number", "notes"))
    numbers = [number for number, _ in rows]
    start = numbers.index(one.collection.number) + 1 if one.collection.number in numbers else 0
    return rows[start : numbers.index(one.newer.number) + 1][::-1]


def _lock(pack: Pack, number: str) -> Lock | None:
    document = pack.releases.filter(number=number).values_list("document", flat=True).first()
    return read_recipe(bytes(document)).lock.bare if document is not None else None


def found_release(collection: UUID, number: str) -> Collection | None:
    """One open or trial release by its number; none where there is none, or it was withdrawn."""
    rows = Pack.objects.filter(
        _told("releases__"), pk=collection, suits__isnull=False, releases__number=number, releases__withdrawal=None
    )
    release = rows.values_list("releases__pk", flat=True).first()
    return release_read(release) if release is not None else None
