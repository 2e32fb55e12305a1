"""What could bring a build in: needed where a preference picks a build that no wanted line reaches.

Rules.md, Resolve 1: nothing is in the lock that no wanted line reaches. Builds that hang in the air together must be
reached by one outside them, or go (the loop formulas of answer-set programming).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property

from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range
from .eligible import provided
from .formula import Formula

MAX_CHAINED = 20_000
"""Builds that chains of needs are followed to. What lies beyond counts as out of reach: the answer is good then, and
not proven to be the best."""

MAX_EFFORT = 200_000
"""Spent after builds were first found to hang in the air, before it is taken that nothing will hold them."""


class NothingHolds(Exception):
    """The search for something that holds floating builds was given up."""


class Support:
    def __init__(self, formula: Formula) -> None:
        self._formula = formula
        self._effort_at_first = 0
        self.cut_off = False

    def reachable(self, build: Build) -> bool:
        """Whether any chain of needs leads from a wanted line to the build, whatever else that would clash with."""
        return id(build) in self._supporters

    def demand_support(self, afloat: Iterable[int]) -> None:
        """Each picked build that nothing reaches needs one that is reached to ask for it, or for what leads to it."""
        formula = self._formula
        self._effort_at_first = self._effort_at_first or formula.solver.effort_left
        if self._effort_at_first - formula.solver.effort_left > MAX_EFFORT:
            raise NothingHolds
        askers = self._askers(afloat)
        formula.solver.back_to(0)
        held: dict[tuple[int, ...], int] = {}
        for literal in sorted(askers):
            outside = tuple(sorted(_outside(literal, askers)))
            if outside not in held:
                held[outside] = formula.choice(outside)
            formula.solver.implies(literal, held[outside])

    def _askers(self, afloat: Iterable[int]) -> dict[int, list[int]]:
        """Of each floating build those that ask for it, floating or not."""
        formula = self._formula
        found: dict[int, list[int]] = {}
        for literal in afloat:
            supporters = self._supporters.get(id(formula.build(literal)), ())
            literals = (formula.literal_of(one) for one in supporters)
            found[literal] = [one for one in literals if one is not None]
        return found

    @cached_property
    def _supporters(self) -> Mapping[int, list[Build]]:
        """By the identity of each build that a chain of needs leads to: the builds that ask for it."""
        found: dict[int, list[Build]] = {}
        open_builds: list[Build] = []

        def meet(mod: str, asked: Range, asker: Build | None) -> None:
            for build in self._meeting(mod, asked):
                if id(build) not in found:
                    found[id(build)] = []
                    open_builds.append(build)
                if asker is not None:
                    found[id(build)].append(asker)

        for mod, asked in sorted(self._formula.problem.want.items()):
            meet(mod, asked, None)
        while open_builds and not self.cut_off:
            self.cut_off = len(found) > MAX_CHAINED
            build = open_builds.pop()
            for mod, asked in build.needs.items():
                meet(mod, asked, build)
        return found

    def _meeting(self, mod: str, asked: Range) -> list[Build]:
        eligible, want = self._formula.eligible, self._formula.problem.want
        wanted = want.get(mod, ANY_VERSION)
        shelf = eligible.shelf(mod, wanted)
        met = [shelf.builds[at] for at in shelf.meeting(asked)]
        for provider in eligible.library.providers_of(mod):
            others = eligible.of(provider, want.get(provider, ANY_VERSION))
            met += [build for build in others if provided(build, mod, asked)]
        return met


def _outside(literal: int, askers: Mapping[int, list[int]]) -> set[int]:
    """What could hold a floating build: whoever asks for it or for a floating one that leads to it, and floats not."""
    waiting, met = [literal], {literal}
    for one in waiting:
        fresh = [asker for asker in askers[one] if asker not in met]
        met.update(fresh)
        waiting += [asker for asker in fresh if asker in askers]
    return met - askers.keys()
