"""What the rest of the site asks of the catalogue: the builds that a resolve needs, searching, and fit."""

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Any, NamedTuple
from uuid import UUID

from django.db.models import Q, QuerySet, TextField
from django.db.models.functions import Cast

from convoy_core.draft.parts import AS_IT_COMES, PartRule, with_parts
from convoy_core.outside.claims import read_claims
from convoy_core.outside.fields import Fields
from convoy_core.outside.relations import read_relations
from convoy_core.resolve import why_not
from convoy_core.words.model import Base, Channel, misfit, newest_misfits
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.versions import parse_version

from .drawing import Drawing
from .models import Build, Mod, Source
from .sayings import Sayings, sayings_of

SAID = ("date", Cast("relations", TextField()), Cast("claims", TextField()))
"""What a build says of itself and of others, as texts: they are read where the build is not in memory."""

BUILD_FIELDS = ("pk", "mod__slug", "version", "channel", *SAID)

KEPT_BUILDS = 200_000
"""Builds kept in memory as the core sees them: some 200 MB at most. Reading them anew is most of the cost of a draft
page.
"""

_kept: dict[int, CoreBuild] = {}
"""By primary key: what a build needs never changes once read."""


def _core(pk: int, mod: str, version: str, *rest: Any) -> CoreBuild:
    """A build (BUILD_FIELDS) as the core sees it, with what its parts ask that are laid down by default."""
    return _known(pk, mod, version) or _keep(pk, _with_rule(AS_IT_COMES, mod, version, *rest))


def _known(pk: int, mod: str, version: str) -> CoreBuild | None:
    found = _kept.get(pk)
    return found if found is not None and found.mod == mod and found.version.text == version else None


def _keep(pk: int, build: CoreBuild) -> CoreBuild:
    if len(_kept) >= KEPT_BUILDS:
        _kept.clear()
    _kept[pk] = build
    return build


def _with_rule(
    rule: PartRule, mod: str, version: str, channel: str, day: object, relations: str, claims: str
) -> CoreBuild:
    """A build whose parts are laid down as a rule says."""
    build = CoreBuild(mod, parse_version(version, str(day or "")), Channel(channel), **_relations(relations))
    return build if claims == "{}" else with_parts(build, read_claims(Fields(json.loads(claims))), rule)


@lru_cache(maxsize=20_000)
def _relations(text: str) -> Mapping[str, Any]:
    """What a build says of others. Many of a mod's builds, and many simple mods, say the same: it is read, and kept,
    once.
    """
    return read_relations(Fields(json.loads(text)))


def ruled_builds(pack: Drawing, rules: Mapping[str, PartRule]) -> dict[tuple[str, str], CoreBuild]:
    """Every build of these mods as the rules for their parts make them, by mod and version."""
    if not rules:
        return {}
    rows = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=rules)).exclude(claims={})
    found = (_with_rule(rules[mod], mod, *rest) for _, mod, *rest in rows.values_list(*BUILD_FIELDS))
    return {(one.mod, one.version.text): one for one in found}


class ModRow(NamedTuple):
    """What lists show of a mod."""

    pk: int
    slug: str
    name: str
    summary: str
    kind: str
    licence: str
    category: str
    updated: date | None
    pickup: str


MOD_FIELDS = (*ModRow._fields[:-1], "source__pickup")


class BuildRow(NamedTuple):
    """What lists show of a build, with the build as the core sees it. Lighter by far than a model instance."""

    pk: int
    mod_pk: int
    version: str
    channel: str
    gone: bool
    refused: str
    archive_size: int
    unpacked: int
    memory: int
    side: str
    reach: str
    core: CoreBuild


ROW_FIELDS = ("pk", "mod_id", *BuildRow._fields[2:-1], *SAID)


def as_rows(read: Iterable[Sequence[Any]], mods: Mapping[int, str]) -> list[BuildRow]:
    """What was read of builds (ROW_FIELDS), with the builds as the core sees them; `mods`: primary key to slug."""
    rows = []
    for pk, mod, version, channel, *shown, day, relations, claims in read:
        core = _core(pk, mods[mod], version, channel, day, relations, claims)
        rows.append(BuildRow._make((pk, mod, version, channel, *shown, core)))
    return rows


def build_rows(said: Sayings, mods: Mapping[int, str]) -> dict[int, list[BuildRow]]:
    """The builds of mods (primary key to slug), by the mod's primary key, with what a crew says of them. One query."""
    found: dict[int, list[BuildRow]] = {pk: [] for pk in mods}
    rows = as_rows(Build.objects.filter(mod__pk__any=mods).values_list(*ROW_FIELDS), mods)
    for row in heard_rows(said, rows):
        found[row.mod_pk].append(row)
    return found


def heard_rows(said: Sayings, rows: Sequence[BuildRow]) -> Sequence[BuildRow]:
    """Rows with what a crew says of their builds."""
    if not said.verdicts:
        return rows
    return [row if (heard := said.heard(row.core)) is row.core else row._replace(core=heard) for row in rows]


def core_builds(pack: Drawing, builds: QuerySet[Build]) -> list[CoreBuild]:
    """Builds as the core sees them, with what the pack's crew says of them."""
    return sayings_of(pack).all_heard([_core(*row) for row in builds.values_list(*BUILD_FIELDS)])


def core_of(row: Build, mod: str) -> CoreBuild:
    """The same of a build that was read whole."""
    found = _known(row.pk, mod, row.version)
    if found is None:
        said = row.date, json.dumps(row.relations), json.dumps(row.claims)
        found = _core(row.pk, mod, row.version, row.channel, *said)
    return found


def shelf(pack: Drawing) -> QuerySet[Mod]:
    """The mods that a pack can draw on: what sources list for its game, and what its crew made its own."""
    if pack.crew_id is None:
        return Mod.objects.filter(game=pack.game_id, crew=None)
    theirs = Mod.objects.filter(game=pack.game_id, crew=pack.crew_id)
    shadowed = Q(crew=None, slug__in=theirs.values("slug"))
    return Mod.objects.filter(Q(crew=None) | Q(crew=pack.crew_id), game=pack.game_id).exclude(shadowed)


@dataclass(frozen=True)
class Fit:
    """Whether a mod has a build for a base: `version` of the one that would come, or `reason` why none fits."""

    version: str
    reason: str
    needs: tuple[str, ...] = ()


def fit_of(builds: Sequence[BuildRow], base: Base, picks: Mapping[str, CoreBuild] | None = None) -> Fit:
    """The newest installable build that fits (stable before others), or what rules the newest one out.

    `picks`: what is in the draft; of the builds that fit, the newest that goes with it comes before newer ones.
    """
    usable = [one for one in builds if not one.gone and not one.refused]
    if not usable:
        refused = next((one.refused for one in builds if one.refused), "")
        return Fit("", refused or "Its source no longer has any build of it.")
    cores = sorted((one.core for one in usable), key=lambda build: build.version, reverse=True)
    fitting = [build for build in cores if not misfit(build, base)]
    if not fitting:
        return Fit("", newest_misfits(cores[0], base))
    likely = [build for build in fitting if build.channel is Channel.STABLE] or fitting
    going = next((build for build in likely if not why_not(build, base, picks)), None) if picks else None
    best = going or likely[0]
    return Fit(best.version.text, "", tuple(sorted(best.needs)))


def newer_among(rows: Sequence[BuildRow], build: CoreBuild) -> Sequence[CoreBuild]:
    """Of a mod's builds the stable ones that may come in and are newer than one, newest first."""
    usable = [one.core for one in rows if not one.gone and not one.refused and one.channel == Channel.STABLE]
    return sorted((one for one in usable if build.version < one.version), key=lambda one: one.version, reverse=True)


def addresses(game_id: str, *crews: UUID) -> dict[str, str]:
    """Where the sources are that packs of these crews draw on, of one game."""
    shown = Source.objects.filter(Q(crew=None) | Q(crew__in=crews), game=game_id)
    return dict(shown.values_list("id", "address"))
