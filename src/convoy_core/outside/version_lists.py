"""Version lists that a source keeps for a game, so that nobody types them for every release of it.

They stand in the source's index (`versions`, docs/formats.md). They only ever add: what people wrote into the profile
stands before what a source says of the same version, and nothing that was listed once goes away by being left out.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from ..words.errors import MalformedInput
from ..words.profile import GameProfile, GameVersion, Loader, LoaderVersion
from .fields import Fields
from .game_profile import MAX_LOADERS, MAX_VERSIONS, read_game_version, read_loader_version
from .profile_start import read_name


@dataclass(frozen=True, slots=True)
class VersionLists:
    """Versions of the game, and of loaders by id."""

    games: tuple[GameVersion, ...]
    loaders: Mapping[str, tuple[str, tuple[LoaderVersion, ...]]]
    """Loader's id to its name and versions."""


def read_version_lists(data: Any) -> VersionLists:
    """`{"games": [{"version", "label", "channel", "runtime"}], "loaders": [{"id", "name", "versions": […]}]}`, the
    entries as in a profile. Raises MalformedInput.
    """
    top = Fields(data, "versions")
    games = tuple(read_game_version(one) for one in top.items("games"))
    loaders = {}
    for one in top.items("loaders"):
        loaders[read_name(one, "id")] = (
            one.text("name", longest=60),
            tuple(read_loader_version(each) for each in one.items("versions")),
        )
    if len(games) > MAX_VERSIONS or len(loaders) > MAX_LOADERS:
        raise MalformedInput("The source's list of versions is too long.", f"{MAX_VERSIONS} is the most.")
    return VersionLists(games, loaders)


def with_lists(profile: GameProfile, lists: VersionLists) -> GameProfile:
    """The profile with what it does not list itself."""
    known = {one.version for one in profile.versions}
    games = [*profile.versions, *(one for one in _once(lists.games) if one.version not in known)]
    loaders = [_joined(loader, lists) for loader in profile.loaders]
    own = {loader.id for loader in profile.loaders}
    loaders += [
        Loader(loader, name, _once(versions)) for loader, (name, versions) in lists.loaders.items() if loader not in own
    ]
    return replace(
        profile,
        versions=tuple(sorted(games, key=lambda one: one.version, reverse=True)),
        loaders=tuple(loaders[:MAX_LOADERS]),
    )


def _joined(loader: Loader, lists: VersionLists) -> Loader:
    _, listed = lists.loaders.get(loader.id, ("", ()))
    known = {one.version for one in loader.versions}
    return replace(loader, versions=(*loader.versions, *(one for one in _once(listed) if one.version not in known)))


Listed = TypeVar("Listed", GameVersion, LoaderVersion)


def _once(versions: Iterable[Listed]) -> tuple[Listed, ...]:
    """The first of each version."""
    found: dict[object, Listed] = {}
    for one in versions:
        found.setdefault(one.version, one)
    return tuple(found.values())


def lists_of(profile: GameProfile) -> dict[str, Any]:
    """A profile's own versions, as a source hands them on."""
    return {
        "games": [
            {"version": str(one.version), "label": one.label, "channel": str(one.channel), "runtime": one.runtime}
            for one in profile.versions
        ],
        "loaders": [
            {
                "id": loader.id,
                "name": loader.name,
                "versions": [
                    {"version": str(one.version), "games": one.games.text, "recommended": one.recommended}
                    for one in loader.versions
                ],
            }
            for loader in profile.loaders
        ],
    }
