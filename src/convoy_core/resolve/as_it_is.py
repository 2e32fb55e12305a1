"""A current lock that goes on as it is: the best answer, without a search.

That is so where each of its builds may be taken, all that it needs and all that is wanted is met within it, nothing in
it breaks another, and the wanted lines reach all of it. Every other answer changes something of it, or has all of it
and something besides: a mod that nobody asked for, or one for which something stands in already, and of equally good
answers the one without it is *the* one (docs/rules.md, "Resolve" 3; formats.md). Most edits of a draft leave it so.
"""

from __future__ import annotations

from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range
from .eligible import Eligible, provided
from .problem import Problem


def as_it_is(problem: Problem, eligible: Eligible) -> dict[str, Build] | None:
    """The builds that are to stay, by mod in order of ids, where they are an answer by themselves."""
    kept: dict[str, Build] = {}
    standing_in: dict[str, list[Build]] = {}
    for mod in sorted(problem.keep):
        if mod in problem.refresh:
            continue
        builds = eligible.single(mod, problem.want.get(mod, ANY_VERSION), problem.keep[mod]).builds
        if not builds:
            return None
        kept[mod] = builds[0]
        for other in builds[0].provides:
            standing_in.setdefault(other, []).append(builds[0])
    if not kept:
        return None
    reached = dict[str, Build]()
    for mod in sorted(problem.want):
        if not _meet(mod, problem.want[mod], kept, standing_in, reached):
            return None
    waiting = list(reached.values())
    for build in waiting:
        for mod, broken in build.breaks.items():
            if mod != build.mod and mod in kept and broken.holds(kept[mod].version):
                return None
        for mod, asked in build.needs.items():
            known = len(reached)
            if not _meet(mod, asked, kept, standing_in, reached):
                return None
            if len(reached) > known:
                waiting.extend(list(reached.values())[known:])
    return kept if len(reached) == len(kept) else None


def _meet(
    mod: str, asked: Range, kept: dict[str, Build], standing_in: dict[str, list[Build]], reached: dict[str, Build]
) -> bool:
    """Whether something that is kept meets a demand; all that does is reached."""
    is_met = False
    own = kept.get(mod)
    if own is not None and asked.holds(own.version):
        reached[mod] = own
        is_met = True
    for other in standing_in.get(mod, ()):
        if provided(other, mod, asked):
            reached[other.mod] = other
            is_met = True
    return is_met
