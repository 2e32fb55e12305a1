"""Which builds may be taken at all, and which of them meets a demand, in the order in which they are tried."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..model import Build, Channel, misfit
from ..ranges import ANY_VERSION, Range
from .problem import Problem


@dataclass(frozen=True, slots=True)
class Demand:
    """Somebody asks for a mod: `asked_by` is the build that needs it, or None for a wanted line."""

    mod: str
    range: Range
    asked_by: Build | None = None

    def met_by(self, build: Build) -> bool:
        if build.mod == self.mod:
            return self.range.holds(build.version)
        provided = build.provides.get(self.mod)
        return provided is not None and self.range.holds(provided)


@dataclass(frozen=True, slots=True)
class DeadEnd:
    """A demand that had no build left, the demands standing then, and the builds picked then."""

    stuck: Demand
    standing: tuple[Demand, ...]
    picks: tuple[Build, ...]


class Candidates:
    """The eligible builds of a problem, by the mod they are or provide."""

    def __init__(self, problem: Problem) -> None:
        self._problem = problem
        by_mod: dict[str, list[Build]] = {}
        for build in problem.builds:
            by_mod.setdefault(build.mod, []).append(build)
        self._meeting: dict[str, list[Build]] = {}
        self._cache: dict[Demand, Sequence[Build]] = {}
        providers: dict[str, list[Build]] = {}
        for mod in sorted(by_mod):
            eligible = self._in_order(mod, self._eligible(mod, by_mod[mod]))
            self._meeting[mod] = eligible
            for build in eligible:
                for provided in build.provides:
                    if provided != mod:
                        providers.setdefault(provided, []).append(build)
        self._provided = providers.keys()
        for provided, builds in providers.items():
            self._meeting.setdefault(provided, []).extend(builds)

    def has_providers(self, mod: str) -> bool:
        """Whether any other mod provides this one; where none does, only the mod itself can meet a demand."""
        return mod in self._provided

    def meeting(self, demand: Demand) -> Sequence[Build]:
        """Eligible builds that meet a demand: the mod itself before those that provide it."""
        key = Demand(demand.mod, demand.range)
        found = self._cache.get(key)
        if found is None:
            found = [build for build in self._meeting.get(demand.mod, ()) if demand.met_by(build)]
            self._cache[key] = found
        return found

    def _eligible(self, mod: str, builds: list[Build]) -> list[Build]:
        """rules.md, Resolve 2: beta and alpha only when asked for by exact version, or when no stable build fits."""
        wanted = self._problem.want.get(mod, ANY_VERSION)
        fitting = [build for build in builds if not misfit(build, self._problem.base)]
        stable = [build for build in fitting if build.channel is Channel.STABLE]
        if not any(wanted.holds(build.version) for build in stable):
            return fitting
        return [build for build in fitting if build.channel is Channel.STABLE or wanted.names(build.version)]

    def _in_order(self, mod: str, builds: list[Build]) -> list[Build]:
        """rules.md, Resolve 3: what the current lock has first, then newest first."""
        ordered = sorted(builds, key=lambda build: (build.version, build.version.text), reverse=True)
        kept = self._problem.keep.get(mod)
        if kept is not None and mod not in self._problem.refresh:
            ordered.sort(key=lambda build: build.version != kept)
        return ordered
