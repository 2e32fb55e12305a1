"""A draft as the core sees it: its base, its settling, and the lock that it would publish."""

from collections.abc import Collection as Several
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import repeat
from math import ceil
from typing import Any
from urllib.parse import urljoin

from django.db.models import Prefetch, Q, prefetch_related_objects

from convoy_core.checks.file_set import FileSet
from convoy_core.conflicts.laying import Parts
from convoy_core.conflicts.set_aside import read_list
from convoy_core.draft.collections import (
    Collection,
    Fixed,
    InEffect,
    Together,
    brought_in_by,
    read_collection,
    steps_under,
    together,
    tweaks_under,
    winners_under,
)
from convoy_core.draft.lines import in_order
from convoy_core.draft.parts import AS_IT_COMES, PartRule, as_patterns, read_rule
from convoy_core.draft.settling import Settled, Unsettled, WantedLine, settle
from convoy_core.lock.lock import OVERLAY, Lock, LockedBuild, PlacedFile, TakenUp, lay_down
from convoy_core.lock.terms import Offer, Terms, Tweak, read_step, read_tweak
from convoy_core.machine.memory import Needed, Weight, demand, memory_of
from convoy_core.outside.archive_root import placements
from convoy_core.outside.fields import Fields
from convoy_core.resolve import Freeing, WayOut, edges, needed_by
from convoy_core.settings.formats import Key
from convoy_core.words.model import Archive, Base, Channel, Kind, Pickup, Reach, Side
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.profile import GameProfile
from convoy_core.words.ranges import ANY_VERSION, Range, parse_range
from convoy_core.words.versions import parse_version

from ..catalogue.kept import reach, rows_with_mods
from ..catalogue.models import Build, BuildPlace, Mod, SourceState
from ..catalogue.own import own_source_id
from ..catalogue.sayings import Sayings, own_claims, sayings_of
from ..catalogue.services import BuildRow, core_builds, core_of, ruled_builds, shelf
from .models import Draft, Line, Pack


def base_of(draft: Draft) -> Base:
    return Base(
        draft.pack.game_id,
        parse_version(draft.game_version),
        draft.loader,
        parse_version(draft.loader_version) if draft.loader else None,
        draft.pack.game.profile.loader_names,
    )


def settle_draft(draft: Draft, refresh: Several[str] = ()) -> Settled:
    """What the draft's lines come to now, keeping the builds it has but for those in `refresh`. Saves nothing."""
    under = taken_under(draft)
    lines = wanted_lines(draft, under)
    near = reach(draft.pack, [*(line.mod for line in lines_of(draft)), *under.lines], draft.pk)
    kept = {**brought_in_by(collections_of(draft)), **draft.picks}
    keep = {mod: parse_version(version) for mod, version in kept.items()}
    said, rules = sayings_in(draft), rules_of(draft)
    heard = (tuple(sorted(said.verdicts.items(), key=repr)), repr(sorted(rules.items())))
    eligible = near.eligible(base_of(draft), heard, lambda builds: as_drafted(draft, said.all_heard(builds)))
    off = {line.mod: line.rested_version for line in lines_of(draft) if not line.on and line.rested_version}
    resting = [
        build
        for mod, version in off.items()
        for build in eligible.library.builds_of(mod)
        if build.version.text == version
    ]
    bases = draft.pack.game.profile.neighbours(eligible.base)
    return settle(eligible, lines, keep, refresh, near.called, bases, resting)


def collections_of(draft: Draft) -> list[Collection]:
    """The collections under the draft, in the order in which they are laid down."""
    rows = sorted(draft.collections.items(), key=lambda item: (item[1]["at"], item[0]))
    return [_collection(one, told["sha256"], told) for one, told in rows]


MOST_COLLECTIONS_KEPT = 500
_read: dict[tuple[str, str], Collection] = {}


def _collection(id: str, sha256: str, told: dict[str, Any]) -> Collection:
    """Kept in memory, by what the release is: an edit looks at every one of them again and again."""
    found = _read.get((id, sha256))
    if found is None:
        if len(_read) >= MOST_COLLECTIONS_KEPT:
            _read.clear()
        found = _read[id, sha256] = read_collection(id, Fields(told))
    return found


def taken_under(draft: Draft) -> Together:
    """Which lines of its collections count in this draft."""
    own = {line.mod for line in lines_of(draft)} if draft.collections else set()
    return together(own, collections_of(draft))


def wanted_lines(draft: Draft, under: Together) -> list[WantedLine]:
    """What is wanted, in the order in which one goes before another: the draft's own, then those of collections."""
    own = [WantedLine(line.mod, range_of(line)) for line in lines_of(draft) if line.on]
    return [*own, *(WantedLine(mod, parse_range(f"={one.line.version}")) for mod, one in under.lines.items())]


def rules_of(draft: Draft) -> dict[str, PartRule]:
    """Which parts of which builds the draft lays down, where it or a collection says so."""
    theirs = {mod: one.line.rule for mod, one in taken_under(draft).lines.items() if one.line.rule != AS_IT_COMES}
    return theirs | {mod: read_rule(Fields(told)) for mod, told in draft.parts.items()}


def as_drafted(draft: Draft, builds: Iterable[CoreBuild]) -> list[CoreBuild]:
    """Builds with what their parts ask that this draft lays down."""
    builds = list(builds)
    rules = rules_of(draft)
    ruled = ruled_builds(draft.pack, rules)
    said = sayings_in(draft) if ruled else None
    return [said.heard(ruled.get((one.mod, one.version.text), one)) for one in builds] if said else builds


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


def lines_of(draft: Draft) -> list[Line]:
    """The lines that the draft holds itself, in order; read once, until `read_anew`."""
    prefetch_related_objects([draft], "lines")
    return list(draft.lines.all())


def sayings_in(draft: Draft) -> Sayings:
    """What the draft's crew says of builds; read once, until `read_anew`."""
    found: Sayings | None = vars(draft).get("_sayings")
    if found is None:
        found = vars(draft)["_sayings"] = sayings_of(draft.pack)
    return found


def read_anew(draft: Draft) -> None:
    """Forgets lines and sayings that were read before edits changed them."""
    vars(draft).pop("_prefetched_objects_cache", None)
    vars(draft).pop("_sayings", None)


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
    through: Mapping[str, InEffect] = field(default_factory=dict)
    """Of the chosen those that are lines of collections."""


def picked(draft: Draft, with_files: bool = False, with_places: bool = False) -> Picked:
    """In the order in which they are laid down (`draft.lines.in_order`); with what their archives hold, and with where
    else they can be fetched.
    """
    through = taken_under(draft).lines
    last = len(draft.collections)
    places = {mod: one.place for mod, one in through.items()}
    places |= {line.mod: (last, line.order) for line in lines_of(draft) if line.on}
    rows = Build.objects.filter(mod__in=shelf(draft.pack).filter(slug__in=draft.picks))
    rows = rows.filter(version__in=set(draft.picks.values()))
    if with_files or with_places:
        rows = rows.select_related("mod__source")
        rows = rows.defer("mod__words") if with_files else rows.defer("mod__words", "files")
        if with_places:
            rows = rows.prefetch_related(further_places(draft.pack))
        found = [row for row in rows if draft.picks[row.mod.slug] == row.version]
    else:
        found = rows_with_mods(rows, lambda mod, version: draft.picks[mod] == version)
    place = {mod: at for at, mod in enumerate(in_order(places, draft.picks))}
    found.sort(key=lambda row: place[row.mod.slug])
    return Picked(found, {mod for mod in draft.picks if mod in places}, through)


def further_places(pack: Pack) -> "Prefetch[str]":
    """Where else builds can be fetched, for those who see this pack."""
    seen = Q(source__crew=None) | Q(source__crew=pack.crew_id)
    open_ones = BuildPlace.objects.filter(seen, source__state=SourceState.READ, source__pickup=Pickup.DIRECT)
    return Prefetch("places", open_ones.select_related("source").order_by("source"))


def kept_for(
    draft: Draft, builds: Mapping[str, Sequence[BuildRow]], picks: Mapping[str, CoreBuild]
) -> dict[str, list[str]]:
    """For each mod, the lines that are off and gone, whose needs alone keep it in: switching on again moves nothing."""
    off = {line.mod: line.rested_version for line in lines_of(draft) if not line.on and line.mod not in picks}
    resting = {mod: row.core for mod, version in off.items() for row in builds.get(mod, ()) if row.version == version}
    askers = needed_by({**picks, **resting})
    return {mod: [one for one in askers.get(mod, ()) if one in resting] for mod in picks}


def picked_builds(pack: Pack) -> Mapping[str, CoreBuild]:
    """The draft's builds as the core sees them, by mod."""
    picks = pack.draft.picks
    rows = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=picks), version__in=set(picks.values()))
    drafted = as_drafted(pack.draft, core_builds(pack, rows))
    found = {one.mod: one for one in drafted if picks[one.mod] == one.version.text}
    return {mod: found[mod] for mod in picks if mod in found}


def layers(
    draft: Draft, with_files: bool = True, found: Picked | None = None
) -> Sequence[tuple[LockedBuild, Sequence[PlacedFile]]]:
    """The draft's builds in order, each with the files it places by the game profile's layout and the draft's parts;
    the pack's own files last. `found`: its builds, where they were read already.
    """
    found = found or picked(draft, with_places=with_files)
    profile = draft.pack.game.profile
    said, rules = sayings_in(draft), rules_of(draft)
    result: list[tuple[LockedBuild, Sequence[PlacedFile]]] = []
    met_by: dict[str, list[str]] = {}
    cores = as_drafted(draft, (core_of(row, row.mod.slug) for row in found.rows))
    for edge in edges({core.mod: core for core in cores}):
        met_by.setdefault(edge.asker, []).append(edge.met_by)
    lines = {line.mod: line for line in lines_of(draft)}
    locked = []
    for row in found.rows:
        slug = row.mod.slug
        memory = ceil(memory_of(_weight(row), profile.memory))
        claims = said.claims_of(slug, own_claims(row))
        said_here = lines.get(slug) or (found.through[slug].line if slug in found.through else None)
        build = _locked(row, row.mod, slug in found.chosen, met_by.get(slug, ()), said_here, memory)
        added = said.additions.get(slug)
        locked.append(
            replace(
                build,
                claims=claims,
                laid=as_patterns(claims, rules.get(slug, AS_IT_COMES)),
                collection=found.through[slug].collection.id if slug in found.through else "",
                side=Side(added.side) if added and added.side else build.side,
                reach=Reach(added.reach) if added and added.reach else build.reach,
            )
        )
    files = _files_of(found.rows, locked, profile) if with_files else repeat(())
    result.extend(zip(locked, files, strict=False))
    if draft.own_files:
        result.append(own_layer(draft))
    return result


MOST_PLACED = 1_000_000
"""Placed files kept in memory, of all builds together: some 300 MB at most, the packs of a busy site."""

_placed: dict[tuple[int, str, str, str | None, Parts], FileSet] = {}


def placed_whole(row: Build, locked: LockedBuild, profile: GameProfile) -> list[PlacedFile]:
    """Every file of a build that could be laid down, in the order of its archive."""
    members = {path: (size, sha256) for path, size, sha256 in row.files}
    placed = placements(members, profile.kinds[locked.kind], locked.mod, row.root)
    return [PlacedFile(path, *members[member], locked.mod, member) for path, member in placed.items()]


def _files_of(rows: Sequence[Build], locked: Sequence[LockedBuild], profile: GameProfile) -> list[Sequence[PlacedFile]]:
    """What each build lays down. Kept in memory: a build's files never change, and reading and judging their paths is
    most of the cost of a check.
    """
    keys = [(row.pk, *_layout(build, profile), row.root, build.laid) for row, build in zip(rows, locked, strict=True)]
    if missing := {row.pk: row for row, key in zip(rows, keys, strict=True) if key not in _placed}:
        if sum(map(len, _placed.values())) > MOST_PLACED:
            _placed.clear()
        for pk, files in Build.objects.filter(pk__in=missing).values_list("pk", "files"):
            missing[pk].files = files
    found: list[Sequence[PlacedFile]] = []
    for row, build, key in zip(rows, locked, keys, strict=True):
        if key not in _placed:
            top = len(profile.kinds[build.kind].top(build.mod))
            whole = placed_whole(row, build, profile)
            _placed[key] = FileSet(file for file in whole if build.laid.keep(file.path[top:]))
        found.append(_placed[key])
    return found


def _layout(build: LockedBuild, profile: GameProfile) -> tuple[str, str]:
    layout = profile.kinds[build.kind]
    return layout.place, layout.marker


def own_layer(draft: Draft) -> tuple[LockedBuild, Sequence[PlacedFile]]:
    """The pack's own files as a build that comes last: an archive of the crew's own, whose members are the paths."""
    archive = draft.own_files["archive"]
    locked = LockedBuild(
        mod=OVERLAY,
        name="Own files",
        version=archive["sha256"][:12],
        kind=Kind.SETTINGS,
        channel=Channel.STABLE,
        chosen=True,
        side=Side.BOTH,
        reach=Reach.CREW,
        licence="",
        source=own_source_id(draft.pack),
        pickup=Pickup.OURS,
        urls=(archive["sha256"],),
        page="",
        archive=Archive("own-files.zip", archive["size"], archive["sha256"]),
    )
    files = draft.own_files["files"]
    return locked, [PlacedFile(path, one["size"], one["sha256"], OVERLAY, path) for path, one in files.items()]


def set_aside_of(draft: Draft) -> tuple[str, ...]:
    """The patterns of the draft's list that are patterns."""
    return tuple(line.pattern for line in read_list(draft.set_aside) if not line.trouble)


def lock_of(draft: Draft, with_files: bool = True, found: Picked | None = None) -> Lock:
    """The lock that publishing the draft would fix. Without files it is enough for a change log."""
    profile = draft.pack.game.profile
    carried = layers(draft, with_files, found)
    under = tuple(TakenUp(one.id, one.name, one.number, one.sha256) for one in collections_of(draft))
    return lay_down(
        carried, base_of(draft), profile.managed, terms_of(draft), winners_of(draft), set_aside_of(draft), under
    )


def winners_of(draft: Draft) -> dict[str, str]:
    """Whose file lies where, as collections among their own mods and then the pack says."""
    own: dict[str, str] = draft.winners
    return {**winners_under(taken_under(draft).lines, collections_of(draft)), **own}


def terms_of(draft: Draft) -> Terms:
    """What publishing would fix beside files: the game's places of settings and worlds, the pack's tweaks and steps."""
    profile = draft.pack.game.profile
    own = own_tweaks(draft)
    return Terms(
        profile.settings,
        profile.worlds,
        (*(tweak for _, tweak in under_tweaks(draft, own)), *own),
        (*steps_under(collections_of(draft)), *(read_step(Fields(one)) for one in draft.steps)),
        _offers(draft),
    )


def own_tweaks(draft: Draft) -> list[Tweak]:
    """What the draft itself sets now."""
    return [read_tweak(Fields(one)) for one in effective(draft)]


def under_tweaks(draft: Draft, own: Iterable[Tweak]) -> list[tuple[str, Tweak]]:
    """What collections set where the pack does not, each with its collection's id."""
    return tweaks_under(own, collections_of(draft))


def _offers(draft: Draft) -> tuple[Offer, ...]:
    """Sets that are on and that members choose themselves; one that is empty is none."""
    offered = {one: told["name"] for one, told in sets_of(draft).items() if told["on"] and told.get("offered")}
    held = {one: tuple(read_tweak(Fields(row)) for row in draft.tweaks if row.get("set") == one) for one in offered}
    return tuple(Offer(one, name, held[one]) for one, name in offered.items() if held[one])


def effective(draft: Draft) -> list[dict[str, Any]]:
    """The settings that the pack sets now: those of no set, and those of sets that are on and not a member's choice. Of
    one key those of a set go before, and a later set's before an earlier's.
    """
    order = ["", *(one for one, told in sets_of(draft).items() if told["on"] and not told.get("offered"))]
    rank = {one: at for at, one in enumerate(order)}
    holding = [one for one in draft.tweaks if one.get("set", "") in rank]
    holding.sort(key=lambda one: rank[one.get("set", "")])
    found = {(one["path"], tuple(one["key"])): one for one in holding}
    return list(found.values())


def sets_of(draft: Draft) -> dict[str, dict[str, Any]]:
    """Its sets of settings in the order in which they were made: the database keeps none among names."""
    return dict(sorted(draft.tweak_sets.items(), key=lambda item: (item[1].get("made", 0), item[0])))


def shown_tweaks(draft: Draft, of_set: str = "") -> dict[tuple[str, Key], dict[str, Any]]:
    """One row for each key that the draft or a collection sets, by file and key: what `of_set` has, else what holds,
    else any.
    """
    own = [one for one in draft.tweaks if of_set and one.get("set") == of_set]
    theirs = _rows_under(draft)
    every = (*theirs, *reversed(draft.tweaks), *effective(draft), *own)
    return {(one["path"], tuple(one["key"])): one for one in every}


def _rows_under(draft: Draft) -> list[dict[str, Any]]:
    """Settings of collections as rows of the draft: `collection` says whose each is."""
    found = [(one, tweak) for one in collections_of(draft) for tweak in one.tweaks]
    return [{**tweak.as_data(), "collection": one.name} for one, tweak in found]


def tweaks_of(draft: Draft) -> dict[tuple[str, Key], Tweak]:
    """All that the draft sets, those of sets that are off among them, by file and key."""
    return {place: read_tweak(Fields(one)) for place, one in shown_tweaks(draft).items()}


def needed_by_draft(draft: Draft, found: Picked | None = None) -> Needed:
    """What the draft demands of a machine: memory as the strip adds it up, disk, and the runtime of its base."""
    profile = draft.pack.game.profile
    asked = demand(map(_weight, (found or picked(draft)).rows), profile.memory)
    return Needed(asked.minimum, asked.recommended, asked.disk, profile.runtime_of(base_of(draft)))


def _weight(row: Build) -> Weight:
    return Weight(Kind(row.mod.kind), row.unpacked, row.archive_size, row.memory)


def _locked(
    row: Build, mod: Mod, chosen: bool, needs: Sequence[str], line: Line | Fixed | None, memory: int
) -> LockedBuild:
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
    )
