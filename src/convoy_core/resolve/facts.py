"""The facts that a refusal rests on, as things that can be left out one by one: needs, breaks, what does not fit.

A fact is about all builds of a mod that share it, so that a sentence can be: "every Heron Almanac needs …".
"""

from __future__ import annotations

from dataclasses import dataclass

from ..words.model import Build, Channel, misfit
from ..words.ranges import ANY_VERSION, Range
from .eligible import Eligible, by_age
from .problem import Problem


@dataclass(frozen=True, slots=True, order=True)
class Need:
    mod: str
    target: str
    asked: str
    """The text of the range."""


@dataclass(frozen=True, slots=True, order=True)
class Break:
    mod: str
    target: str
    asked: str


@dataclass(frozen=True, slots=True, order=True)
class Misfit:
    """Builds of the mod do not fit the base, for this reason."""

    mod: str
    why: str


@dataclass(frozen=True, slots=True, order=True)
class Early:
    """Beta and alpha builds of the mod are not taken, as stable ones fit."""

    mod: str


Fact = Need | Break | Misfit | Early

MAX_LOOKED_AT = 20_000
"""Builds. Facts about what lies beyond are taken as they are, and are not told."""


class Facts:
    """The facts of one problem, each with a literal that says that it stands: what it does follows from that only."""

    def __init__(self, eligible: Eligible) -> None:
        self._eligible = eligible
        self._builds: dict[tuple[str, str], tuple[Build, ...]] = {}
        self.literals: dict[Fact, int] = {}
        """Of the facts that may be left out; of others it is as if they always stood."""

    def against(self, build: Build, wanted: Range) -> Misfit | Early | None:
        """What keeps a build out by itself."""
        why = misfit(build, self._eligible.base)
        if why:
            return Misfit(build.mod, why)
        if build.channel is Channel.STABLE or build in self._eligible.of(build.mod, wanted):
            return None
        return Early(build.mod)

    def builds(self, mod: str, wanted: Range) -> tuple[Build, ...]:
        """Those that may be taken, and those that only a fact keeps out which may be left out."""
        key = (mod, wanted.text)
        found = self._builds.get(key)
        if found is None:
            every = sorted(self._eligible.library.builds_of(mod), key=by_age, reverse=True)
            against = {id(build): self.against(build, wanted) for build in every}
            allowed = [one for one in every if (fact := against[id(one)]) is None or fact in self.literals]
            found = self._builds[key] = tuple(allowed)
        return found


def all_facts(problem: Problem, eligible: Eligible) -> list[Fact]:
    """Every fact that any search for the wanted lines could meet, whatever is left out; the same for every search."""
    facts = Facts(eligible)
    found: dict[Fact, None] = {}
    waiting, met, builds = sorted(problem.want), set(problem.want), 0
    for mod in waiting:
        ahead: set[str] = set(eligible.library.providers_of(mod))
        wanted = problem.want.get(mod, ANY_VERSION)
        for build in eligible.library.builds_of(mod):
            builds += 1
            against = facts.against(build, wanted)
            if against is not None:
                found[against] = None
            found.update({Need(mod, other, asked.text): None for other, asked in build.needs.items()})
            found.update({Break(mod, other, asked.text): None for other, asked in build.breaks.items() if other != mod})
            ahead.update(build.needs)
        if builds > MAX_LOOKED_AT:
            break
        waiting += sorted(ahead - met)
        met |= ahead
    return list(found)
