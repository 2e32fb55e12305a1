"""What a mod's own page shows beyond its builds: neighbours, use, what it carries and touches."""

from dataclasses import dataclass

from django.db.models import Q
from django.utils import timezone

from convoy_core.outside.archive_root import placements
from convoy_core.words.model import Base, Kind, misfit
from convoy_core.words.profile import GameProfile

from ..catalogue.models import Build, Mod
from ..catalogue.services import core_of, shelf
from ..people.models import Role, User
from .models import Pack

SHOWN = 40
"""Rows of a list on a mod's page; the others are counted."""


@dataclass
class More:
    needed_by: list[Mod]
    needed_by_in_all: int
    counterpart: Mod | None
    in_packs: list[tuple[Pack, str]]
    build: Build | None
    touched: dict[str, list[str]]
    """Mods of the draft by slug, and the paths that they place, too."""


def more_of(user: User, pack: Pack, mod: Mod, base: Base, picks: dict[str, str]) -> More:
    """A fixed number of queries."""
    asking = shelf(pack).filter(needs__contains=[mod.slug]).order_by("-downloads", "slug")
    packs = Pack.objects.filter(crew__memberships__user=user, game=pack.game_id, draft__picks__has_key=mod.slug)
    kept = Q(draft__kept=True) | Q(draft__kept_until__gt=timezone.now())
    packs = packs.exclude(kept & Q(crew__memberships__user=user, crew__memberships__role=Role.MEMBER))
    build = _shown_build(mod, base, picks.get(mod.slug, ""))
    return More(
        needed_by=list(asking[:SHOWN]),
        needed_by_in_all=asking.count(),
        counterpart=shelf(pack).filter(slug=mod.counterpart).first() if mod.counterpart else None,
        in_packs=[(one, one.draft.picks[mod.slug]) for one in packs.select_related("draft").order_by("name")[:SHOWN]],
        build=build,
        touched=_touched(pack, mod, build, picks) if build else {},
    )


def _shown_build(mod: Mod, base: Base, picked: str) -> Build | None:
    """The build that the draft has; else the newest that fits; else the newest."""
    builds = list(mod.builds.filter(gone=False))
    cores = {build.pk: core_of(build, mod.slug) for build in builds}
    builds.sort(key=lambda one: (one.version == picked, not misfit(cores[one.pk], base), cores[one.pk].version))
    return builds[-1] if builds else None


def _touched(pack: Pack, mod: Mod, build: Build, picks: dict[str, str]) -> dict[str, list[str]]:
    profile = pack.game.profile
    mine = _places(build, mod, profile)
    if not any(mod.slug not in path for path in mine):
        return {}  # All of its files lie in a folder of its own: nobody else can place them.
    others = Build.objects.filter(mod__in=shelf(pack), mod__slug__in=picks.keys() - {mod.slug}, refused="")
    found = {}
    for other in others.filter(version__in=set(picks.values())).select_related("mod"):
        if picks[other.mod.slug] == other.version and (shared := mine & _places(other, other.mod, profile)):
            found[other.mod.slug] = sorted(shared)
    return found


def _places(build: Build, mod: Mod, profile: GameProfile) -> set[str]:
    layout = profile.kinds.get(Kind(mod.kind))
    return (
        set(placements((path for path, _, _ in build.files), layout, mod.slug, build.root))
        if layout and not build.refused
        else set()
    )
