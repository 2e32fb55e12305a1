"""The search: depth first over demands, one with no or a single build left before others, looking ahead each step.

Complete: it finds an answer or proves there is none. It prefers what the lock has, then newest builds, demand by
demand; the exact preference order of rules.md over the whole answer, and learning from conflicts, are not done here.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice

from ..errors import ConvoyError
from ..model import Build
from ..ranges import Range
from .candidates import Candidates, DeadEnd, Demand
from .explain import explain
from .problem import Answer, Impossible, Problem, Solved

MAX_STEPS = 200_000
"""Builds tried before the search gives up: some seconds. Packs that people make need a few hundred."""


class TooHard(ConvoyError):
    """The search was stopped at MAX_STEPS without an answer."""

    code = "too-hard"


def resolve(problem: Problem) -> Answer:
    """The builds that make the wanted lines whole, or the smallest part of them that cannot go together.

    Deterministic: the order of `builds` and of `want` does not matter. Raises TooHard.
    """
    candidates = Candidates(problem)
    wants = [Demand(mod, problem.want[mod]) for mod in sorted(problem.want)]
    search = _Search(candidates, wants)
    picks = search.run()
    if picks is not None:
        return Solved(_reached(picks, wants))
    core = _smallest([], wants, candidates)
    dead_end = _Search(candidates, core)
    dead_end.run()
    return Impossible(explain(problem, core, dead_end.first_dead_end), tuple(want.mod for want in core))


class _Search:
    """One run over a set of wants. State is undone step by step on the way back."""

    def __init__(self, candidates: Candidates, wants: Sequence[Demand]) -> None:
        self._candidates = candidates
        self._open = list(wants)
        self._picks: dict[str, Build] = {}
        self._breaks: list[tuple[str, Range]] = []
        self._steps = 0
        self.first_dead_end: DeadEnd | None = None
        """Where a demand first had no candidate left: material for the reason."""

    def run(self) -> dict[str, Build] | None:
        stack: list[tuple[Iterator[Build], int, int]] = []
        while True:
            demand, options = self._narrowest()
            if demand is None:
                return dict(self._picks)
            if not options and not self.first_dead_end:
                self.first_dead_end = DeadEnd(demand, tuple(self._open), tuple(self._picks.values()))
            stack.append((iter(options), len(self._open), len(self._breaks)))
            while stack:
                build = next(stack[-1][0], None)
                if build is not None:
                    self._take(build)
                    break
                stack.pop()
                if stack:
                    self._undo(stack[-1][1], stack[-1][2])
            else:
                return None

    def _narrowest(self) -> tuple[Demand | None, list[Build]]:
        """The first unmet demand with at most one build left, else the oldest unmet one; and the builds for it."""
        oldest: Demand | None = None
        for demand in self._open:
            if self._met(demand):
                continue
            left = list(islice(filter(self._viable, self._candidates.meeting(demand)), 2))
            if len(left) <= 1:
                return demand, left
            oldest = oldest or demand
        if oldest is None:
            return None, []
        return oldest, [build for build in self._candidates.meeting(oldest) if self._viable(build)]

    def _met(self, demand: Demand) -> bool:
        picked = self._picks.get(demand.mod)
        if picked is not None and demand.met_by(picked):
            return True
        if not self._candidates.has_providers(demand.mod):
            return False
        return any(self._picks.get(build.mod) is build for build in self._candidates.meeting(demand))

    def _viable(self, build: Build) -> bool:
        if build.mod in self._picks:
            return False
        if any(mod == build.mod and broken.holds(build.version) for mod, broken in self._breaks):
            return False
        return not any(
            (picked := self._picks.get(mod)) is not None and broken.holds(picked.version)
            for mod, broken in build.breaks.items()
        )

    def _take(self, build: Build) -> None:
        self._steps += 1
        if self._steps > MAX_STEPS:
            raise TooHard("These lines are too tangled to put together.", "The search was stopped.", steps=MAX_STEPS)
        self._picks[build.mod] = build
        self._open += (Demand(mod, build.needs[mod], build) for mod in sorted(build.needs))
        self._breaks += ((mod, build.breaks[mod]) for mod in sorted(build.breaks) if mod != build.mod)

    def _undo(self, open_mark: int, breaks_mark: int) -> None:
        del self._open[open_mark:]
        del self._breaks[breaks_mark:]
        self._picks.popitem()


def _reached(picks: dict[str, Build], wants: Sequence[Demand]) -> dict[str, Build]:
    """rules.md, Resolve 1: nothing is in the lock that no wanted line reaches."""
    reached: dict[str, Build] = {}
    demands = list(wants)
    while demands:
        demand = demands.pop()
        for build in picks.values():
            if build.mod not in reached and demand.met_by(build):
                reached[build.mod] = build
                demands += (Demand(mod, wanted, build) for mod, wanted in build.needs.items())
    return {mod: reached[mod] for mod in sorted(reached)}


def _smallest(base: list[Demand], wants: list[Demand], candidates: Candidates) -> list[Demand]:
    """A smallest impossible part of `wants` given `base`: halves first, so that few wants cost few searches."""
    if _Search(candidates, base).run() is None:
        return []
    if len(wants) == 1:
        return wants
    middle = len(wants) // 2
    first, second = wants[:middle], wants[middle:]
    of_second = _smallest(base + first, second, candidates)
    of_first = _smallest(base + of_second, first, candidates)
    return of_first + of_second
