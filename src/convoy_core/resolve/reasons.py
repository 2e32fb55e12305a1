"""Reasons in a solved lock: who needs whom, every path to a mod, and what rules a build out.

Source: docs/rules.md, "Resolve" 6.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..words.model import Base, Build, misfit
from ..words.ranges import Range, parse_range
from .answer import Impossible, Solved
from .eligible import Eligible, provided
from .problem import Problem

MAX_PATHS = 50
"""Paths written out by `why`; beyond it the graph says more than a list."""


@dataclass(frozen=True, slots=True)
class Edge:
    """In a lock: `asker` needs `mod` in the range, and `met_by` meets it (the mod itself or one that provides it)."""

    asker: str
    mod: str
    asked: Range
    met_by: str


def edges(picks: Mapping[str, Build]) -> list[Edge]:
    """Every need of a lock with what meets it, sorted."""
    providers: dict[str, list[Build]] = {}
    for build in picks.values():
        for mod in build.provides:
            providers.setdefault(mod, []).append(build)
    found = []
    for mod in sorted(picks):
        for target, asked in sorted(picks[mod].needs.items()):
            own = picks.get(target)
            if own is not None and target != mod and asked.holds(own.version):
                found.append(Edge(mod, target, asked, target))
            for other in providers.get(target, ()):
                if other.mod != mod and provided(other, target, asked):
                    found.append(Edge(mod, target, asked, other.mod))
    return found


def needed_by(picks: Mapping[str, Build]) -> dict[str, list[str]]:
    """For each mod of a lock, the mods whose needs it meets, sorted."""
    asked: dict[str, set[str]] = {mod: set() for mod in picks}
    for edge in edges(picks):
        asked[edge.met_by].add(edge.asker)
    return {mod: sorted(askers) for mod, askers in asked.items()}


def leading_to(mod: str, askers: Mapping[str, Sequence[str]]) -> set[str]:
    """The mods from which needs lead to a mod, over any number of steps. `askers`: as `needed_by` gives them."""
    reached: set[str] = set()
    waiting = [mod]
    for one in waiting:
        for asker in askers.get(one, ()):
            if asker not in reached and asker != mod:
                reached.add(asker)
                waiting.append(asker)
    return reached


def why(mod: str, picks: Mapping[str, Build], wanted: Sequence[str]) -> list[tuple[str, ...]]:
    """Every path from a wanted line to a mod, shortest first; at most MAX_PATHS, none twice through one mod."""
    askers = needed_by(picks)
    chosen = set(wanted)
    paths: list[tuple[str, ...]] = []
    waiting: list[tuple[str, ...]] = [(mod,)] if mod in picks else []
    for path in waiting:
        if path[0] in chosen:
            paths.append(path)
        if len(paths) >= MAX_PATHS or len(waiting) > MAX_PATHS * 20:
            break
        waiting += [(asker, *path) for asker in askers.get(path[0], ()) if asker not in path]
    return paths


def why_not(build: Build, base: Base, picks: Mapping[str, Build], names: Mapping[str, str] | None = None) -> str:
    """The first thing that rules a build out beside the present picks, as a phrase; empty when nothing does.

    `names`: mod id to the name by which the phrase calls it; ids that are missing stand for themselves.
    """
    if unfit := misfit(build, base):
        return unfit
    called = names or {}
    own = called.get(build.mod, build.mod)
    for mod, other in picks.items():
        if mod == build.mod:
            continue
        name = called.get(mod, mod)
        wanted = other.needs.get(build.mod)
        if wanted is not None and not wanted.holds(build.version):
            return f"{name} {other.version} needs {own} {wanted.in_words()}"
        if build.mod in other.breaks and other.breaks[build.mod].holds(build.version):
            return f"{name} {other.version} does not go together with it"
        if mod in build.breaks and build.breaks[mod].holds(other.version):
            return f"it does not go together with {name} {other.version}"
    for mod, wanted in sorted(build.needs.items()):
        picked = picks.get(mod)
        if picked is not None and not wanted.holds(picked.version):
            return f"it needs {called.get(mod, mod)} {wanted.in_words()}, and {picked.version} is in the pack"
    return ""


def why_not_at_all(mod: str, version: str, problem: Problem, eligible: Eligible | None = None) -> list[str]:
    """What keeps a build out of the answer, whatever else changed for it: sentences; the first thing comes first.

    When nothing does, one sentence says what taking it would cost, or what was preferred to it.
    """
    from .resolver import resolve

    eligible = eligible or Eligible(problem.library, problem.base)
    exact = parse_range(f"={version}")
    name = problem.name(mod)
    builds = [build for build in problem.library.builds_of(mod) if exact.holds(build.version)]
    if not builds:
        return [f"No source has {name} {version}."]
    unfit = [misfit(build, problem.base) for build in builds]
    if all(unfit):
        return [f"{name} {version} is {unfit[0]}."]
    line = problem.want.get(mod)
    if line is not None and not line.holds(builds[0].version):
        return [f"You want {name} {line.in_words()}."]
    forced = resolve(replace(problem, want={**problem.want, mod: exact}), eligible)
    if isinstance(forced, Impossible):
        return list(forced.because)
    answer = resolve(problem, eligible)
    if not isinstance(answer, Solved):
        return list(answer.because)
    if (picked := answer.picks.get(mod)) is None:
        return [f"Nothing rules {name} {version} out, but no wanted line leads to it."]
    if picked.version == builds[0].version:
        return [f"{name} {version} is in the answer."]
    return [f"Nothing rules {name} {version} out: {picked.version} is preferred. {_cost(answer, forced, mod)}".rstrip()]


def _cost(answer: Solved, forced: Solved, mod: str) -> str:
    """What else would be different with the build forced in."""
    changed = [
        other
        for other in sorted(answer.picks.keys() | forced.picks.keys())
        if other != mod and _version(answer, other) != _version(forced, other)
    ]
    if not changed:
        return "Hold the line to it to take it; nothing else would change."
    shown = ", ".join(
        f"{other} {_version(answer, other) or 'absent'} to {_version(forced, other) or 'absent'}"
        for other in changed[:5]
    )
    return f"With it would change: {shown}{' and more' if len(changed) > 5 else ''}."


def _version(answer: Solved, mod: str) -> str:
    build = answer.picks.get(mod)
    return build.version.text if build else ""
