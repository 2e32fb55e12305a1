"""Resolve: the door to the search. Source: docs/rules.md, "Resolve"."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from ..words.errors import ConvoyError
from ..words.model import Base
from .answer import Answer, Impossible, Solved
from .best import find_best
from .clash import clashes, smallest_clash
from .eligible import Eligible
from .explain import explain
from .formula import MAX_EFFORT
from .problem import Problem
from .solver import OutOfEffort
from .ways_out import ways_out


class TooHard(ConvoyError):
    """The search was stopped at MAX_EFFORT without an answer."""

    code = "too-hard"


def every_clash(
    problem: Problem, eligible: Eligible, rank: Mapping[str, int], max_effort: int = MAX_EFFORT
) -> list[tuple[str, tuple[str, ...]]]:
    """For many clashes at once: each line that is set apart, that of the highest rank in its clash, with all the lines
    of that. Raises TooHard.
    """
    try:
        return clashes(problem, eligible, rank, max_effort)
    except OutOfEffort:
        raise _too_hard(max_effort) from None


def told(problem: Problem, core: Sequence[str], eligible: Eligible, other_bases: Sequence[Base] = ()) -> Impossible:
    """A clash within a problem that would go together without it: sentences, and ways out that were tried."""
    clash = _of(problem, core)
    return Impossible(explain(clash, eligible), tuple(sorted(core)), ways_out(problem, clash, eligible, other_bases))


def _of(problem: Problem, core: Iterable[str]) -> Problem:
    return replace(problem, want={mod: problem.want[mod] for mod in core})


def _too_hard(max_effort: int) -> TooHard:
    return TooHard(
        "These lines are too tangled to put together.",
        f"The search was stopped after {max_effort} steps.",
        "Hold some lines to the builds you want, or leave some out.",
        steps=max_effort,
    )


def resolve(
    problem: Problem,
    eligible: Eligible | None = None,
    other_bases: Sequence[Base] = (),
    max_effort: int = MAX_EFFORT,
    tell: bool = True,
) -> Answer:
    """The best builds that make the wanted lines whole, or the smallest part of them that cannot go together.

    Deterministic: the order of builds and wants does not matter. `eligible` may be kept from an earlier problem with
    the same library and base; `other_bases` are tried as ways out. Without `tell` a clash comes without sentences and
    ways out, which take searches of their own (`told`). Raises TooHard.
    """
    eligible = eligible or Eligible(problem.library, problem.base)
    try:
        best = find_best(problem, eligible, max_effort)
        if best is not None:
            return Solved(best.picks, best.proven)
        core = smallest_clash(problem, eligible, max_effort)
    except OutOfEffort:
        raise _too_hard(max_effort) from None
    return told(problem, core, eligible, other_bases) if tell else Impossible((), core)
