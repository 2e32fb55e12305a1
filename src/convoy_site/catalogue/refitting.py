"""Brings a catalogue in line with a game whose profile has changed: which mods fit which bases, and which archives can
be laid down. Neither is asked of the source again; both follow from what is kept.
"""

from collections.abc import Iterator, Sequence

from convoy_core.outside.archive_root import placements
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Kind
from convoy_core.words.profile import GameProfile

from .listed_rows import fits
from .models import Build, Game, Mod
from .services import core_of

MODS_AT_ONCE = 200


def refit(game: Game) -> None:
    for mods in _batches(game):
        builds: dict[int, list[Build]] = {mod.pk: [] for mod in mods}
        for build in Build.objects.filter(mod__in=builds, gone=False).select_related("mod"):
            builds[build.mod_id].append(build)
        changed = [build for found in builds.values() for build in found if _judged_anew(build, game.profile)]
        Build.objects.bulk_update(changed, ["refused"], batch_size=MODS_AT_ONCE)
        for mod in mods:
            mod.fits = fits([core_of(one, mod.slug) for one in builds[mod.pk] if not one.refused], game.profile)
        Mod.objects.bulk_update(mods, ["fits"], batch_size=MODS_AT_ONCE)


def _batches(game: Game) -> Iterator[Sequence[Mod]]:
    last = 0
    while mods := list(Mod.objects.filter(game=game, pk__gt=last).order_by("pk").defer("words")[:MODS_AT_ONCE]):
        yield mods
        last = mods[-1].pk


def _judged_anew(build: Build, profile: GameProfile) -> bool:
    """Whether the layout rules say something else of a build's archive than is written; writes it into the row."""
    before, layout = build.refused, profile.kinds.get(Kind(build.mod.kind))
    if layout is None:
        build.refused = f"{profile.name} has no place for a {build.mod.kind}."
    else:
        try:
            placements((path for path, _, _ in build.files), layout, build.mod.slug, build.root)
            build.refused = ""
        except ConvoyError as error:
            build.refused = error.sentence()[:600]
    return build.refused != before
