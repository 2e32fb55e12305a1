"""Games that people bring: added, changed, taken back. A profile is data; what is published carries what it needs of
it, so that no change reaches a release. Each change is a revision that can be taken back.
"""

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from convoy_core.outside.game_profile import MAX_PROFILE, ReadProfile, look_at_profile, read_profile
from convoy_core.outside.profile_changes import ProfileChange, changes_between
from convoy_core.outside.profile_writing import document_of, with_version, written
from convoy_core.outside.version_lists import read_version_lists, with_lists
from convoy_core.words.errors import ConvoyError, MalformedInput, NameTaken
from convoy_core.words.profile import GameProfile

from ..people import audit
from ..people.models import Crew, Role, User
from ..people.rights import Action, NotFound, allow, keeper
from ..people.tries import TooMany
from . import after
from .models import Game, GameRevision, Mod, Source, SourceState

GAMES_OF_A_CREW = 20


class GameInUse(ConvoyError):
    """A change would take away what packs, mods or sources stand on."""

    code = "in-use"


class GameMoved(ConvoyError):
    """The profile was changed by somebody else since it was read."""

    code = "profile-changed"


@dataclass(frozen=True)
class Rehearsed:
    """What keeping a text would do. `stops`: sentences that speak against it; empty where nothing does."""

    read: ReadProfile
    changes: list[ProfileChange]
    stops: list[str]


def games_for(user: User) -> QuerySet[Game]:
    """Games that somebody can start a pack of: everybody's, and those of their crews."""
    return Game.objects.filter(Q(crew=None) | Q(crew__memberships__user=user)).distinct()


def game_for(user: User, game_id: str, to_change: bool = False) -> Game:
    """The game, when the user may see it, or change it: a crew's owner theirs, the site's keeper all of everybody's.

    Raises NotFound or Forbidden.
    """
    game = Game.objects.select_related("crew").filter(pk=game_id).first()
    if game is None:
        raise NotFound(f"There is no game “{game_id}”.", now="Choose one of those listed.")
    if game.crew is not None:
        allow(user, game.crew, Action.GAMES if to_change else Action.SEE, "This game")
    elif to_change:
        keeper(user, f"change {game.name}, which is everybody's")
    return game


def changeable_by(user: User) -> Callable[[Game], bool]:
    """Whether a game is one that somebody may change: one query for any number of games."""
    owned = set(user.memberships.filter(role=Role.OWNER).values_list("crew", flat=True))
    return lambda game: game.crew_id in owned if game.crew_id else user.keeps_the_site


def sources_to_follow(user: User, game: Game) -> QuerySet[Source]:
    """Sources whose version lists a game could follow."""
    seen = Q(crew=None) | Q(crew=game.crew_id)
    return game.sources.filter(seen, is_own=False).exclude(state=SourceState.REMOVED).order_by("name")


def packs_of(user: User, game: Game) -> list[str]:
    """The packs of a game that somebody sees."""
    packs = game.pack_set.filter(crew__memberships__user=user)
    return list(packs.order_by("name").values_list("name", flat=True)[:50])


def profile_at(revision: GameRevision) -> GameProfile:
    """The game as it stood after a change."""
    profile = read_profile(revision.profile_text)
    return with_lists(profile, read_version_lists(json.loads(revision.listed))) if revision.listed else profile


def add_game(user: User, text: str, crew: Crew | None) -> Game:
    """Brings a game, for a crew or (as the site's keeper) for everybody. Raises WrongProfile, NameTaken, TooMany."""
    if crew is None:
        keeper(user, "bring a game for everybody")
    else:
        allow(user, crew, Action.GAMES, "This crew")
    profile = read_profile(text)
    with transaction.atomic():
        if crew is not None:
            Crew.objects.select_for_update().get(pk=crew.pk)
            if crew.games.count() >= GAMES_OF_A_CREW:
                raise TooMany(f"{crew.name} has {GAMES_OF_A_CREW} games already.", now="Change one of those.")
        # Two crews may bring the same game, and none takes a name from everybody's.
        pk = profile.id if crew is None else f"{profile.id}.{crew.pk.hex[:8]}".replace(".", "-")
        if Game.objects.filter(pk=pk).exists():
            raise NameTaken(f"There is a game “{profile.id}” already.", now="Change that one, or give this another id.")
        game = Game.objects.create(pk=pk, name=profile.name, crew=crew, profile_text=text)
        _note(game, user, "brought")
        audit.note(user, f"brought the game {game.name}", crew)
    return game


def profile_for_others(game: Game, version: str) -> str:
    """A game's profile as somebody takes it along who has a pack for this version of it: under the id by which it goes
    here. A version that only a followed list names is written into it.
    """
    text = written({**document_of(game.profile_text), "id": game.pk}, over=game.profile_text)
    known = {str(one.version) for one in read_profile(text).versions}
    return text if version in known else with_version(text, {"version": version})


def rehearse(game: Game, text: str) -> Rehearsed:
    """What another text would do to a game. Nothing is kept."""
    read = look_at_profile(text)
    if read.profile is None:
        return Rehearsed(read, [], [])
    new = _as_kept(game, read.profile)
    return Rehearsed(read, changes_between(game.profile, new), _stops(game, new))


def change_game(user: User, game_id: str, text: str, revision: int, why: str = "") -> Game:
    """Keeps another text of a profile that was read at `revision`. Raises WrongProfile, GameMoved, GameInUse."""
    game_for(user, game_id, to_change=True)
    with transaction.atomic():
        game = Game.objects.select_for_update().get(pk=game_id)
        if game.revision != revision:
            last = game.revisions.select_related("by").first()
            by = last.by.shown if last and last.by else "its source"
            raise GameMoved(f"{game.name} was changed meanwhile, by {by}.", now="Look at it again, then change it.")
        read_profile(text)
        stops = rehearse(game, text).stops
        if stops:
            raise GameInUse(f"{game.name} cannot be changed so.", " ".join(stops[:3]), stops=stops)
        game.profile_text = text
        _keep(game, user, why or "changed")
        audit.note(user, f"changed the game {game.name}: {why or 'its profile'}", game.crew)
    return game


def take_back(user: User, game_id: str, number: int) -> Game:
    """Sets a game back to how it stood at an earlier revision, as a change of its own."""
    game = game_for(user, game_id, to_change=True)
    there = game.revisions.filter(number=number).first()
    if there is None:
        raise NotFound(f"{game.name} has no change {number}.")
    return change_game(user, game_id, there.profile_text, game.revision, f"as it was at change {number}")


def keep_lists(game: Game, told: Any) -> None:
    """Keeps version lists as the followed source says them, when they say something new. They only add.

    Raises MalformedInput.
    """
    lists = read_version_lists(told)
    text = json.dumps(told, sort_keys=True)
    if len(text) > MAX_PROFILE:
        raise MalformedInput("The source's list of versions is too long.", f"{MAX_PROFILE // 1024} kB is the most.")
    with transaction.atomic():
        locked = Game.objects.select_for_update().get(pk=game.pk)
        before = locked.profile
        if locked.listed:
            # What was listed once does not go away by being left out.
            told = _joined(json.loads(locked.listed), told)
            text = json.dumps(told, sort_keys=True)
            lists = read_version_lists(told)
        found = changes_between(before, with_lists(before, lists))
        if not found:
            return
        locked.listed = text
        _keep(locked, None, f"its source lists {', '.join(one.subject for one in found)}"[:200])
    game.refresh_from_db()


def follow(user: User, game_id: str, source_id: str | None) -> Game:
    """Has a game follow the version lists of one of its sources, or none."""
    game = game_for(user, game_id, to_change=True)
    source = None
    if source_id is not None:
        source = Source.objects.filter(pk=source_id, game=game, is_own=False).first()
        if source is None or (source.crew_id not in (None, game.crew_id)):
            raise NotFound(f"{game.name} has no such source.")
    game.follows = source
    game.save(update_fields=["follows"])
    if source is not None:
        Source.objects.filter(pk=source.pk).update(etag="", rest_until=None)
        after.read_soon(source.pk)
    return game


def remove_game(user: User, game_id: str) -> None:
    """Raises GameInUse while packs, mods or sources stand on it."""
    game = game_for(user, game_id, to_change=True)
    packs = list(game.pack_set.values_list("name", flat=True)[:5])
    if packs or game.sources.exclude(state=SourceState.REMOVED).exists():
        raise GameInUse(
            f"{game.name} is in use.",
            f"By {', '.join(packs)}." if packs else "It has sources.",
            "Remove those first.",
        )
    with transaction.atomic():
        Mod.objects.filter(game=game).delete()
        game.sources.all().delete()
        audit.note(user, f"removed the game {game.name}", game.crew)
        game.delete()


def _keep(game: Game, user: User | None, why: str) -> None:
    game.name = game.profile.name
    game.revision += 1
    game.save()
    _note(game, user, why)
    transaction.on_commit(lambda: after.refit_soon(game.pk))


def _note(game: Game, user: User | None, why: str) -> None:
    GameRevision.objects.create(
        game=game,
        number=game.revision,
        by=user,
        at=timezone.now(),
        why=why,
        profile_text=game.profile_text,
        listed=game.listed,
    )


def _as_kept(game: Game, profile: GameProfile) -> GameProfile:
    """The profile as the game would have it: under its own id, with what its source lists."""
    kept = replace(profile, id=game.pk)
    return with_lists(kept, read_version_lists(json.loads(game.listed))) if game.listed else kept


def _stops(game: Game, new: GameProfile) -> list[str]:
    """What a new profile would take away from under drafts and mods."""
    found = []
    versions = {str(one.version) for one in new.versions}
    loaders = {loader.id: {str(one.version) for one in loader.versions} for loader in new.loaders}
    for name, version, loader, loader_version in game.pack_set.values_list(
        "name", "draft__game_version", "draft__loader", "draft__loader_version"
    ):
        if version not in versions:
            found.append(f"The draft of {name} is on version {version}.")
        elif loader and loader_version not in loaders.get(loader, ()):
            found.append(f"The draft of {name} is on {loader} {loader_version}.")
    kinds = set(game.mods.values_list("kind", flat=True).distinct()) - {str(kind) for kind in new.kinds}
    found += [f"There are mods of the kind {kind}." for kind in sorted(kinds)]
    return found


def _joined(old: dict[str, Any], new: dict[str, Any]) -> dict[str, Any]:
    """Version lists of now, with what was listed before and is not any more."""

    def rows(before: list[Any], now: list[Any], key: str) -> list[Any]:
        known = {one[key] for one in now}
        return [*now, *(one for one in before if one[key] not in known)]

    loaders = {one["id"]: one for one in old.get("loaders", [])}
    joined = [
        {**one, "versions": rows(loaders.get(one["id"], {}).get("versions", []), one.get("versions", []), "version")}
        for one in new.get("loaders", [])
    ]
    return {
        "games": rows(old.get("games", []), new.get("games", []), "version"),
        "loaders": rows(list(loaders.values()), joined, "id"),
    }


def crew_to_bring(user: User, crew_id: UUID | None) -> Crew | None:
    """The crew for which somebody brings something; None for everybody. Raises NotFound."""
    if crew_id is None:
        return None
    crew = Crew.objects.filter(pk=crew_id).first()
    if crew is None:
        raise NotFound("This crew does not exist, or you are not in it.")
    return crew
