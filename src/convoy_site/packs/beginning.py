"""Starting a pack with what one wants to play: which mods a list or a folder names, and which base has most of them.

There is no pack yet, so nothing is held against a draft: a shelf of the crew's is enough.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from convoy_core.draft.bases import BaseOutlook, outlook
from convoy_core.draft.settling import WantedLine
from convoy_core.resolve import Shelves
from convoy_core.words.profile import GameChannel
from convoy_core.words.ranges import ANY_VERSION

from ..catalogue.games import game_for
from ..catalogue.kept import closure
from ..catalogue.models import Game, Mod
from ..catalogue.services import shelf
from ..people.models import User
from ..people.rights import Action
from ..people.services import crew_for
from ..receiving import Upload
from .outlook import counterparts_of
from .recognising import named
from .takeover import found_in

BASES_SHOWN = 12


@dataclass
class _Shelf:
    """What a pack of this crew, of this game, could draw on. Without a crew: what everybody sees."""

    crew: Any
    crew_id: Any
    game: Any
    game_id: str


@dataclass(frozen=True)
class Beginning:
    """`mods` in the order in which they were named, each once; `unknown`: lines or places that name none; `bases`: the
    one with most of them first, of those the newest.
    """

    game: Game
    mods: list[Mod]
    unknown: list[str]
    bases: list[BaseOutlook]
    names: dict[str, str]


def with_list(user: User, game_id: str, crew_id: UUID | None, text: str) -> Beginning:
    on = _shelf(user, game_id, crew_id)
    lines, _ = named(on, text)
    return _beginning(on, [mod for _, mod in lines if mod], [line.text for line, mod in lines if mod is None])


def with_folder(user: User, game_id: str, crew_id: UUID | None, upload: Upload) -> Beginning:
    """Raises MalformedInput, CannotBeUsed, TooLarge."""
    on = _shelf(user, game_id, crew_id)
    taken = found_in(on, upload)
    there = {mod.slug: mod for mod in shelf(on).filter(slug__in=[one.mod for one in taken.found])}
    return _beginning(on, [there[one.mod] for one in taken.found], [one.place for one in taken.strangers])


def _shelf(user: User, game_id: str, crew_id: UUID | None) -> _Shelf:
    game = game_for(user, game_id)
    crew = crew_for(user, crew_id, Action.EDIT) if crew_id else None
    return _Shelf(crew, crew.pk if crew else None, game, game.pk)


def _beginning(on: _Shelf, named_mods: Iterable[Mod], unknown: Sequence[str]) -> Beginning:
    mods = list({mod.pk: mod for mod in named_mods}.values())
    slugs = [mod.slug for mod in mods]
    counterparts = counterparts_of(shelf(on), slugs)
    builds = closure(on, [*slugs, *(one for others in counterparts.values() for one in others)])
    wanted, library = [WantedLine(slug, ANY_VERSION) for slug in slugs], Shelves(builds)
    channels = {one.version: one.channel for one in on.game.profile.versions}
    bases = [one for one in on.game.profile.bases() if channels[one.version] is GameChannel.STABLE]
    found = [outlook(base, wanted, library, {}, counterparts) for base in bases or on.game.profile.bases()]
    # Stable: of bases that have as many, the newest comes first, as the profile lists them.
    found.sort(key=lambda one: one.exist, reverse=True)
    return Beginning(on.game, mods, list(unknown), found[:BASES_SHOWN], {mod.slug: mod.name for mod in mods})
