"""Which builds of a library may be taken on a base, and which of them meet a demand. Kept from problem to problem.

Source: docs/rules.md, "Resolve" 1 and 2; formats.md, "How the rules are read here".
"""

from __future__ import annotations

from collections.abc import Sequence

from ..words.model import Base, Build, Channel, misfit
from ..words.ranges import ANY_VERSION, Range
from ..words.versions import Version
from .problem import Library


class Shelf:
    """The builds of one mod that may be taken, newest first, with what the search asks of them again and again."""

    __slots__ = ("_meeting", "builds", "mod", "ranks", "stands_in")

    def __init__(self, mod: str, builds: tuple[Build, ...], wanted: Range) -> None:
        self.mod = mod
        self.builds = builds
        self.ranks = _ranks(builds, wanted)
        """Per build: how many newer ones are passed over when it is taken (formats.md, "Passed over")."""
        self.stands_in = any(build.provides for build in builds)
        self._meeting: dict[str, tuple[int, ...]] = {}

    def meeting(self, asked: Range) -> tuple[int, ...]:
        """Places of the builds whose own version is in the range asked for."""
        found = self._meeting.get(asked.text)
        if found is None:
            found = tuple([at for at, build in enumerate(self.builds) if asked.holds(build.version)])
            self._meeting[asked.text] = found
        return found

    def place(self, version: Version) -> int | None:
        return next((at for at, build in enumerate(self.builds) if build.version == version), None)


class Eligible:
    """The builds of a library that fit one base. Everything is worked out when first asked for, and remembered."""

    def __init__(self, library: Library, base: Base) -> None:
        self.library = library
        self.base = base
        self._fitting: dict[str, tuple[Build, ...]] = {}
        self._shelves: dict[tuple[str, str], Shelf] = {}
        self._single: dict[tuple[str, str, str], Shelf] = {}

    def shelf(self, mod: str, wanted: Range = ANY_VERSION) -> Shelf:
        """The builds that may be taken. `wanted`: the range of the mod's line, which may let betas in."""
        key = (mod, wanted.text)
        found = self._shelves.get(key)
        if found is None:
            found = self._shelves[key] = Shelf(mod, tuple(self._without_early(self.fitting(mod), wanted)), wanted)
        return found

    def single(self, mod: str, wanted: Range, version: Version) -> Shelf:
        """The one build that may be taken where this version is to stay; none where it may not be taken."""
        key = (mod, wanted.text, version.text)
        found = self._single.get(key)
        if found is None:
            shelf = self.shelf(mod, wanted)
            place = shelf.place(version)
            found = self._single[key] = Shelf(mod, () if place is None else (shelf.builds[place],), wanted)
        return found

    def of(self, mod: str, wanted: Range = ANY_VERSION) -> tuple[Build, ...]:
        """The builds that may be taken, newest first."""
        return self.shelf(mod, wanted).builds

    def fitting(self, mod: str) -> tuple[Build, ...]:
        """The builds that fit the base, of whatever channel, newest first."""
        found = self._fitting.get(mod)
        if found is None:
            fitting = [build for build in self.library.builds_of(mod) if not misfit(build, self.base)]
            found = self._fitting[mod] = tuple(newest_first(fitting))
        return found

    def nearest_reason(self, mod: str, asked: Range = ANY_VERSION) -> str:
        """Why the newest build in a range does not fit, as a phrase; empty when there is none or it fits."""
        builds = [build for build in self.library.builds_of(mod) if asked.holds(build.version)]
        return misfit(max(builds, key=by_age), self.base) if builds else ""

    @staticmethod
    def _without_early(fitting: Sequence[Build], wanted: Range) -> Sequence[Build]:
        """Beta and alpha only when asked for by exact version, or when no stable build fits ("Resolve" 2)."""
        if not any(build.channel is Channel.STABLE and wanted.holds(build.version) for build in fitting):
            return fitting
        return [build for build in fitting if build.channel is Channel.STABLE or wanted.names(build.version)]


def newest_first(builds: Sequence[Build]) -> list[Build]:
    """Builds of equal version are told apart by their text, then by what they ask: the order does not hang on how they
    came.
    """
    if len({build.version.key for build in builds}) == len(builds):
        return sorted(builds, key=_key, reverse=True)
    return sorted(builds, key=by_age, reverse=True)


def _key(build: Build) -> tuple[object, ...]:
    return build.version.key


def by_age(build: Build) -> tuple[object, ...]:
    """Sort key, to be reversed. Builds of equal version are told apart by their text, then by what they ask."""
    if not build.needs and not build.breaks:
        return (build.version, build.version.text, ())
    relations = sorted((mod, asked.text) for mod, asked in (*build.needs.items(), *build.breaks.items()))
    return (build.version, build.version.text, tuple(relations))


def provided(build: Build, mod: str, asked: Range) -> bool:
    """Whether a build of another mod stands in for what is asked."""
    version = build.provides.get(mod)
    return version is not None and build.mod != mod and asked.holds(version)


def _ranks(builds: tuple[Build, ...], wanted: Range) -> tuple[int, ...]:
    """Per build, how many of those in the wanted range are newer. `builds` come newest first."""
    if len(builds) < 2:
        return (0,) * len(builds)
    ranks = []
    newer = pending = 0
    for at, build in enumerate(builds):
        if at and builds[at - 1].version.key != build.version.key:
            newer += pending
            pending = 0
        ranks.append(newer)
        pending += wanted.holds(build.version)
    return tuple(ranks)
