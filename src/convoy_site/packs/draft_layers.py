"""What a draft lays down: its builds with their files in order, and the lock that publishing it would fix."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from itertools import repeat
from math import ceil
from typing import Any, NamedTuple
from urllib.parse import urljoin
from uuid import UUID

from django.db.models import Prefetch, Q

from convoy_core.checks.file_set import FileSet
from convoy_core.conflicts.laying import Parts
from convoy_core.conflicts.set_aside import read_list
from convoy_core.draft.collections import (
    InEffect,
    winners_under,
)
from convoy_core.draft.lines import in_order
from convoy_core.draft.parts import AS_IT_COMES, PartRule, as_patterns
from convoy_core.lock.lock import OVERLAY, Lock, LockedBuild, PlacedFile, TakenUp, lay_down
from convoy_core.machine.memory import Needed, Weight, demand, memory_of
from convoy_core.outside.archive_root import placements
from convoy_core.resolve import edges
from convoy_core.words.kept import Kept
from convoy_core.words.model import Archive, Channel, Kind, Pickup, Reach, Side
from convoy_core.words.profile import GameProfile

from ..catalogue.kept import rows_with_mods
from ..catalogue.models import Build, BuildPlace, SourceState
from ..catalogue.own import own_source_id
from ..catalogue.sayings import Sayings, own_claims
from ..catalogue.services import core_of, shelf
from ..remembered import Remembered
from . import draft_terms, drafts
from .models import Draft, Pack


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
    through = drafts.taken_under(draft).lines
    last = len(draft.collections)
    places = {mod: one.place for mod, one in through.items()}
    places |= {line.mod: (last, line.order) for line in drafts.lines_of(draft) if line.on}
    if with_files or with_places:
        rows = Build.objects.filter(mod__in=shelf(draft.pack).filter(slug__in=draft.picks))
        rows = rows.filter(version__in=set(draft.picks.values())).select_related("mod__source")
        rows = rows.defer("mod__words") if with_files else rows.defer("mod__words", "files")
        if with_places:
            rows = rows.prefetch_related(further_places(draft.pack))
        found = [row for row in rows if draft.picks[row.mod.slug] == row.version]
    else:
        near = drafts.near_to(draft, draft.picks)
        found = rows_with_mods([row.pk for row in drafts.picked_rows(draft, near)], near.mark)
    place = {mod: at for at, mod in enumerate(in_order(places, draft.picks))}
    found.sort(key=lambda row: place[row.mod.slug])
    return Picked(found, {mod for mod in draft.picks if mod in places}, through)


def further_places(pack: Pack) -> "Prefetch[str]":
    """Where else builds can be fetched, for those who see this pack."""
    seen = Q(source__crew=None) | Q(source__crew=pack.crew_id)
    open_ones = BuildPlace.objects.filter(seen, source__state=SourceState.READ, source__pickup=Pickup.DIRECT)
    return Prefetch("places", open_ones.select_related("source").order_by("source"))


@dataclass(frozen=True)
class Seen:
    """A draft's builds without what their archives hold, and as a lock has them."""

    rows: Sequence[Build]
    locked: Sequence[LockedBuild]


_seen: Remembered[UUID, Seen] = Remembered(24)
"""Of drafts that somebody looks at just now: several of a page's parts ask for it."""


def seen(draft: Draft) -> Seen:
    """Kept until anything changes that it rests on. Never within an edit, whose draft may be taken back."""
    return _seen.get(draft.pack_id, drafts.mark_of(draft), lambda: look_at(draft))


def look_at(draft: Draft, with_places: bool = False) -> Seen:
    """As the draft is at this moment; `with_places`: of a lock that somebody is to fetch by."""
    found = picked(draft, with_places=with_places)
    return Seen(found.rows, _locked(draft, found))


def layers(
    draft: Draft, with_files: bool = True, seen: Seen | None = None
) -> Sequence[tuple[LockedBuild, Sequence[PlacedFile]]]:
    """The draft's builds in order, each with the files it places by the game profile's layout and the draft's parts;
    the pack's own files last. `seen`: its builds, where nobody is to fetch them.
    """
    seen = seen or look_at(draft, with_places=with_files)
    files = _files_of(seen.rows, seen.locked, draft.pack.game.profile) if with_files else repeat(())
    result = list(zip(seen.locked, files, strict=False))
    return [*result, own_layer(draft)] if draft.own_files else result


def _locked(draft: Draft, found: Picked) -> list[LockedBuild]:
    """The builds as a lock has them, with what the crew and the draft's lines say of them."""
    profile = draft.pack.game.profile
    said, rules = drafts.sayings_in(draft), drafts.rules_of(draft)
    met_by: dict[str, list[str]] = {}
    cores = drafts.as_drafted(draft, (core_of(row, row.mod.slug) for row in found.rows))
    for edge in edges({core.mod: core for core in cores}):
        met_by.setdefault(edge.asker, []).append(edge.met_by)
    lines = {line.mod: line for line in drafts.lines_of(draft)}
    locked = []
    for row in found.rows:
        slug = row.mod.slug
        theirs, added = found.through.get(slug), said.additions.get(slug)
        line = lines.get(slug) or (theirs and theirs.line)
        told = _Told(
            slug in found.chosen,
            tuple(sorted(set(met_by.get(slug, ())))),
            bool(line and line.optional),
            line.advice if line else "",
            theirs.collection.id if theirs else "",
            rules.get(slug, AS_IT_COMES),
            (added.side, added.reach, added.claims) if added else None,
        )
        version = vars(row).get("row_version")
        make = partial(_locked_build, row, told, said, profile)
        locked.append(_locked_builds.get(row.pk, (version, told, profile.memory), (), make) if version else make())
    return locked


class _Told(NamedTuple):
    """What draft and crew say of one of its builds; `added`: side, reach and claims that the crew adds."""

    chosen: bool
    needs: tuple[str, ...]
    optional: bool
    advice: str
    collection: str
    rule: PartRule
    added: tuple[str, str, dict[str, Any]] | None


_locked_builds = Kept()
"""Of all drafts, by the build's primary key."""


def _locked_build(row: Build, told: _Told, said: Sayings, profile: GameProfile) -> LockedBuild:
    """It rests on the row, on what is told, and on the profile's reckoning of memory alone."""
    mod = row.mod
    claims = said.claims_of(mod.slug, own_claims(row))
    their_side, their_reach, _ = told.added or ("", "", {})
    return LockedBuild(
        mod=mod.slug,
        name=mod.name,
        version=row.version,
        kind=Kind(mod.kind),
        channel=Channel(row.channel),
        chosen=told.chosen,
        side=Side(their_side or row.side),
        reach=Reach(their_reach or row.reach),
        licence=mod.licence,
        source=mod.source_id,
        pickup=Pickup(mod.source.pickup),
        urls=tuple(filter(None, (row.url, *row.mirrors, *_elsewhere(row)))),
        page=mod.page,
        archive=Archive(row.archive_name, row.archive_size, row.archive_sha256),
        needs=told.needs,
        optional=told.optional,
        advice=told.advice,
        on_removal=mod.on_removal,
        memory=ceil(memory_of(_weight(row), profile.memory)),
        claims=claims,
        laid=as_patterns(claims, told.rule),
        collection=told.collection,
    )


def _elsewhere(row: Build) -> list[str]:
    """Only of rows that were read with their places: where no lock is published, nobody fetches."""
    places = row.places.all() if "places" in getattr(row, "_prefetched_objects_cache", {}) else ()
    return [urljoin(one.source.address.rstrip("/") + "/", one.url) for one in places]


MOST_PLACED = 1_000_000
"""Placed files kept in memory, of all builds together: some 300 MB at most, the packs of a busy site."""


_placed: dict[tuple[int, str, str, str | None, Parts], FileSet] = {}


def placed_whole(
    row: Build, files: Iterable[tuple[str, int, str]], locked: LockedBuild, profile: GameProfile
) -> list[PlacedFile]:
    """Every file of a build that could be laid down, in the order of its archive."""
    members = {path: (size, sha256) for path, size, sha256 in files}
    placed = placements(members, profile.kinds[locked.kind], locked.mod, row.root)
    return [PlacedFile(path, *members[member], locked.mod, member) for path, member in placed.items()]


def _files_of(rows: Sequence[Build], locked: Sequence[LockedBuild], profile: GameProfile) -> list[Sequence[PlacedFile]]:
    """What each build lays down. Kept in memory: a build's files never change, and reading and judging their paths is
    most of the cost of a check.
    """
    keys = [(row.pk, *_layout(build, profile), row.root, build.laid) for row, build in zip(rows, locked, strict=True)]
    held: dict[int, list[Any]] = {}
    if missing := [row.pk for row, key in zip(rows, keys, strict=True) if key not in _placed]:
        if sum(map(len, _placed.values())) > MOST_PLACED:
            _placed.clear()
        held = dict(Build.objects.filter(pk__in=missing).values_list("pk", "files"))
    found: list[Sequence[PlacedFile]] = []
    for row, build, key in zip(rows, locked, keys, strict=True):
        if key not in _placed:
            top = len(profile.kinds[build.kind].top(build.mod))
            # Another thread may have dropped it meanwhile: then it is read by itself.
            carried = held[row.pk] if row.pk in held else row.files  # noqa: SIM401 - what is not read is asked for
            whole = placed_whole(row, carried, build, profile)
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


def lock_of(draft: Draft, with_files: bool = True, seen: Seen | None = None) -> Lock:
    """The lock that publishing the draft would fix. Without files it is enough for a change log."""
    profile = draft.pack.game.profile
    carried = layers(draft, with_files, seen)
    under = tuple(TakenUp(one.id, one.name, one.number, one.sha256) for one in drafts.collections_of(draft))
    return lay_down(
        carried,
        drafts.base_of(draft),
        profile.managed,
        draft_terms.terms_of(draft),
        winners_of(draft),
        set_aside_of(draft),
        under,
    )


def winners_of(draft: Draft) -> dict[str, str]:
    """Whose file lies where, as collections among their own mods and then the pack says."""
    own: dict[str, str] = draft.winners
    return {**winners_under(drafts.taken_under(draft).lines, drafts.collections_of(draft)), **own}


def needed_by_draft(draft: Draft, seen: Seen | None = None) -> Needed:
    """What the draft demands of a machine: memory as the strip adds it up, disk, and the runtime of its base."""
    profile = draft.pack.game.profile
    asked = demand(map(_weight, (seen or picked(draft)).rows), profile.memory)
    return Needed(asked.minimum, asked.recommended, asked.disk, profile.runtime_of(drafts.base_of(draft)))


def _weight(row: Build) -> Weight:
    return Weight(Kind(row.mod.kind), row.unpacked, row.archive_size, row.memory)
