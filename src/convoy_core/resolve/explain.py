"""Why there is no lock, as sentences a person follows. One dead end is told; ways out are not tried yet."""

from __future__ import annotations

from collections.abc import Sequence

from ..model import Build, misfit
from .candidates import DeadEnd, Demand
from .problem import Problem


def explain(problem: Problem, core: Sequence[Demand], dead_end: DeadEnd | None) -> tuple[str, ...]:
    """Sentences for the demand that had no build left, and for what stands against it."""
    if dead_end is None:
        return tuple(_asks(demand, problem) for demand in core)
    stuck = dead_end.stuck
    sentences = [_asks(stuck, problem)]
    named = [build for build in problem.builds if build.mod == stuck.mod]
    meeting = [build for build in problem.builds if stuck.met_by(build)]
    if not named and not meeting:
        sentences.append(f"No source has {problem.name(stuck.mod)}.")
    elif not meeting:
        newest = max(named, key=lambda build: build.version)
        sentences.append(
            f"No build of {problem.name(stuck.mod)} is {stuck.range.in_words()}; the newest is {newest.version}."
        )
    elif all(misfit(build, problem.base) for build in meeting):
        newest = max(meeting, key=lambda build: build.version)
        sentences.append(f"{_named(newest, problem)} is {misfit(newest, problem.base)}.")
    else:
        sentences += _against(dead_end, meeting, problem)
    return tuple(dict.fromkeys(sentences))


def _against(dead_end: DeadEnd, meeting: Sequence[Build], problem: Problem) -> list[str]:
    """The other demands on the same mod, and what breaks its builds."""
    sentences = [
        _asks(other, problem)
        for other in dead_end.standing
        if other.mod in {build.mod for build in meeting}
        and other != dead_end.stuck
        and not all(map(other.met_by, meeting))
    ]
    for asker in dead_end.picks:
        for build in meeting:
            if build.mod in asker.breaks and asker.breaks[build.mod].holds(build.version):
                sentences.append(f"{_named(asker, problem)} does not go together with {_named(build, problem)}.")
            elif asker.mod in build.breaks and build.breaks[asker.mod].holds(asker.version):
                sentences.append(f"{_named(build, problem)} does not go together with {_named(asker, problem)}.")
    return sentences or [f"Every build of {problem.name(dead_end.stuck.mod)} clashes with something already chosen."]


def _asks(demand: Demand, problem: Problem) -> str:
    if demand.asked_by is None:
        return f"You want {_need(demand, problem)}."
    held = problem.want.get(demand.asked_by.mod)
    by_you = ", held by you," if held is not None and held.names(demand.asked_by.version) else ""
    return f"{_named(demand.asked_by, problem)}{by_you} needs {_need(demand, problem)}."


def _need(demand: Demand, problem: Problem) -> str:
    name = problem.name(demand.mod)
    return name if demand.range.text == "*" else f"{name} {demand.range.in_words()}"


def _named(build: Build, problem: Problem) -> str:
    return f"{problem.name(build.mod)} {build.version}"
