"""What would free an impossible set of lines. Each way was tried before it is offered. Source:

Source: docs/rules.md, "Resolve" 5.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from ..words.model import Base, Build, Channel
from ..words.ranges import ANY_VERSION, parse_range
from .answer import Freeing, WayOut
from .eligible import Eligible
from .formula import Formula
from .problem import Problem
from .solver import OutOfEffort

MAX_WAYS = 6
MAX_TRIES = 30
"""Ways tried per clash: a handful of lines in it, each freed or dropped, and some bases."""


def ways_out(
    problem: Problem, clash: Problem, eligible: Eligible, other_bases: Sequence[Base] = ()
) -> tuple[WayOut, ...]:
    """Gentlest first: drop a hold, take a test build, move to another base, leave a line out.

    A way must free the whole problem; only where none does (several clashes at once) it is enough to free this one.
    """
    candidates = list(_candidates(clash, eligible, other_bases))[:MAX_TRIES]
    for whole in (problem, clash):
        found = [tried for way in candidates if (tried := _tried(way, whole, eligible))]
        if found:
            return tuple(found[:MAX_WAYS])
    return ()


def _candidates(clash: Problem, eligible: Eligible, other_bases: Sequence[Base]) -> Iterator[WayOut]:
    wants = sorted(clash.want)
    yield from (WayOut(Freeing.OTHER_VERSION, "", mod, ANY_VERSION) for mod in wants if clash.want[mod].text != "*")
    for mod in wants:
        early = (build for build in eligible.fitting(mod) if build.channel is not Channel.STABLE)
        newest = next(early, None)
        if newest is not None and not clash.want[mod].names(newest.version):
            yield WayOut(Freeing.TEST_BUILD, "", mod, parse_range(f"={newest.version}"))
    yield from (WayOut(Freeing.OTHER_BASE, "", base=base) for base in other_bases)
    yield from (WayOut(Freeing.LEAVE_OUT, "", mod) for mod in wants)


def _tried(way: WayOut, problem: Problem, eligible: Eligible) -> WayOut | None:
    """The way with what came of it in words; None when it frees nothing."""
    changed = apply(way, problem)
    formula = Formula(changed, eligible if way.base is None else Eligible(problem.library, way.base))
    try:
        if formula.first_picks() is None:
            return None
        newest = formula.newest(way.mod) if way.base is None and way.mod in changed.want else None
    except OutOfEffort:
        return None
    return replace(way, text=_text(way, problem, newest))


def _text(way: WayOut, problem: Problem, build: Build | None) -> str:
    """`build`: the newest of the mod that the change lets in."""
    name = problem.name(way.mod)
    if way.freeing is Freeing.OTHER_BASE and way.base is not None:
        return f"It would go on {way.base.as_text()}."
    if way.freeing is Freeing.LEAVE_OUT:
        return f"It would go without {name}."
    if build is None:
        return f"It would go with another mod in place of {name}."
    early = f", which is {build.channel}" if build.channel is not Channel.STABLE else ""
    return f"It would go with {name} {build.version}{early}."


def apply(way: WayOut, problem: Problem) -> Problem:
    """The problem as it would be with the change."""
    if way.base is not None:
        return replace(problem, base=way.base)
    want = {mod: asked for mod, asked in problem.want.items() if mod != way.mod}
    if way.range is not None:
        want[way.mod] = way.range
    return replace(problem, want=want)
