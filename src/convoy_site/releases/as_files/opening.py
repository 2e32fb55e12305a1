"""A pack that came as a file: looked into, and asked to become a pack of a crew here (`opening_up` makes that).

Nothing in it is believed that its hash does not prove: the file is judged as every archive is, the builds in it are
checked against its release, and who signed that is said, not trusted. What this site does not know is named.
"""

from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_core.handing_out.bag_reading import BadBag, signed_by
from convoy_core.handing_out.places import page_of
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_core.lock.recipe import Recipe
from convoy_core.outside.game_profile import read_profile
from convoy_core.words.licences import meaning
from convoy_core.words.names import checked_name
from convoy_io.bags import OpenBag, opened_bag

from ... import kept_files
from ...catalogue.models import Game
from ...packs import from_lock
from ...people.models import Crew, SiteRules, User
from ...people.rights import Action, NotFound, allow
from ...people.services import crew_for
from ...receiving import CHUNK, Upload, incoming
from ..models import MakingState, Opening
from .packing import forget_file

TASK = "convoy_site.releases.tasks.open_up"
KEPT = timedelta(days=1)


@dataclass(frozen=True)
class Missing:
    """A build that this site cannot have. `page`: where people get it; empty where nobody knows."""

    name: str
    version: str
    why: str
    page: str


@dataclass(frozen=True)
class Found:
    """What a file holds, as it says. `mark`: of the keys that signed it; empty where `doubt` says why nobody can tell.
    `known`: mods that this site has in that very build; `comes`: those that come along and may become the crew's own.
    """

    pack_name: str
    number: str
    base: str
    notes: str
    fingerprint: str
    mark: str
    doubt: str
    known: list[str]
    comes: list[str]
    missing: list[Missing]
    own_files: int
    settings: int
    steps: int
    game: str = ""
    """What the game is called that comes along; empty where this site has it."""


@dataclass
class Shelf:
    """What a pack of this crew, of this game, could draw on."""

    crew: Crew
    crew_id: UUID
    game: Game
    game_id: str


def look_into(user: User, crew_id: UUID, upload: Upload) -> Opening:
    """Takes a file, says what it holds, and keeps it for a day. Raises BadBag, ArchiveWrong, HostileArchive,
    MalformedInput, TooLarge, NotFound for a game that is not here.
    """
    crew = crew_for(user, crew_id, Action.EDIT)
    with incoming(upload, SiteRules.now().crew_mb * CHUNK) as (path, sha256):
        with opened_bag(path) as bag:
            told = bag.told
            found = _found(user, crew, bag)
            total = sum(one.archive.size for one in told.recipe.lock.builds if one.archive.sha256 in told.archives)
        made = Opening(crew=crew, by=user, said=asdict(found), total=total, state=MakingState.WAITS)
        with path.open("rb") as file:
            kept_files.keep(made.place, file, sha256)
    made.save()
    return made


def _found(user: User, crew: Crew, bag: OpenBag) -> Found:
    told, recipe = bag.told, bag.told.recipe
    on, brings_game = shelf_of(user, crew, bag)
    # A base that the game does not have here is told now, and not when all was read.
    on.game.profile.base(*base_of(recipe))
    charter, doubt = signed_by(told)
    lock = recipe.lock
    known = from_lock.here(on, lock)
    listed = from_lock.listed_here(on, [one.mod for one in lock.builds])
    comes, missing = [], []
    for one in lock.builds:
        if one.mod in known or one.mod == OVERLAY:
            continue
        if why := why_not(one, one.archive.sha256 in told.archives, one.mod in listed):
            missing.append(Missing(one.name, one.version, why, page_of(one, told.sources)))
        else:
            comes.append(f"{one.name} {one.version}")
    return Found(
        recipe.pack_name[:60],
        recipe.number[:60],
        on.game.profile.base_in_words(lock.base),
        recipe.notes[:2000],
        lock.fingerprint(),
        charter.mark if charter else "",
        doubt,
        [f"{one.name} {one.version}" for one in lock.builds if one.mod in known],
        comes,
        missing,
        sum(one.mod == OVERLAY for one in (*lock.files, *lock.covered)),
        len(lock.terms.tweaks),
        len(lock.terms.steps),
        on.game.name if brings_game else "",
    )


def shelf_of(user: User, crew: Crew, bag: OpenBag) -> tuple[Shelf, bool]:
    """What the pack would draw on, and whether its game comes along with the file: it is then brought for the crew when
    the pack is made. Raises NotFound, Forbidden, WrongProfile.
    """
    wanted = bag.told.recipe.lock.base.game
    # A crew's own game has another key than the profile's id, and goes before everybody's.
    of_crew = [one for one in Game.objects.filter(crew=crew) if read_profile(one.profile_text).id == wanted]
    known = [*of_crew, *Game.objects.filter(pk=wanted, crew=crew), *Game.objects.filter(pk=wanted, crew=None)]
    if known:
        return Shelf(crew, crew.pk, known[0], known[0].pk), False
    if not bag.told.game:
        raise NotFound(f"There is no game “{wanted[:60]}” here.", now="Bring its profile first.")
    allow(user, crew, Action.GAMES, "This crew")
    profile = read_profile(bag.told.game)
    if profile.id != wanted:
        raise BadBag("The game in this file is another one than its release says.")
    return Shelf(crew, crew.pk, Game(pk=wanted, name=profile.name, crew=crew, profile_text=bag.told.game), wanted), True


def base_of(recipe: Recipe) -> tuple[str, str, str]:
    base = recipe.lock.base
    return str(base.version), base.loader, str(base.loader_version or "")


def why_not(build: LockedBuild, is_inside: bool, is_listed: bool) -> str:
    """Why a build that this site does not have cannot be made the crew's own; empty when it can."""
    if is_listed:
        return "A source here lists this mod, in other builds."
    said = meaning(build.licence)
    if not said.may_be_carried:
        return said.sentence
    return "" if is_inside else "It is not inside."


def opening_of(user: User, opening_id: UUID) -> Opening:
    found = Opening.objects.select_related("crew", "pack").filter(pk=opening_id).first()
    if found is None:
        raise NotFound("This file is not here any more.", "It waited for a day.", "Give it again.")
    crew_for(user, found.crew_id, Action.EDIT)
    return found


@transaction.atomic
def begin(user: User, opening_id: UUID, name: str) -> Opening:
    """Has a worker make a pack of it. Raises NotFound, UnreadableName, BadBag where that was done already."""
    opening = opening_of(user, opening_id)
    Opening.objects.select_for_update(of=("self",)).get(pk=opening.pk)
    opening.refresh_from_db(fields=["state", "told"])
    if opening.state not in (MakingState.WAITS, MakingState.FAILED) or opening.told == "begun":
        raise BadBag("A pack is being made of this file already.")
    checked_name(name)
    opening.said = {**opening.said, "as": name}
    opening.state, opening.told, opening.done = MakingState.WAITS, "begun", 0
    opening.save(update_fields=["said", "state", "told", "done"])
    app.configure_task(TASK, lock=f"opening-{opening.pk}").defer(opening=str(opening.pk))
    return opening


def forget_old_openings() -> None:
    for one in Opening.objects.filter(at__lt=timezone.now() - KEPT):
        forget_file(one.place)
        one.delete()


def as_found(said: dict[str, Any]) -> Found:
    told = {key: value for key, value in said.items() if key != "as"}
    return Found(**{**told, "missing": [Missing(**one) for one in told["missing"]]})
