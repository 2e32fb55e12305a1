"""Which wanted lines cannot go together: as few of them as can be found."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .eligible import Eligible
from .formula import Formula
from .problem import Problem
from .smallest import smallest

MAX_CLASHES = 6
"""Different clashes looked at, to find a small one. Each has no line that could be spared; two may differ in size."""


def smallest_clash(problem: Problem, eligible: Eligible, max_effort: int) -> tuple[str, ...]:
    """Wanted mods, sorted, that are impossible together and of which none can be spared. Raises OutOfEffort."""
    formula = Formula(problem, eligible, max_effort=max_effort)
    wishes = {formula.demand(mod, problem.want[mod]): mod for mod in sorted(problem.want)}

    def shrink(among: Sequence[int]) -> list[int]:
        return smallest(among, lambda part: formula.solver.solve(tuple(part)))

    found = shrink(tuple(wishes))
    tried, untried = 1, [(set[int](), found)]
    while untried and tried < MAX_CLASHES:
        spared, clash = untried.pop(0)
        for wish in clash:
            other = shrink([one for one in wishes if one != wish and one not in spared])
            tried += 1
            if other:
                untried.append((spared | {wish}, other))
                found = min(found, other, key=len)
    return tuple(sorted(wishes[wish] for wish in found))


def clashes(
    problem: Problem, eligible: Eligible, rank: Mapping[str, int], max_effort: int
) -> list[tuple[str, tuple[str, ...]]]:
    """One clash after the other, until what is left goes together: of each the line of the highest rank, which is set
    apart, and the wanted mods of the clash, of which none can be spared. Raises OutOfEffort.
    """
    formula = Formula(problem, eligible, max_effort=max_effort)
    wishes = {formula.demand(mod, problem.want[mod]): mod for mod in sorted(problem.want)}
    left, found = list(wishes), []
    while core := smallest(left, lambda part: formula.solver.solve(tuple(part))):
        latest = max(core, key=lambda wish: rank[wishes[wish]])
        left.remove(latest)
        found.append((wishes[latest], tuple(sorted(wishes[wish] for wish in core))))
    return found
