"""Resolve: the door to the search. Source: docs/rules.md, "Resolve"."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..words.errors import ConvoyError
from ..words.model import Base
from .answer import Answer, Impossible, Solved
from .best import find_best
from .clash import smallest_clash
from .eligible import Eligible
from .explain import explain
from .formula import MAX_EFFORT
from .problem import Problem
from .solver import OutOfEffort
from .ways_out import ways_out


class TooHard(ConvoyError):
    """The search was stopped at MAX_EFFORT without an answer."""

    code = "too-hard"


def resolve(
    problem: Problem, eligible: Eligible | None = None, other_bases: Sequence[Base] = (), max_effort: int = MAX_EFFORT
) -> Answer:
    """The best builds that make the wanted lines whole, or the smallest part of them that cannot go together.

    Deterministic: the order of builds and wants does not matter. `eligible` may be kept from an earlier problem with
    the same library and base; `other_bases` are tried as ways out. Raises TooHard.
    """
    eligible = eligible or Eligible(problem.library, problem.base)
    try:
        best = find_best(problem, eligible, max_effort)
        if best is not None:
            return Solved(best.picks, best.proven)
        core = smallest_clash(problem, eligible, max_effort)
    except OutOfEffort:
        raise TooHard(
            "These lines are too tangled to put together.",
            f"The search was stopped after {max_effort} steps.",
            "Hold some lines to the builds you want, or leave some out.",
            steps=max_effort,
        ) from None
    clash = replace(problem, want={mod: problem.want[mod] for mod in core})
    because = explain(clash, eligible)
    return Impossible(because, core, ways_out(problem, clash, eligible, other_bases))
