"""Open playthroughs of a pack, as its checks and its publishing look at them."""

from collections.abc import Collection, Sequence

from convoy_core.checks import Playing
from convoy_core.checks.playthroughs import said_of
from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.recipe import Despite

from ..packs.models import Pack
from .lookup import current_release, recipe_of
from .models import Milestone, Playthrough


def playing(pack: Pack) -> Sequence[Playing]:
    """Each with what its world is played with now: the release that members follow, or the one it began with."""
    found = list(pack.playthroughs.filter(ended_at=None))
    if not found:
        return ()
    current = current_release(pack)
    return [
        Playing(str(one.pk), one.name, Rule(one.rule), recipe_of(current.pk if current else one.begun_id).lock)
        for one in found
    ]


MOST_MILESTONES = 20
"""Of one playthrough: each is a backup of its own, on every machine."""


def milestones_for(pack: Pack) -> list[Milestone]:
    """Those of its open playthroughs, newest first, for agents: these take so many."""
    found = Milestone.objects.filter(playthrough__pack=pack, playthrough__ended_at=None).order_by("-at")
    return list(found.select_related("playthrough")[:MOST_MILESTONES])


def exceptions_of(one: Playthrough, hidden: Collection[int] = ()) -> list[tuple[str, Despite]]:
    """What was changed against its rule, with the reason: release by release, oldest first; but for releases that are
    `hidden`, by key.
    """
    releases = one.pack.releases.exclude(pk__in=hidden).filter(pk__gt=one.begun_id, published_at__gte=one.at)
    if one.last_id:
        releases = releases.filter(pk__lte=one.last_id)
    begins = said_of(one.name, "").removesuffix(".")
    rows = [(number, recipe_of(pk)) for pk, number in releases.order_by("pk").values_list("pk", "number")]
    return [(number, told) for number, recipe in rows for told in recipe.despite if told.what.startswith(begins)]
