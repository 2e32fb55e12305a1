"""Collections that a member takes up beside the pack: which, what each brings to their machine, and what not and why.

Nobody else sees them, and the roll call knows nothing of them. Source: docs/rules.md, "Collections".
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from uuid import UUID

from django.db import transaction
from django.db.models import F, QuerySet
from django.utils import timezone

from convoy_core.draft.parts import AS_IT_COMES, as_rule
from convoy_core.lock.beside import MOST_BESIDE, Beside, Own, beside
from convoy_core.lock.lock import OVERLAY, Lock, LockedBuild, TakenUp
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.suits import SUITS_ALL
from convoy_core.resolve import Eligible, Problem, Shelves, TooHard, every_clash, told
from convoy_core.words.errors import BadCode, ConvoyError, MalformedInput
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.model import Side
from convoy_core.words.ranges import parse_range

from ..catalogue.kept import closure
from ..catalogue.models import Build
from ..catalogue.services import core_builds, ruled_builds, shelf
from ..packs.collections import newest_releases
from ..packs.models import Pack
from ..people.models import Crew, User
from ..people.rights import NotFound
from ..people.services import bring_aboard
from ..releases.join_codes import standing_code, tries_at_codes
from ..releases.lookup import recipe_of
from ..releases.models import JoinCode, Release
from ..releases.seals import closed
from . import stand_ins
from .joining import installation_for
from .models import BesideTaken, Installation


class TooMany(ConvoyError):
    """An installation takes up no more collections."""

    code = "too-many-beside"


@dataclass(frozen=True)
class Row:
    """A collection beside a pack. `release`: the one that goes beside it; None while none suits, and where it is not
    `served`, as its member is not in its crew any more. Then what lies there of it stays, whatever that is: nobody's
    word is taken for what it has.
    """

    collection: Pack
    release: Release | None
    served: bool = True
    refused: Mapping[str, str] = field(default_factory=dict)

    @property
    def own(self) -> Own | None:
        if self.release is None:
            return None
        recipe = recipe_of(self.release.pk)
        taken = TakenUp(str(self.collection.pk), self.collection.name, self.release.number, self.release.sha256)
        return Own(taken, recipe.lock, recipe.suits or SUITS_ALL, self.refused)


# --- Taking up and leaving


def take_up(user: User, installation_id: UUID, collection_id: UUID) -> Pack:
    """Takes up a collection of one of one's crews. Raises NotFound, MalformedInput, TooMany."""
    one = installation_for(user, installation_id)
    found = _collections(user, one).filter(pk=collection_id).first()
    if found is None:
        raise NotFound("This collection does not exist, or it is for another game.")
    with transaction.atomic():
        _add(one, found)
    return found


def take_up_by_code(one: Installation, text: str) -> Pack:
    """Uses a collection's join code: brings the member aboard its crew, and takes it up. Counts a use of the code."""
    with tries_at_codes(one.member, text) as typed, transaction.atomic():
        opened = _collection_code(one, typed, lock=True)
        if opened.uses_left is not None:
            JoinCode.objects.filter(pk=opened.pk).update(uses_left=F("uses_left") - 1)
        bring_aboard(one.member, opened.pack.crew, opened.made_at)
        _add(one, opened.pack)
        return opened.pack


def look_at_code(one: Installation, text: str) -> Pack:
    """What a collection's join code opens; it is not used up."""
    with tries_at_codes(one.member, text) as typed:
        return _collection_code(one, typed).pack


def _collection_code(one: Installation, typed: str, lock: bool = False) -> JoinCode:
    opened = standing_code(typed, lock)
    if not opened.pack.is_collection:
        raise BadCode(
            f"This code is for {opened.pack.name}, a pack of its own.",
            "Beside a pack goes what touches nobody else: a collection.",
            "Join it in another folder.",
            slip="kind",
        )
    if opened.pack.game_id != one.pack.game_id:
        raise MalformedInput(f"{opened.pack.name} is for another game.", now="Nothing was added.")
    return opened


def _add(one: Installation, collection: Pack) -> None:
    # Locked, so that two presses do not make one too many.
    Installation.objects.select_for_update(of=("self",)).get(pk=one.pk)
    there = BesideTaken.objects.filter(installation=one)
    if not there.filter(collection=collection).exists() and there.count() >= MOST_BESIDE:
        raise TooMany(f"{MOST_BESIDE} collections are beside this pack.", now="Leave one first.")
    BesideTaken.objects.get_or_create(installation=one, collection=collection)
    _looked_at_anew(one)


def leave(one: Installation, collection_id: UUID) -> None:
    """What nothing else holds goes with the next sync. Raises NotFound."""
    with transaction.atomic():
        deleted, _ = BesideTaken.objects.filter(installation=one, collection=collection_id).delete()
        if not deleted:
            raise NotFound("This collection is not beside the pack.")
        _looked_at_anew(one)


def _looked_at_anew(one: Installation) -> None:
    """An agent that watches hears of it soon; a stand-in's is sent."""
    Installation.objects.filter(pk=one.pk).update(orders=F("orders") + 1, called_at=timezone.now())
    if one.machine_id and one.token_hash:
        stand_ins.send_agent(one, only_look=True)


# --- What there is


def taken_by(one: Installation, collection_id: UUID) -> Pack:
    """A collection beside a pack, for the installation's agent. Raises NotFound."""
    row = BesideTaken.objects.filter(installation=one, collection=collection_id).select_related("collection__crew")
    found = row.first()
    if found is None:
        raise NotFound("This collection is not beside the pack.")
    return found.collection


def release_for(one: Installation, collection_id: UUID, number: str) -> Release:
    """An open release of a collection with its document, for a machine of somebody of its crew. Raises NotFound."""
    collection = taken_by(one, collection_id)
    found = collection.releases.select_related("withdrawal").filter(number=number).first()
    aboard = one.member.memberships.filter(crew=collection.crew_id).exists()
    if found is None or not aboard or not found.is_open() or closed(collection).filter(release=found).exists():
        raise NotFound(f"{collection.name} has no release {number} for this machine.")
    return found


def crews_of(one: Installation) -> list[Crew]:
    """Whose own archives its agent may fetch: the pack's crew's, and those of collections beside it."""
    rows = BesideTaken.objects.filter(installation=one, collection__crew__memberships__user=one.member_id)
    return [one.pack.crew, *(row.collection.crew for row in rows.select_related("collection__crew"))]


def _collections(user: User, one: Installation) -> QuerySet[Pack]:
    shown = Pack.objects.filter(crew__memberships__user=user, game=one.pack.game_id, suits__isnull=False)
    return shown.filter(retired_at=None).select_related("crew").order_by("name")


def rows_of(one: Installation, target: Release | None) -> list[Row]:
    """In the order in which they are laid down. `target`: the release of the pack that is followed."""
    taken = BesideTaken.objects.filter(installation=one).select_related("collection__crew").order_by("pk")
    packs = [row.collection for row in taken]
    if not packs:
        return []
    crews = set(one.member.memberships.values_list("crew", flat=True))
    if target is None:
        return [Row(pack, None, pack.crew_id in crews) for pack in packs]
    newest = newest_releases([pack for pack in packs if pack.crew_id in crews], recipe_of(target.pk).lock.base)
    found = Release.objects.filter(pk__in=newest.values()).only("number", "sha256", "pack")
    releases = {release.pack_id: release for release in found}
    bare = [Row(pack, releases.get(pack.pk), pack.crew_id in crews) for pack in packs]
    return _judged(one, target, bare)


def offered(user: User, one: Installation, target: Release | None) -> list[tuple[Row, Beside | None]]:
    """The collections of one's crews that could be taken up, each with what it would come to."""
    there = rows_of(one, target)
    taken = {row.collection.pk for row in there}
    packs = [pack for pack in _collections(user, one) if pack.pk not in taken]
    if target is None:
        return [(Row(pack, None), None) for pack in packs]
    newest = newest_releases(packs, recipe_of(target.pk).lock.base)
    releases = {str(each.pack_id): each for each in Release.objects.filter(pk__in=newest.values())}
    found: list[tuple[Row, Beside | None]] = []
    for pack in packs:
        row = Row(pack, releases.get(str(pack.pk)))
        together = _judged(one, target, [*there, row])
        found.append((together[-1], composed(one, target, together) if row.release else None))
    return found


def composed(one: Installation, target: Release, rows: Sequence[Row]) -> Beside:
    """What is to lie on the machine, as far as a site can say it: of worlds it knows nothing."""
    lock, side = recipe_of(target.pk).lock, Side(one.side)
    owns = [own for row in rows if (own := row.own) is not None]
    return beside(lock, lock.share(side).without(one.left_out), side, owns, one.left_out)


# --- Whether they go together


def _judged(one: Installation, target: Release, rows: Sequence[Row]) -> list[Row]:
    """With the builds that do not go together with the pack. Looked up at most once an hour: builds hardly change."""
    releases = tuple(row.release.pk for row in rows if row.release)
    hour = int(timezone.now().timestamp()) // 3600
    refused = _refused(one.pack_id, target.pk, releases, hour) if releases else {}
    return [replace(row, refused=refused.get(row.release.pk, {}) if row.release else {}) for row in rows]


@lru_cache(maxsize=512)
def _refused(pack_id: UUID, target: int, releases: tuple[int, ...], hour: int) -> dict[int, dict[str, str]]:
    """By release of a collection, the builds of it that clash with what the pack fixed, or with each other; each with
    the smallest clash, in sentences.
    """
    pack = Pack.objects.select_related("crew", "game").get(pk=pack_id)
    recipe = recipe_of(target)
    fixed = {build.mod: build for build in recipe.lock.builds if build.mod != OVERLAY}
    theirs = {pk: recipe_of(pk) for pk in releases}
    holder: dict[str, int] = {}
    for pk, collection in theirs.items():
        holder |= dict.fromkeys((build.mod for build in _candidates(collection, fixed)), pk)
    if not holder:
        return {}
    locks = {mod: theirs[pk].lock.by_mod[mod] for mod, pk in holder.items()}
    # Those of the pack go before all others, and what was brought in before what it was brought in for.
    order = [*fixed, *sorted(locks, key=lambda mod: (locks[mod].chosen, releases.index(holder[mod]), mod))]
    rank = {mod: at for at, mod in enumerate(order)}
    want = {mod: parse_range(f"={build.version}") for mod, build in {**locks, **fixed}.items()}
    collections = list(Pack.objects.filter(releases__in=releases).select_related("crew", "game"))
    library = _library([pack, *collections], recipe.lock, list(locks.values()))
    # What no source has any more cannot be judged: it is not held against anybody.
    want = {mod: asked for mod, asked in want.items() if any(asked.holds(one.version) for one in library[mod])}
    shelves = Shelves(build for builds in library.values() for build in builds)
    eligible = Eligible(shelves, recipe.lock.base)
    names = {mod: build.name for mod, build in {**locks, **fixed}.items()}
    problem = Problem(recipe.lock.base, shelves, want, names=names)
    found: dict[int, dict[str, str]] = {}
    try:
        apart = every_clash(problem, eligible, rank)
    except TooHard as error:
        return {pk: dict.fromkeys((mod for mod in holder if holder[mod] == pk), error.what) for pk in releases}
    whole = {mod: asked for mod, asked in want.items() if mod not in {mod for mod, _ in apart}}
    for mod, core in apart:
        if mod in holder:
            clash = replace(problem, want={**whole, **{each: want[each] for each in core}})
            because = " ".join(told(clash, core, eligible).because)
            found.setdefault(holder[mod], {})[mod] = because
    return found


def _candidates(collection: Recipe, fixed: Mapping[str, LockedBuild]) -> list[LockedBuild]:
    builds = collection.lock.builds
    return [one for one in builds if one.mod not in fixed and not one.must_match and one.mod != OVERLAY]


def _library(drawings: Sequence[Pack], lock: Lock, others: Sequence[LockedBuild]) -> dict[str, list[CoreBuild]]:
    """By mod everything that these builds could meet, and they themselves as their parts are laid down, also where
    their source no longer has them. Of one build the pack's own crew's word goes before that of others.
    """
    builds = [*(one for one in lock.builds if one.mod != OVERLAY), *others]
    versions = {(one.mod, one.version) for one in builds}
    mods = {mod for mod, _ in versions}
    rules = {one.mod: rule for one in builds if (rule := as_rule(one.claims, one.laid)) != AS_IT_COMES}
    found: dict[tuple[str, str], CoreBuild] = {}
    for drawing in reversed(drawings):
        rows = Build.objects.filter(mod__in=shelf(drawing).filter(slug__in=mods))
        exact = core_builds(drawing, rows.filter(version__in={version for _, version in versions}))
        found |= {(one.mod, one.version.text): one for one in closure(drawing, mods)}
        found |= {(one.mod, one.version.text): one for one in exact if (one.mod, one.version.text) in versions}
        found |= ruled_builds(drawing, rules)
    gathered: dict[str, list[CoreBuild]] = {mod: [] for mod in mods}
    for (mod, _), one in found.items():
        gathered.setdefault(mod, []).append(one)
    return gathered
