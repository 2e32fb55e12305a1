"""The best of all answers, by the preference order of docs/rules.md, "Resolve" 3.

Four figures, each to be as small as possible before the next one counts: changes to the current lock, newer builds
passed over among wanted mods, among brought-in ones, and mods that nobody asked for (formats.md). For each figure
every mod gives wishes ("this build stays", "nothing newer is passed over"). Wishes are assumed; those that cannot
stand together cost one, and give way to weaker ones: of a clash one may fail, then two (core-guided optimisation, as
OLL by Andres, Kaufmann, Matheis and Schaub counts).
Once no set clashes, the figure is proven, its wishes become facts, and the next figure has its turn.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Final, Protocol

from ..words.model import Build
from .at_sight import at_sight
from .counting import Count
from .eligible import Eligible
from .formula import Domain, Formula
from .problem import Problem
from .smallest import smallest
from .solver import FALSE, TRUE, OutOfEffort
from .support import NothingHolds, Support
from .ties import Ties

Picks = dict[str, int]
"""Mod to the literal of its build."""

IMPROVING: Final = 500_000
IMPROVING_PER_MOD: Final = 400
"""Effort for making a first answer better: about a second, and more for a large pack. Packs that people make need a
fifth of it; what needs more was made to mislead, and its answer is good, and not proven to be the best."""

SURVEYABLE: Final = 8
"""Wishes in a clash that it is not worth to look for a smaller one in."""


class Figure(Protocol):
    """One of the four: what an answer costs, what it must cost at least, and the wishes that would keep it there."""

    def cost(self, picks: Picks) -> int: ...

    def least(self) -> int:
        """What follows at the root already, in the same count as `cost`."""

    def wishes(self) -> Iterator[int]:
        """New literals to assume, for mods that the search came to since the last call; they start at `least`."""

    def weaker(self, wish: int) -> int | None:
        """The next weaker wish of the same mod, once this one has been given up."""

    def settle(self, reached_least: bool) -> None:
        """The figure is proven; `reached_least`: at what `least` said, so that it can be fixed without wishes."""


@dataclass(frozen=True, slots=True)
class Best:
    picks: dict[str, Build]
    proven: bool


def find_best(problem: Problem, eligible: Eligible, max_effort: int) -> Best | None:
    """The best answer, or None when there is none. Raises OutOfEffort when not even a first one was found.

    Most edits of a draft are answered at sight, and most of the others with the current lock as facts: no better answer
    than one without changes is possible, and there is far less to search.
    """
    seen = at_sight(problem, eligible)
    if seen is not None:
        return Best(seen, True)
    if len(problem.keep) > len(problem.refresh):
        formula = Formula(problem, eligible, max_effort=max_effort, kept_only=True)
        if formula.keep_everything() and formula.first_picks() is not None:
            search = _Improving(formula)
            kept = problem.keep.keys() - problem.refresh
            search.required.update(search.picks[mod] for mod in kept & search.picks.keys())
            if not kept - search.picks.keys():
                return search.best((_PassedOver(formula, True), _PassedOver(formula, False), _Extras(formula)))
    formula = Formula(problem, eligible, max_effort=max_effort)
    if formula.first_picks() is None:
        return None
    search = _Improving(formula)
    passed = (_PassedOver(formula, True), _PassedOver(formula, False))
    return search.best((_Changes(formula, search), *passed, _Extras(formula)))


class _Improving:
    """The best answer so far, and the wishes by which a better one is looked for."""

    def __init__(self, formula: Formula) -> None:
        self._formula = formula
        self._solver = formula.solver
        self._support = Support(formula)
        self.required: set[int] = set()
        """Builds of the current lock that are assumed or settled to stay: they must also be reached."""
        self.picks: Picks = {}
        self._counts: dict[int, tuple[Count, int]] = {}
        self._read_off()

    def best(self, figures: Iterable[Figure]) -> Best:
        """The answer after each figure had its turn, or as far as the effort went."""
        proven = True
        figures = tuple(figures)
        solver, mods = self._solver, len(self._formula.domains)
        solver.effort_left = min(solver.effort_left, IMPROVING + IMPROVING_PER_MOD * mods)
        try:
            for figure in figures:
                try:
                    self.improve(figure)
                except NothingHolds:
                    proven = False
                    self._content_with_kept()
            if proven:
                self._settle_ties(figures)
        except (OutOfEffort, NothingHolds):
            proven = False
        picks = {mod: self._formula.build(literal) for mod, literal in sorted(self.picks.items())}
        return Best(picks, proven and not self._support.cut_off)

    def _settle_ties(self, figures: Sequence[Figure]) -> None:
        def held() -> Iterator[int]:
            """What a figure would wish of mods met only now holds in every answer as good as the proven one."""
            for figure in figures:
                yield from figure.wishes()

        Ties(self._formula, lambda: self.picks, self._read_off, held).settle()

    def _content_with_kept(self) -> None:
        """What is kept now stays, the rest of the current lock is let go."""
        self._solver.back_to(0)
        self.required &= set(self.picks.values())
        for literal in sorted(self.required):
            self._solver.add([literal])

    def reachable(self, literal: int) -> bool:
        return self._support.reachable(self._formula.build(literal))

    def improve(self, figure: Figure) -> None:
        self._solver.back_to(0)
        self._solver.propagate()
        if figure.cost(self.picks) == figure.least():
            figure.settle(True)
            return
        assumed = dict.fromkeys(figure.wishes())
        lower, cost = figure.least(), figure.cost(self.picks)
        while lower < cost:
            clash = self._solver.solve(tuple(assumed))
            if clash is not None:
                self._give_way(self._survey(clash), assumed, figure)
                lower += 1
            elif self._read_off():
                cost = figure.cost(self.picks)
                assumed.update(dict.fromkeys(figure.wishes()))
        self._solver.back_to(0)
        assumed.update(dict.fromkeys(figure.wishes()))
        for wish in assumed:
            self._solver.add([wish])
        figure.settle(False)

    def _read_off(self) -> bool:
        """Take the model at hand as the best answer; False when it rests on builds that nothing reaches."""
        picked = self._formula.picked()
        reached = self._formula.reached()
        afloat = {literal for literal in picked.values() if literal not in reached}
        if afloat & self.required:
            self._support.demand_support(afloat)
            return False
        self.picks = {mod: literal for mod, literal in picked.items() if literal in reached}
        return True

    def _give_way(self, clash: list[int], assumed: dict[int, None], figure: Figure) -> None:
        """At least one wish of the clash fails: one failure is counted, and only further ones are wished away."""
        for wish in clash:
            del assumed[wish]
        weaker = [other for wish in clash if (other := self._weaker(wish, figure)) is not None]
        if len(clash) > 1:
            weaker.append(self._at_most(Count(self._solver, [wish ^ 1 for wish in clash]), 1))
        assumed.update(dict.fromkeys(weaker))
        self._solver.add([wish ^ 1 for wish in clash])

    def _survey(self, clash: list[int]) -> list[int]:
        """Of a large clash a part of which no wish can be spared: what is counted together stays surveyable."""
        if len(clash) <= SURVEYABLE:
            return clash
        return smallest(clash, lambda part: self._solver.solve(tuple(part)))

    def _weaker(self, wish: int, figure: Figure) -> int | None:
        if wish in self._counts:
            count, number = self._counts[wish]
            return self._at_most(count, number + 1) if count.more_than(number + 1) else None
        return figure.weaker(wish)

    def _at_most(self, count: Count, number: int) -> int:
        """The wish that of an earlier clash no more than so many fail."""
        wish = count.more_than(number) ^ 1
        self._counts[wish] = count, number
        return wish


class _Changes:
    """Mods of the current lock, not being updated, that the answer has in another version or not at all."""

    def __init__(self, formula: Formula, search: _Improving) -> None:
        self._formula = formula
        self._search = search
        self._mods = sorted(formula.problem.keep.keys() - formula.problem.refresh)
        kept = {mod: formula.kept_literal(mod) for mod in self._mods}
        self._kept = {mod: literal for mod, literal in kept.items() if literal is not None}
        self._wished = False
        self._hopeless: set[str] = set()

    def cost(self, picks: Picks) -> int:
        return sum(self._kept.get(mod, 0) != picks.get(mod) for mod in self._mods)

    def least(self) -> int:
        """Builds that are gone, or ruled out at the root, or that no wanted line can ever reach."""
        values, picks = self._formula.solver.values, self._search.picks
        self._hopeless = {
            mod
            for mod in self._mods
            if (literal := self._kept.get(mod)) is None
            or values[literal ^ 1] == TRUE
            or (picks.get(mod) != literal and not self._search.reachable(literal))
        }
        return len(self._hopeless)

    def wishes(self) -> Iterator[int]:
        if self._wished:
            return
        self._wished = True
        solver = self._formula.solver
        for mod, literal in self._kept.items():
            if mod not in self._hopeless:
                self._search.required.add(literal)
                lost = solver.variable()
                solver.implies(literal, lost ^ 1)
                solver.add([self._formula.choice((lost, literal))])
                yield lost ^ 1

    def weaker(self, wish: int) -> int | None:
        return None

    def settle(self, reached_least: bool) -> None:
        if reached_least:
            for wish in list(self.wishes()):
                self._formula.solver.add([wish])


class _PassedOver:
    """Newer builds passed over, among wanted mods or among the others."""

    def __init__(self, formula: Formula, wanted: bool) -> None:
        self._formula = formula
        self._wanted = wanted
        self._least: dict[str, int] = {}
        self._seen: set[str] = set()
        self._steps: dict[int, tuple[Domain, int]] = {}

    def _domains(self) -> Iterator[Domain]:
        return (domain for domain in list(self._formula.domains.values()) if domain.wanted == self._wanted)

    def cost(self, picks: Picks) -> int:
        domains = self._formula.domains
        total = 0
        for mod, literal in picks.items():
            domain = domains[mod]
            if domain.wanted == self._wanted:
                total += domain.rank(literal)
        return total

    def least(self) -> int:
        self._least = {domain.mod: self._formula.least_rank(domain) for domain in self._domains()}
        return sum(self._least.values())

    def wishes(self) -> Iterator[int]:
        for domain in self._domains():
            if domain.mod not in self._seen:
                self._seen.add(domain.mod)
                wish = self._at_most(domain, self._least.get(domain.mod, 0))
                if wish is not None:
                    yield wish

    def _at_most(self, domain: Domain, rank: int) -> int | None:
        """The literal that says: no build is taken that passes over more than `rank` newer ones."""
        solver = self._formula.solver
        wish = 0
        for literal in domain.literals:
            if domain.rank(literal) > rank:
                wish = wish or solver.variable() ^ 1
                solver.implies(wish, literal ^ 1)
        if not wish:
            return None
        self._steps[wish] = (domain, rank)
        return wish

    def weaker(self, wish: int) -> int | None:
        if wish not in self._steps:
            return None
        domain, rank = self._steps[wish]
        return self._at_most(domain, rank + 1)

    def settle(self, reached_least: bool) -> None:
        if reached_least:
            solver = self._formula.solver
            for domain in self._domains():
                self._seen.add(domain.mod)
                least = self._least.get(domain.mod, 0)
                if domain.ranks and domain.ranks[-1] > least:
                    for literal in domain.literals:
                        if domain.rank(literal) > least and solver.values[literal] != FALSE:
                            solver.add([literal ^ 1])
        self._formula.newest_only = self._formula.newest_only or not self._wanted


class _Extras:
    """Mods in the answer that no line names."""

    def __init__(self, formula: Formula) -> None:
        self._formula = formula
        self._seen: set[str] = set()
        self._present: set[str] = set()

    def cost(self, picks: Picks) -> int:
        return sum(mod not in self._formula.problem.want for mod in picks)

    def least(self) -> int:
        others = (domain for domain in self._formula.domains.values() if not domain.wanted)
        self._present = {domain.mod for domain in others if self._formula.present(domain)}
        return len(self._present)

    def wishes(self) -> Iterator[int]:
        solver = self._formula.solver
        for domain in list(self._formula.domains.values()):
            if domain.wanted or domain.mod in self._seen:
                continue
            self._seen.add(domain.mod)
            if domain.mod not in self._present:
                absent = solver.variable() ^ 1
                for literal in (*domain.demands, *domain.literals):
                    solver.implies(absent, literal ^ 1)
                yield absent

    def weaker(self, wish: int) -> int | None:
        return None

    def settle(self, reached_least: bool) -> None:
        if reached_least:
            for wish in list(self.wishes()):
                self._formula.solver.add([wish])
