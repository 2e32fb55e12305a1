"""What an answer costs by the preference order, counted from the answer alone: for comparing answers of any resolver.

Source: formats.md, "How the rules are read here".
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from ..words.model import Build
from ..words.ranges import ANY_VERSION
from .eligible import Eligible
from .problem import Problem


class Cost(NamedTuple):
    """Compared in this order; the smaller is the better answer."""

    changes: int
    passed_over_wanted: int
    passed_over_others: int
    extra: int


def cost_of(problem: Problem, eligible: Eligible, picks: Mapping[str, Build]) -> Cost:
    changes = sum(
        mod not in picks or picks[mod].version != version
        for mod, version in problem.keep.items()
        if mod not in problem.refresh
    )
    passed = {True: 0, False: 0}
    for mod, build in picks.items():
        wanted = problem.want.get(mod, ANY_VERSION)
        passed[mod in problem.want] += sum(
            other.version > build.version and wanted.holds(other.version) for other in eligible.of(mod, wanted)
        )
    return Cost(changes, passed[True], passed[False], sum(mod not in problem.want for mod in picks))
