"""Which builds of a library may be taken on a base, and which of them meet a demand. Kept from problem to problem.

Source: docs/rules.md, "Resolve" 1 and 2; formats.md, "How the rules are read here".
"""

from __future__ import annotations

from collections.abc import Sequence

from ..words.model import Base, Build, Channel, misfit
from ..words.ranges import ANY_VERSION, Range
from .problem import Library


class Eligible:
    """The builds of a library that fit one base. Everything is worked out when first asked for, and remembered."""

    def __init__(self, library: Library, base: Base) -> None:
        self.library = library
        self.base = base
        self._fitting: dict[str, tuple[Build, ...]] = {}
        self._eligible: dict[tuple[str, str], tuple[Build, ...]] = {}
        self._own: dict[tuple[str, str, str], tuple[int, ...]] = {}

    def of(self, mod: str, wanted: Range = ANY_VERSION) -> tuple[Build, ...]:
        """The builds that may be taken, newest first. `wanted`: the range of its line, which may let betas in."""
        key = (mod, wanted.text)
        found = self._eligible.get(key)
        if found is None:
            found = self._eligible[key] = tuple(self._without_early(self.fitting(mod), wanted))
        return found

    def fitting(self, mod: str) -> tuple[Build, ...]:
        """The builds that fit the base, of whatever channel, newest first."""
        found = self._fitting.get(mod)
        if found is None:
            fitting = [build for build in self.library.builds_of(mod) if not misfit(build, self.base)]
            found = self._fitting[mod] = tuple(sorted(fitting, key=by_age, reverse=True))
        return found

    def meeting(self, mod: str, asked: Range, wanted: Range = ANY_VERSION) -> tuple[int, ...]:
        """Places in `of(mod, wanted)` of the builds whose own version is in the range asked for."""
        key = (mod, asked.text, wanted.text)
        found = self._own.get(key)
        if found is None:
            builds = self.of(mod, wanted)
            found = self._own[key] = tuple(at for at, build in enumerate(builds) if asked.holds(build.version))
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
