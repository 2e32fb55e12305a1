"""What can be read in a game profile and still makes no sense, or will surprise: each rule one function.

A fault stops the profile from being used; a remark only says what will come of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

from ..words.profile import WORLD, GameProfile
from ..words.wording import counted, listed
from .patterns import matcher


@dataclass(frozen=True, slots=True)
class Remark:
    """`field` as `Fields` names it (`versions[3].channel`)."""

    field: str
    sentence: str
    is_fault: bool = False


def remarks_on(profile: GameProfile) -> list[Remark]:
    rules = (_no_versions, _loaders, _kinds, _worlds, _managed, _settings, _memory)
    return [remark for rule in rules for remark in rule(profile)]


def _no_versions(profile: GameProfile) -> Iterator[Remark]:
    if not profile.versions:
        yield Remark("versions", "It has no version of the game, so no pack can begin.", is_fault=True)


def _loaders(profile: GameProfile) -> Iterator[Remark]:
    games = [one.version for one in profile.versions]
    for at, loader in enumerate(profile.loaders):
        place = f"loaders[{at}]"
        if not loader.versions:
            yield Remark(place, f"{loader.name} has no version, so nobody can choose it.", is_fault=True)
        idle = [one for one in loader.versions if not any(one.games.holds(game) for game in games)]
        if idle and len(idle) == len(loader.versions):
            yield Remark(place, f"{loader.name} runs on no version of the game that is listed.", is_fault=True)
        else:
            for one in idle:
                where = f"{place}.versions[{loader.versions.index(one)}]"
                yield Remark(where, f"{loader.name} {one.version} runs on no version of the game that is listed.")


def _kinds(profile: GameProfile) -> Iterator[Remark]:
    if not profile.kinds:
        yield Remark("kinds", "It has no kind of content, so nothing can be placed.", is_fault=True)
    for (one, mine), (other, theirs) in combinations(profile.kinds.items(), 2):
        field = f"kinds.{other}"
        if mine.place == theirs.place and mine.marker != theirs.marker:
            yield Remark(
                field,
                f"“{one}” and “{other}” both go to “{mine.place or 'the game’s folder'}” with different markers: "
                "nobody could tell which of them lies there. Give them one marker, or a place each.",
                is_fault=True,
            )
        elif mine.place != theirs.place and (_within(mine.place, theirs.place) or _within(theirs.place, mine.place)):
            yield Remark(field, f"“{one}” and “{other}” go into one another: “{mine.place}”, “{theirs.place}”.")


def _within(inner: str, outer: str) -> bool:
    return inner.startswith(f"{outer}/") or (not outer and bool(inner))


def _worlds(profile: GameProfile) -> Iterator[Remark]:
    for at, world in enumerate(profile.worlds):
        for managed in profile.managed:
            if world == managed or _within(world, managed) or _within(managed, world):
                yield Remark(
                    f"worlds[{at}]",
                    f"Worlds lie in “{world}”, and “{managed}” is managed: saved worlds would be called differences.",
                    is_fault=True,
                )
        for kind, layout in profile.kinds.items():
            if layout.place == world or (layout.place and _within(world, layout.place)):
                yield Remark(
                    f"worlds[{at}]", f"Worlds lie in “{world}”, where a {kind} is placed: a pack would write over them."
                )
    for kind, layout in profile.kinds.items():
        if WORLD in layout.place and not any(layout.place.startswith(f"{one}/{WORLD}/") for one in profile.worlds):
            yield Remark(
                f"kinds.{kind}",
                f"“{layout.place}” is no place in a world: it begins with a folder of worlds, then {WORLD}/.",
                is_fault=True,
            )
        elif layout.place.count(WORLD) > 1:
            yield Remark(f"kinds.{kind}", f"“{layout.place}” names the world twice.", is_fault=True)


def _managed(profile: GameProfile) -> Iterator[Remark]:
    if not profile.managed:
        yield Remark("managed", "No folder is managed, so nothing extra that somebody has would ever be found.")
    loose = [
        str(kind)
        for kind, layout in profile.kinds.items()
        if profile.managed and not any(layout.place == one or _within(layout.place, one) for one in profile.managed)
        and "{mod}" in layout.place and WORLD not in layout.place
    ]  # fmt: skip
    if loose:
        yield Remark("managed", f"{listed(loose)}: placed outside of every managed folder, so extras there go unseen.")


def _settings(profile: GameProfile) -> Iterator[Remark]:
    if not profile.settings:
        yield Remark("settings", "No pattern says what a settings file is, so settings would be replaced, not merged.")
    for at, world in enumerate(profile.worlds):
        if profile.settings and matcher(profile.settings).fullmatch(f"{world}/a/settings.toml"):
            yield Remark(f"worlds[{at}]", f"Settings patterns match what lies in “{world}”; a world is never merged.")


def _memory(profile: GameProfile) -> Iterator[Remark]:
    if not profile.memory.base:
        yield Remark("memory", "It gives no memory of the game alone, so nobody can be told whether a pack runs.")
    missing = [str(kind) for kind in profile.kinds if kind not in profile.memory.estimates]
    if missing:
        yield Remark("memory.estimates", f"{counted(len(missing), 'kind')} without an estimate: {listed(missing)}.")
