"""The best answer where it is seen at once, without a search: the current lock as it is, with what is wanted anew in
its newest build, and what that needs in the newest builds too.

That is so where each of these builds may be taken, all that they need and all that is wanted is met within them,
nothing in them breaks another, and the wanted lines reach all of them. Every other answer changes something of the
lock, or has all of it and passes over a newer build, or something besides: a mod that nobody asked for, or one for
which something stands in already, and of equally good answers the one without it is *the* one (docs/rules.md,
"Resolve" 3; formats.md). What is brought in has to be in all of them: nothing stands in for it, and of nothing that
asks for it is there another build as new.
"""

from __future__ import annotations

from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range
from .eligible import Eligible, provided
from .problem import Problem

Builds = dict[str, Build]


def at_sight(problem: Problem, eligible: Eligible) -> Builds | None:
    """By mod, in order of ids; None where it takes a search to see."""
    kept = _kept(problem, eligible)
    if not kept:
        return None
    standing_in = _standing_in(kept)
    new: Builds = {}
    for mod in sorted(problem.want):
        if not _meet(mod, problem.want[mod], kept, standing_in, {}):
            newest = _newest(mod, problem, eligible)
            if newest is None:
                return None
            new[mod] = newest
    brought = _brought_in(problem, eligible, kept, new)
    if brought is None:
        return None
    chosen = kept | new | brought
    return dict(sorted(chosen.items())) if _is_whole(problem, chosen) else None


def _brought_in(problem: Problem, eligible: Eligible, kept: Builds, new: Builds) -> Builds | None:
    """What new builds need that is not there, along needs; None where it is not said which build that would be."""
    chosen, brought = kept | new, dict[str, Build]()
    standing_in = _standing_in(chosen)
    waiting = list(new.values())
    for build in waiting:
        for mod, asked in build.needs.items():
            if not _meet(mod, asked, chosen, standing_in, {}):
                one = _only_newest(mod, problem, eligible)
                if one is None or mod in chosen or any(other in problem.want for other in one.provides):
                    return None
                chosen[mod] = brought[mod] = one
                waiting.append(one)
    if brought and any(_only_newest(mod, problem, eligible) is None for mod in new):
        return None
    return brought


def _only_newest(mod: str, problem: Problem, eligible: Eligible) -> Build | None:
    """The one build of a mod that is newest, where nothing stands in for it and the lock has no build of it."""
    if (mod in problem.keep and mod not in problem.refresh) or eligible.library.providers_of(mod):
        return None
    wanted = problem.want.get(mod, ANY_VERSION)
    shelf = eligible.shelf(mod, wanted)
    places = shelf.meeting(wanted)
    if not places or (len(places) > 1 and shelf.ranks[places[1]] == shelf.ranks[places[0]]):
        return None
    return shelf.builds[places[0]]


def _kept(problem: Problem, eligible: Eligible) -> Builds | None:
    """What the current lock has and is to keep; None where some of it may not be taken any more."""
    kept: Builds = {}
    for mod, version in problem.keep.items():
        if mod not in problem.refresh:
            builds = eligible.single(mod, problem.want.get(mod, ANY_VERSION), version).builds
            if not builds:
                return None
            kept[mod] = builds[0]
    return kept


def _newest(mod: str, problem: Problem, eligible: Eligible) -> Build | None:
    """What comes in for a line that nothing meets yet; None where the lock has another build of it, or another mod of
    the lock or the lines may stand in for it, as it is not said then which of them comes.
    """
    if mod in problem.keep and mod not in problem.refresh:
        return None
    if any(other in problem.want or other in problem.keep for other in eligible.library.providers_of(mod)):
        return None
    shelf = eligible.shelf(mod, problem.want[mod])
    places = shelf.meeting(problem.want[mod])
    return shelf.builds[places[0]] if places else None


def _standing_in(builds: Builds) -> dict[str, list[Build]]:
    found: dict[str, list[Build]] = {}
    for build in builds.values():
        for mod in build.provides:
            found.setdefault(mod, []).append(build)
    return found


def _is_whole(problem: Problem, chosen: Builds) -> bool:
    """Whether these builds are an answer by themselves, and all of them are reached."""
    standing_in = _standing_in(chosen)
    reached: Builds = {}
    for mod in sorted(problem.want):
        if not _meet(mod, problem.want[mod], chosen, standing_in, reached):
            return False
    waiting = list(reached.values())
    for build in waiting:
        for mod, broken in build.breaks.items():
            if mod != build.mod and mod in chosen and broken.holds(chosen[mod].version):
                return False
        for mod, asked in build.needs.items():
            known = len(reached)
            if not _meet(mod, asked, chosen, standing_in, reached):
                return False
            if len(reached) > known:
                waiting.extend(list(reached.values())[known:])
    return len(reached) == len(chosen)


def _meet(mod: str, asked: Range, chosen: Builds, standing_in: dict[str, list[Build]], reached: Builds) -> bool:
    """Whether something that is chosen meets a demand; all that does is reached."""
    is_met = False
    own = chosen.get(mod)
    if own is not None and asked.holds(own.version):
        reached[mod] = own
        is_met = True
    for other in standing_in.get(mod, ()):
        if provided(other, mod, asked):
            reached[other.mod] = other
            is_met = True
    return is_met
