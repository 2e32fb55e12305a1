"""Why there is no lock, as sentences a person follows. Source: docs/rules.md, "Resolve" 5.

Of the facts that the search met (needs, breaks, what does not fit) those are told of which none can be spared: left
out as if it were not so, each would make the lines possible.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..words.model import Base, Build, Channel, misfit
from ..words.ranges import ANY_VERSION, Range, parse_range
from ..words.wording import listed
from .eligible import Eligible, by_age, provided
from .facts import Break, Fact, Facts, Misfit, Need, all_facts
from .formula import Formula
from .problem import Problem
from .smallest import smallest
from .solver import OutOfEffort

MAX_NAMED = 3
"""Versions named one by one in a sentence; more are told as "from … to …"."""


def explain(clash: Problem, eligible: Eligible) -> tuple[str, ...]:
    """Sentences for wants of which none can be spared, in the order in which one leads to the next."""
    facts = _needed_facts(clash, eligible)
    return _Telling(clash, eligible, facts).sentences()


def _needed_facts(clash: Problem, eligible: Eligible) -> list[Fact]:
    """Of all facts that the lines could meet those of which none can be spared, breaks and needs rather than misfits;
    none where that is too hard to find.
    """
    every = sorted(all_facts(clash, eligible), key=_by_worth, reverse=True)
    facts = Facts(eligible)
    formula = Formula(clash, eligible, facts)
    facts.literals = {fact: formula.solver.variable() for fact in every}
    formula.want_everything()
    try:
        needed = smallest(list(facts.literals.values()), lambda part: formula.solver.solve(tuple(part)))
    except OutOfEffort:
        return []
    by_literal = {literal: fact for fact, literal in facts.literals.items()}
    return [by_literal[literal] for literal in needed]


def _by_worth(fact: Fact) -> tuple[object, ...]:
    return (isinstance(fact, Need | Break), type(fact).__name__, fact)


class _Telling:
    def __init__(self, problem: Problem, eligible: Eligible, facts: Sequence[Fact]) -> None:
        self._problem = problem
        self._eligible = eligible
        self._facts = facts
        self._ruled_out = {type(fact): set[str]() for fact in facts}
        for fact in facts:
            self._ruled_out[type(fact)].add(fact.mod)

    def sentences(self) -> tuple[str, ...]:
        told: dict[str, None] = {}
        subjects = {fact.mod for fact in self._facts if isinstance(fact, Need | Break)}
        subjects |= {fact.target for fact in self._facts if isinstance(fact, Break)}
        for mod, asked in sorted(self._problem.want.items()):
            if mod not in subjects or not (asked.text == "*" or self._is_held(mod)):
                told[f"You want {self._with_range(mod, asked)}."] = None
                told.update(dict.fromkeys(self._missing(mod, asked)))
        for fact in self._in_order():
            told.update(dict.fromkeys(self._tell(fact)))
        return tuple(told)

    def _in_order(self) -> list[Fact]:
        """From the wanted lines along the needs, then what stands apart."""
        left = sorted(self._facts, key=lambda fact: (type(fact).__name__, fact))
        ordered: list[Fact] = []
        reach = sorted(self._problem.want)
        for mod in reach:
            ordered += [fact for fact in left if fact.mod == mod and fact not in ordered]
            targets = {fact.target for fact in ordered if isinstance(fact, Need)}
            reach += sorted(targets.difference(reach))
        return ordered + [fact for fact in left if fact not in ordered]

    def _tell(self, fact: Fact) -> Iterable[str]:
        if isinstance(fact, Need):
            asked = parse_range(fact.asked)
            sharing = [
                build for build in self._candidates(fact.mod) if self._text(build.needs, fact.target) == fact.asked
            ]
            verb = "need" if len(sharing) > 1 else "needs"
            yield f"{self._builds(fact.mod, sharing)} {verb} {self._with_range(fact.target, asked)}."
            yield from self._missing(fact.target, asked)
        elif isinstance(fact, Break):
            broken = parse_range(fact.asked)
            sharing = [
                build for build in self._candidates(fact.mod) if self._text(build.breaks, fact.target) == fact.asked
            ]
            targets = [build for build in self._candidates(fact.target) if broken.holds(build.version)]
            verb = "do" if len(sharing) > 1 else "does"
            broken_ones = self._builds(fact.target, targets, ends=True)
            yield f"{self._builds(fact.mod, sharing)} {verb} not go together with {broken_ones}."
        elif isinstance(fact, Misfit):
            unfit = [build for build in self._named(fact.mod) if misfit(build, self._base) == fact.why]
            yield f"{self._builds(fact.mod, unfit)} {'are' if len(unfit) > 1 else 'is'} {fact.why}."
        else:
            early = [build for build in self._named(fact.mod) if build.channel is not Channel.STABLE]
            verb, what = ("are", "tests") if len(early) > 1 else ("is", f"{early[0].channel}")
            article = "" if len(early) > 1 else "a " if what == "beta" else "an "
            yield f"{self._builds(fact.mod, early)} {verb} {article}{what}, taken only when asked for by its version."

    @property
    def _base(self) -> Base:
        return self._problem.base

    @staticmethod
    def _text(relations: object, target: str) -> str:
        asked = relations.get(target) if isinstance(relations, dict) else None
        return asked.text if asked is not None else ""

    def _missing(self, mod: str, asked: Range) -> Iterable[str]:
        """That nothing at all meets a demand, fitting or not."""
        named = self._named(mod)
        standing_in = any(
            provided(build, mod, asked)
            for provider in self._eligible.library.providers_of(mod)
            for build in self._named(provider)
        )
        if standing_in or any(asked.holds(build.version) for build in named):
            return
        if not named:
            yield f"No source has {self._problem.name(mod)}."
        else:
            yield f"No build of {self._problem.name(mod)} is {asked.in_words()}; the newest is {named[0].version}."

    def _named(self, mod: str) -> list[Build]:
        return sorted(self._eligible.library.builds_of(mod), key=by_age, reverse=True)

    def _candidates(self, mod: str) -> list[Build]:
        """The builds that a sentence is about: those in the wanted range that nothing else has ruled out."""
        wanted = self._problem.want.get(mod, ANY_VERSION)
        taken = self._eligible.of(mod, wanted)
        builds = [build for build in taken if wanted.holds(build.version)] or list(taken)
        return builds

    def _is_held(self, mod: str) -> bool:
        """Held to one version: said beside the build, not as a wish of its own."""
        return any(self._problem.want[mod].names(build.version) for build in self._candidates(mod))

    def _with_range(self, mod: str, asked: Range) -> str:
        name = self._problem.name(mod)
        return name if asked.text == "*" else f"{name} {asked.in_words()}"

    def _builds(self, mod: str, builds: Sequence[Build], ends: bool = False) -> str:
        """Builds of one mod, newest first, as the subject of a sentence or, with `ends`, at its end."""
        name = self._problem.name(mod)
        versions = list(dict.fromkeys(build.version.text for build in reversed(builds)))
        if not versions:
            return name
        if len(versions) == 1:
            held = self._problem.want.get(mod)
            by_you = ", held by you" if held is not None and held.names(builds[0].version) else ""
            return f"{name} {versions[0]}{by_you}{',' if by_you and not ends else ''}"
        if len(versions) <= MAX_NAMED:
            return f"{name} {listed(versions)}"
        return f"{name} {versions[0]} to {versions[-1]}"
