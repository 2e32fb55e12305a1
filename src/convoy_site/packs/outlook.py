"""Looking ahead in a draft: what an update would bring, which base would suit, and why a mod is in. Changes nothing."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.db.models import QuerySet

from convoy_core.draft.bases import BaseOutlook, outlook
from convoy_core.resolve import Edge, Shelves, edges, why_not
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.model import Channel
from convoy_core.words.versions import parse_version

from ..catalogue.kept import closure
from ..catalogue.models import Build, Mod
from ..catalogue.services import BuildRow, build_rows, shelf
from . import drafts
from .models import Pack


@dataclass
class Update:
    """One mod that an update of everything would move, bring in or let go; `before` or `after` empty accordingly."""

    mod: str
    name: str
    before: str
    after: str
    chosen: bool
    size: int
    logs: list[tuple[str, str]]
    """Version and change log of each build passed on the way, newest first."""


@dataclass
class Behind:
    """A mod that has a newer build which an update would not take, and why."""

    mod: str
    name: str
    version: str
    newest: str
    why: str


def updates(pack: Pack) -> tuple[list[Update], list[Behind]]:
    draft = pack.draft
    settled = drafts.settle_draft(draft, set(draft.picks))
    after = {mod: build.version.text for mod, build in settled.picks.items()}
    slugs = draft.picks.keys() | after.keys()
    mods = {mod.slug: mod for mod in shelf(pack).filter(slug__in=slugs)}
    rows = build_rows(drafts.sayings_in(pack.draft), {mod.pk: slug for slug, mod in mods.items()})
    chosen = {*draft.lines.values_list("mod", flat=True), *drafts.taken_under(draft).lines}
    moved = []
    for slug in sorted(slugs & mods.keys(), key=lambda one: (one not in chosen, mods[one].name.casefold())):
        old, new = draft.picks.get(slug, ""), after.get(slug, "")
        if old != new:
            size = next((row.archive_size for row in rows[mods[slug].pk] if row.version == new), 0)
            moved.append(Update(slug, mods[slug].name, old, new, slug in chosen, size, []))
    _add_logs(pack, moved)
    return moved, _behind(pack, settled.picks, {slug: rows[mod.pk] for slug, mod in mods.items()}, mods)


def newer_builds(pack: Pack) -> list[Build]:
    """The builds that taking every update would bring, and those that are newer than what stays behind."""
    moved, behind = updates(pack)
    moves = {(one.mod, one.after) for one in moved if one.before and one.after}
    moves |= {(one.mod, one.newest) for one in behind}
    rows = Build.objects.filter(mod__in=shelf(pack), mod__slug__in={mod for mod, _ in moves}, gone=False)
    return [row for row in rows.select_related("mod__source") if (row.mod.slug, row.version) in moves]


def _add_logs(pack: Pack, moved: list[Update]) -> None:
    by_mod: dict[str, list[tuple[str, str]]] = {}
    wanted = [one.mod for one in moved if one.before and one.after]
    for row in Build.objects.filter(mod__game=pack.game_id, mod__slug__in=wanted, gone=False).values_list(
        "mod__slug", "version", "change_log"
    ):
        by_mod.setdefault(row[0], []).append(row[1:])
    for one in moved:
        low, high = parse_version(one.before), parse_version(one.after)
        passed = [row for row in by_mod.get(one.mod, ()) if low < parse_version(row[0]) <= high and row[1]]
        one.logs = sorted(passed, key=lambda row: parse_version(row[0]), reverse=True)


def _behind(
    pack: Pack, picks: Mapping[str, CoreBuild], rows: dict[str, list[BuildRow]], mods: dict[str, Mod]
) -> list[Behind]:
    held = {line.mod: line for line in pack.draft.lines.all() if line.held_version}
    fixed = drafts.taken_under(pack.draft).lines
    base = drafts.base_of(pack.draft)
    names = drafts.names_of(pack, picks)
    found = []
    for slug, pick in sorted(picks.items()):
        newer = [
            row.core
            for row in rows.get(slug, ())
            if not row.gone and not row.refused and row.channel == Channel.STABLE and row.core.version > pick.version
        ]
        if not newer:
            continue
        newest = max(newer, key=lambda build: build.version)
        if slug in held:
            reason = held[slug].held_because
            why = f"you hold it at {held[slug].held_version}" + (f": {reason}" if reason else "")
        elif slug in fixed:
            one = fixed[slug].collection
            why = f"{one.name} {one.number} fixes it"
        else:
            why = why_not(newest, base, picks, names) or "it would move something else that is to stay"
        found.append(Behind(slug, mods[slug].name, pick.version.text, newest.version.text, why))
    return found


def base_outlooks(pack: Pack) -> tuple[list[BaseOutlook], dict[str, str]]:
    """Every base of the game, the present one with its own loader version; and the names of the mods spoken of."""
    wanted = drafts.wanted_lines(pack.draft, drafts.taken_under(pack.draft))
    mods = shelf(pack)
    slugs = [line.mod for line in wanted]
    counterparts = counterparts_of(mods, slugs)
    builds = closure(pack, [*slugs, *(one for others in counterparts.values() for one in others)])
    library, picks = Shelves(builds), drafts.picked_builds(pack)
    now = drafts.base_of(pack.draft)
    bases = [
        now if (one.version, one.loader) == (now.version, now.loader) else one for one in pack.game.profile.bases()
    ]
    found = [outlook(base, wanted, library, picks, counterparts) for base in bases]
    spoken = {*slugs, *(other for one in found for other in one.through.values())}
    return found, dict(mods.filter(slug__in=spoken).values_list("slug", "name"))


def counterparts_of(mods: QuerySet[Mod], slugs: Sequence[str]) -> dict[str, list[str]]:
    """Of each mod, those that do its job on another loader, whichever of the two says so."""
    counterparts: dict[str, list[str]] = {slug: [] for slug in slugs}
    for slug, other in mods.filter(slug__in=slugs).exclude(counterpart="").values_list("slug", "counterpart"):
        counterparts[slug].append(other)
    for slug, other in mods.filter(counterpart__in=slugs).values_list("slug", "counterpart"):
        if slug not in counterparts[other]:
            counterparts[other].append(slug)
    return counterparts


def needs_around(pack: Pack, mod: str) -> tuple[list[Edge], dict[str, str], set[str]]:
    """The needs that lead from chosen lines to a mod and from it onwards; names and chosen lines among them."""
    picks = drafts.picked_builds(pack)
    found = edges(picks)
    above, below = _spread({mod}, found, upwards=True), _spread({mod}, found, upwards=False)
    kept = [edge for edge in found if (edge.met_by in above and edge.asker in above) or edge.asker in below]
    spoken = {mod, *(one for edge in kept for one in (edge.asker, edge.met_by))}
    names = dict(shelf(pack).filter(slug__in=spoken).values_list("slug", "name"))
    chosen = {*pack.draft.lines.values_list("mod", flat=True), *drafts.taken_under(pack.draft).lines}
    return kept, names, chosen & spoken


def _spread(start: set[str], found: list[Edge], upwards: bool) -> set[str]:
    reached, waiting = set(start), list(start)
    near: dict[str, list[str]] = {}
    for edge in found:
        a, b = (edge.met_by, edge.asker) if upwards else (edge.asker, edge.met_by)
        near.setdefault(a, []).append(b)
    for one in waiting:
        for other in near.get(one, ()):
            if other not in reached:
                reached.add(other)
                waiting.append(other)
    return reached
