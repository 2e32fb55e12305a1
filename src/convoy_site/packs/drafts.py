"""A draft as the core sees it: its base, its lines and collections, and its settling."""

from collections.abc import Collection as Several
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from convoy_core.draft.collections import (
    Collection,
    Together,
    brought_in_by,
    read_collection,
    together,
)
from convoy_core.draft.parts import AS_IT_COMES, PartRule, read_rule
from convoy_core.draft.settling import Settled, Unsettled, WantedLine, settle
from convoy_core.outside.fields import Fields
from convoy_core.resolve import Freeing, WayOut, needed_by
from convoy_core.words.model import Base
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.ranges import ANY_VERSION, Range, parse_range
from convoy_core.words.versions import parse_version

from ..catalogue import changes
from ..catalogue.kept import Reach, reach
from ..catalogue.sayings import Sayings, sayings_of
from ..catalogue.services import BuildRow, ruled_builds, shelf
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
    near = near_to(draft, [*(line.mod for line in lines_of(draft)), *under.lines])
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


class OwnLine(NamedTuple):
    """A line that a draft holds itself, as it is read: lighter by far than a model instance."""

    mod: str
    held_version: str
    held_because: str
    on: bool
    rested_version: str
    optional: bool
    advice: str
    tags: list[str]
    note: str
    order: int


def lines_of(draft: Draft) -> list[OwnLine]:
    """The lines that the draft holds itself, in order; read once, until `read_anew`."""
    found: list[OwnLine] | None = vars(draft).get("_lines")
    if found is None:
        rows = Line.objects.filter(draft=draft.pk).values_list(*OwnLine._fields)
        found = vars(draft)["_lines"] = [OwnLine._make(row) for row in rows]
    return found


def sayings_in(draft: Draft) -> Sayings:
    """What the draft's crew says of builds; read once, until `read_anew`."""
    found: Sayings | None = vars(draft).get("_sayings")
    if found is None:
        found = vars(draft)["_sayings"] = sayings_of(draft.pack, catalogue_mark(draft))
    return found


def catalogue_mark(draft: Draft) -> str:
    """Of the catalogue, and of what crews say; taken once, until `read_anew`."""
    found: str | None = vars(draft).get("_mark")
    if found is None:
        found = vars(draft)["_mark"] = changes.mark()
    return found


def near_to(draft: Draft, mods: Iterable[str]) -> Reach:
    """What a resolve for these mods can meet, as this draft sees it."""
    return reach(draft.pack, mods, draft.pk, catalogue_mark(draft))


def read_anew(draft: Draft) -> None:
    """Forgets what was read of a draft, its crew's word and the catalogue before edits changed them."""
    for name in ("_lines", "_sayings", "_mark"):
        vars(draft).pop(name, None)


def mark_of(draft: Draft) -> tuple[object, ...]:
    """Equal as long as what a draft lays down and says is as it was: its own edits, what its crew says, the catalogue,
    and the game. One query.
    """
    return (draft.revision, draft.pack.crew_id, catalogue_mark(draft), draft.pack.game.profile)


def names_of(pack: Pack, mods: Iterable[str]) -> dict[str, str]:
    """What mods are called; one that no source has any more goes by its id."""
    wanted = set(mods)
    if not wanted:
        return {}
    return {mod: mod for mod in wanted} | dict(shelf(pack).filter(slug__in=wanted).values_list("slug", "name"))


def range_of(line: OwnLine) -> Range:
    return parse_range(f"={line.held_version}") if line.held_version else ANY_VERSION


def kept_for(
    draft: Draft, builds: Mapping[str, Sequence[BuildRow]], picks: Mapping[str, CoreBuild]
) -> dict[str, list[str]]:
    """For each mod, the lines that are off and gone, whose needs alone keep it in: switching on again moves nothing."""
    off = {line.mod: line.rested_version for line in lines_of(draft) if not line.on and line.mod not in picks}
    resting = {mod: row.core for mod, version in off.items() for row in builds.get(mod, ()) if row.version == version}
    askers = needed_by({**picks, **resting})
    return {mod: [one for one in askers.get(mod, ()) if one in resting] for mod in picks}


def picked_rows(draft: Draft, near: Reach) -> list[BuildRow]:
    """The draft's builds among those that are near it, without what its crew says of them."""
    return [row for mod, version in draft.picks.items() for row in near.rows.get(mod, ()) if row.version == version]


def picked_builds(pack: Pack) -> Mapping[str, CoreBuild]:
    """The draft's builds as the core sees them, by mod."""
    rows = picked_rows(pack.draft, near_to(pack.draft, pack.draft.picks))
    cores = sayings_in(pack.draft).all_heard(row.core for row in rows)
    return {one.mod: one for one in as_drafted(pack.draft, cores)}
