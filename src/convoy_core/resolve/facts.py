"""The facts that a refusal rests on, as things that can be left out one by one: needs, breaks, what does not fit.

A fact is about all builds of a mod that share it, so that a sentence can be: "every Heron Almanac needs …".
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from ..words.model import Build, Channel, misfit
from ..words.ranges import Range
from .eligible import Eligible, by_age


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


class Facts:
    """What one search came across, with some facts left out as if they were not so."""

    def __init__(self, eligible: Eligible, without: Collection[Fact] = ()) -> None:
        self._eligible = eligible
        self._without = frozenset(without)
        self.met: dict[Fact, None] = {}

    def need(self, build: Build, mod: str, asked: Range) -> bool:
        return self._stands(Need(build.mod, mod, asked.text))

    def breaks(self, build: Build, mod: str, asked: Range) -> bool:
        return self._stands(Break(build.mod, mod, asked.text))

    def eligible(self, mod: str, wanted: Range) -> tuple[Build, ...]:
        """The builds that may be taken, with those that only a left-out fact rules out."""
        allowed = []
        for build in self._eligible.library.builds_of(mod):
            why = misfit(build, self._eligible.base)
            if not why or not self._stands(Misfit(mod, why)):
                allowed.append(build)
        allowed.sort(key=by_age, reverse=True)
        return tuple(build for build in allowed if not self._too_early(build, wanted) or not self._stands(Early(mod)))

    def _too_early(self, build: Build, wanted: Range) -> bool:
        if build.channel is Channel.STABLE or misfit(build, self._eligible.base):
            return False
        return build not in self._eligible.of(build.mod, wanted)

    def _stands(self, fact: Fact) -> bool:
        if fact in self._without:
            return False
        self.met[fact] = None
        return True
