"""A draft as the core sees it: its base, its settling, and the lock that it would publish."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from math import ceil
from typing import Any
from urllib.parse import urljoin

from django.db.models import Prefetch, Q

from convoy_core.checks import Finding, Subject, run_checks
from convoy_core.draft.lines import in_order
from convoy_core.draft.settling import Settled, Unsettled, WantedLine, settle
from convoy_core.lock.lock import Lock, LockedBuild, PlacedFile, lay_down
from convoy_core.lock.terms import Terms, read_step, read_tweak
from convoy_core.machine.memory import Needed, Weight, demand, memory_of
from convoy_core.outside.archive_root import placements
from convoy_core.outside.claims import read_claims
from convoy_core.outside.fields import Fields
from convoy_core.resolve import Eligible, Freeing, Shelves, WayOut, edges, needed_by
from convoy_core.words.model import Archive, Base, Channel, Kind, Pickup, Reach, Side
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.ranges import ANY_VERSION, Range, parse_range
from convoy_core.words.versions import parse_version

from ..catalogue.models import Build, BuildPlace, Mod, SourceState
from ..catalogue.services import BuildRow, closure, core_builds, core_of, shelf
from .models import Draft, Line, Pack


def base_of(draft: Draft) -> Base:
    return Base(
        draft.pack.game_id,
        parse_version(draft.game_version),
        draft.loader,
        parse_version(draft.loader_version) if draft.loader else None,
        draft.pack.game.profile.loader_names,
    )


def settle_draft(draft: Draft, refresh: Collection[str] = ()) -> Settled:
    """What the draft's lines come to now, keeping the builds it has but for those in `refresh`. Saves nothing."""
    lines = [WantedLine(line.mod, range_of(line)) for line in draft.lines.all() if line.on]
    builds = closure(draft.pack, [line.mod for line in draft.lines.all()])
    keep = {mod: parse_version(version) for mod, version in draft.picks.items()}
    mods = shelf(draft.pack).filter(slug__in={build.mod for build in builds})
    eligible = Eligible(Shelves(builds), base_of(draft))
    off = {line.mod: line.rested_version for line in draft.lines.all() if not line.on and line.rested_version}
    resting = [build for build in builds if off.get(build.mod) == build.version.text]
    names = dict(mods.values_list("slug", "name"))
    bases = draft.pack.game.profile.neighbours(eligible.base)
    return settle(eligible, lines, keep, refresh, names, bases, resting)


def as_kept(draft: Draft, unsettled: Unsettled) -> dict[str, Any]:
    """Why a line has no build, as `Draft.unsettled` keeps it; each way out with the edit that carries it out."""
    ways = [{"text": way.text, "edit": _edit_for(way)} for way in unsettled.ways_out]
    return {"why": unsettled.sentence(), "core": list(unsettled.core), "ways": ways}


def _edit_for(way: WayOut) -> dict[str, Any]:
    if way.base is not None:
        version = str(way.base.loader_version or "")
        base = {"game_version": str(way.base.version), "loader": way.base.loader, "loader_version": version}
        return {"do": "base", **base}
    if way.freeing is Freeing.LEAVE_OUT:
        return {"do": "remove", "mod": way.mod}
    held = way.range.text.removeprefix("=") if way.range is not None and way.freeing is Freeing.TEST_BUILD else ""
    return {"do": "hold", "mod": way.mod, "version": held, "because": "the only build that goes" if held else ""}


def read_anew(draft: Draft) -> None:
    """Forgets lines that were read before edits changed them."""
    vars(draft).pop("_prefetched_objects_cache", None)


def names_of(pack: Pack, mods: Iterable[str]) -> dict[str, str]:
    """What mods are called; one that no source has any more goes by its id."""
    wanted = set(mods)
    return {mod: mod for mod in wanted} | dict(shelf(pack).filter(slug__in=wanted).values_list("slug", "name"))


def range_of(line: Line) -> Range:
    return parse_range(f"={line.held_version}") if line.held_version else ANY_VERSION


@dataclass
class Picked:
    """The builds of a draft as the database has them, in the order in which they are laid down."""

    rows: list[Build] = field(default_factory=list)
    chosen: set[str] = field(default_factory=set)


def picked(draft: Draft, with_files: bool = False) -> Picked:
    """In the order in which they are laid down (`draft.lines.in_order`)."""
    order = {line.mod: line.order for line in draft.lines.all() if line.on}
    rows = Build.objects.filter(mod__in=shelf(draft.pack).filter(slug__in=draft.picks))
    rows = rows.filter(version__in=set(draft.picks.values())).select_related("mod__source")
    rows = rows.prefetch_related(further_places(draft.pack)) if with_files else rows.defer("files", "mod__words")
    found = [row for row in rows if draft.picks[row.mod.slug] == row.version]
    place = {mod: at for at, mod in enumerate(in_order(order, draft.picks))}
    found.sort(key=lambda row: place[row.mod.slug])
    return Picked(found, {mod for mod in draft.picks if mod in order})


def further_places(pack: Pack) -> "Prefetch[str]":
    """Where else builds can be fetched, for those who see this pack."""
    seen = Q(source__crew=None) | Q(source__crew=pack.crew_id)
    open_ones = BuildPlace.objects.filter(seen, source__state=SourceState.READ, source__pickup=Pickup.DIRECT)
    return Prefetch("places", open_ones.select_related("source").order_by("source"))


def kept_for(
    draft: Draft, builds: Mapping[str, Sequence[BuildRow]], picks: Mapping[str, CoreBuild]
) -> dict[str, list[str]]:
    """For each mod, the lines that are off and gone, whose needs alone keep it in: switching on again moves nothing."""
    off = {line.mod: line.rested_version for line in draft.lines.all() if not line.on and line.mod not in picks}
    resting = {mod: row.core for mod, version in off.items() for row in builds.get(mod, ()) if row.version == version}
    askers = needed_by({**picks, **resting})
    return {mod: [one for one in askers.get(mod, ()) if one in resting] for mod in picks}


def picked_builds(pack: Pack) -> Mapping[str, CoreBuild]:
    """The draft's builds as the core sees them, by mod."""
    picks = pack.draft.picks
    rows = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=picks), version__in=set(picks.values()))
    found = {one.mod: one for one in core_builds(rows) if picks[one.mod] == one.version.text}
    return {mod: found[mod] for mod in picks if mod in found}


def layers(draft: Draft, with_files: bool = True) -> Sequence[tuple[LockedBuild, list[PlacedFile]]]:
    """The draft's builds in order, each with the files it places by the game profile's layout."""
    found = picked(draft, with_files)
    profile = draft.pack.game.profile
    result = []
    met_by: dict[str, list[str]] = {}
    for edge in edges({row.mod.slug: core_of(row, row.mod.slug) for row in found.rows}):
        met_by.setdefault(edge.asker, []).append(edge.met_by)
    lines = {line.mod: line for line in draft.lines.all()}
    for row in found.rows:
        slug = row.mod.slug
        memory = ceil(memory_of(_weight(row), profile.memory))
        locked = _locked(row, row.mod, slug in found.chosen, met_by.get(slug, ()), lines.get(slug), memory)
        files = []
        if with_files:
            members = {path: (size, sha256) for path, size, sha256 in row.files}
            placed = placements(members, profile.kinds[locked.kind], locked.mod, row.root)
            files = [PlacedFile(path, *members[member], locked.mod, member) for path, member in placed.items()]
        result.append((locked, files))
    return result


def lock_of(draft: Draft, with_files: bool = True) -> Lock:
    """The lock that publishing the draft would fix. Without files it is enough for a change log."""
    profile = draft.pack.game.profile
    return lay_down(layers(draft, with_files), base_of(draft), profile.managed, terms_of(draft))


def terms_of(draft: Draft) -> Terms:
    """What publishing would fix beside files: the game's places of settings and worlds, the pack's tweaks and steps."""
    profile = draft.pack.game.profile
    return Terms(
        profile.settings,
        profile.worlds,
        tuple(read_tweak(Fields(one)) for one in draft.tweaks),
        tuple(read_step(Fields(one)) for one in draft.steps),
    )


def needed_by_draft(draft: Draft) -> Needed:
    """What the draft demands of a machine: memory as the strip adds it up, disk, and the runtime of its base."""
    profile = draft.pack.game.profile
    rows = picked(draft).rows
    asked = demand(map(_weight, rows), profile.memory)
    return Needed(asked.minimum, asked.recommended, asked.disk, profile.runtime_of(base_of(draft)))


def _weight(row: Build) -> Weight:
    return Weight(Kind(row.mod.kind), row.unpacked, row.archive_size, row.memory)


def findings(draft: Draft) -> list[Finding]:
    names = names_of(draft.pack, draft.unsettled)
    unsettled = {mod: (names[mod], one["why"]) for mod, one in draft.unsettled.items()}
    return run_checks(Subject(layers(draft), unsettled))


def _locked(row: Build, mod: Mod, chosen: bool, needs: Sequence[str], line: Line | None, memory: int) -> LockedBuild:
    # Only rows that were read with their places: where no lock is published, nobody fetches.
    places = row.places.all() if "places" in getattr(row, "_prefetched_objects_cache", {}) else ()
    elsewhere = [urljoin(one.source.address.rstrip("/") + "/", one.url) for one in places]
    return LockedBuild(
        mod=mod.slug,
        name=mod.name,
        version=row.version,
        kind=Kind(mod.kind),
        channel=Channel(row.channel),
        chosen=chosen,
        side=Side(row.side),
        reach=Reach(row.reach),
        licence=mod.licence,
        source=mod.source_id,
        pickup=Pickup(mod.source.pickup),
        urls=tuple(filter(None, (row.url, *row.mirrors, *elsewhere))),
        page=mod.page,
        archive=Archive(row.archive_name, row.archive_size, row.archive_sha256),
        needs=tuple(sorted(set(needs))),
        optional=bool(line and line.optional),
        advice=line.advice if line else "",
        on_removal=mod.on_removal,
        memory=memory,
        claims=read_claims(Fields(row.claims)),
    )
