"""The resolver against its aims, and beside two others on the same problems: resolvelib, and libsolv as the mark."""

from __future__ import annotations

import gc
import json
import os
import resource
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

import resolvelib

from convoy_core.resolve import Eligible, Impossible, Problem, Solved, resolve
from convoy_core.resolve.eligible import provided
from convoy_core.resolve.preference import cost_of
from convoy_core.resolve.wire import read_problem
from convoy_core.words.model import Build
from convoy_core.words.ranges import ANY_VERSION, Range

from . import problems

Row = tuple[str, str, str]
SEEDS = (1, 2, 3)
GIVE_UP = 10
"""Seconds after which another resolver is stopped."""


def measure() -> list[Row]:
    gc.disable()  # as the command does
    rows = [*_large("5,000 mods / 40,000 builds", 5_000, 40_000, "0.5 s", edits=True)]
    rows += _large("50,000 mods / 400,000 builds", 50_000, 400_000, "2 s", edits=False)
    rows += _deep()
    rows += _misleading()
    rows += _engines()
    rows += _whole_process()
    rows += _beside("400 wanted of 5,000 mods", lambda seed: problems.large(5_000, 40_000, 400, seed))
    rows += _beside(
        "the same, needs only", lambda seed: problems.large(5_000, 40_000, 400, seed, plain=True), others=True
    )
    return rows


def _large(what: str, mods: int, builds: int, aim: str, edits: bool) -> list[Row]:
    reading, cold, added, removed, updated = [], [], [], [], []
    for seed in SEEDS:
        text = json.dumps(problems.large(mods, builds, 400, seed))
        seconds, problem = _timed(lambda text=text: read_problem(text))
        reading.append(seconds)
        problem, solved = _possible(problem)
        seconds, _ = _timed(lambda problem=problem: resolve(problem))
        cold.append(seconds)
        if edits:
            eligible = Eligible(problem.library, problem.base)
            keep = {mod: build.version for mod, build in solved.picks.items()}
            first = min(problem.want)
            resolve(problem, eligible)
            without = replace(problem, want={mod: asked for mod, asked in problem.want.items() if mod != first})
            kept = replace(problem, keep={mod: version for mod, version in keep.items() if mod != first})
            added.append(_timed(lambda kept=kept, known=eligible: resolve(kept, known))[0])
            removed.append(_timed(lambda one=replace(without, keep=keep), known=eligible: resolve(one, known))[0])
            changed = replace(problem, keep=keep, refresh=frozenset([first]))
            updated.append(_timed(lambda one=changed, known=eligible: resolve(one, known))[0])
    rows = [
        (f"{what}: reading the JSON", _seconds(reading), ""),
        (f"{what}: 400 wanted, cold", _seconds(cold), f"aim: below {aim}"),
    ]
    if edits:
        rows += [
            ("the same after adding a line", _seconds(added), "aim: below 50 ms"),
            ("the same after updating a line", _seconds(updated), "aim: below 50 ms"),
            (
                "the same after removing a line, all else to be kept",
                _seconds(removed),
                "what leaves is proven to leave",
            ),
        ]
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return [*rows, (f"{what}: memory so far, whole process", f"{peak:.0f} MB", "builds as JSON included")]


def _deep() -> list[Row]:
    rows = []
    for name, make in problems.DEEP.items():
        problem = read_problem(json.dumps(make()))
        seconds, answer = _timed(lambda problem=problem: resolve(problem))
        found = (
            "impossible, told" if isinstance(answer, Impossible) else f"best proven: {'yes' if answer.proven else 'no'}"
        )
        rows.append((f"deep: {name}", _seconds([seconds]), f"aim: below 1 s; {found}"))
    return rows


CHAINS = range(5_000, 5_200)


def _misleading() -> list[Row]:
    """Chains made to mislead, by seeds that nothing was tuned with."""
    taken, proven, impossible, slowest = [], 0, 0, ("", 0.0)
    for seed in CHAINS:
        problem = read_problem(json.dumps(problems.misleading(seed)))
        seconds, answer = _timed(lambda problem=problem: resolve(problem))
        taken.append(seconds)
        if isinstance(answer, Impossible):
            impossible += 1
        else:
            proven += answer.proven
        if seconds > slowest[1]:
            slowest = (f"{seed}, {'impossible' if isinstance(answer, Impossible) else 'possible'}", seconds)
    open_ones = len(CHAINS) - impossible - proven
    figure = f"median {_seconds(taken)}, worst {max(taken) * 1000:.0f} ms"
    told = f"aim: 20 ms, 300 ms, best proven; {proven} proven, {impossible} impossible and told, {open_ones} not proven"
    return [(f"{len(CHAINS)} chains of 30 to 60 mods made to mislead", figure, f"{told}; slowest: {slowest[0]}")]


FRESH = (101, 102, 103, 104, 105)
"""Seeds that nothing was tuned with."""

SEARCHED = """
import gc, json, sys, time
gc.disable()
from convoy_core.resolve import Eligible, Solved, resolve
from convoy_core.resolve.wire import read_problem
if "library" in sys.argv:
    from bench.sat_engine import with_library
    with_library().__enter__()
problem = read_problem(sys.stdin.read())
eligible, taken = Eligible(problem.library, problem.base), []
for _ in range(4):
    began = time.perf_counter()
    answer = resolve(problem, eligible)
    taken.append(time.perf_counter() - began)
assert isinstance(answer, Solved)
status = open("/proc/self/status").read()
print(json.dumps([taken[0], min(taken[1:]), int(status.split("VmHWM:")[1].split()[0]) / 1024]))
"""


def _engines() -> list[Row]:
    """The same formula searched by the compiled core, its plain sources, and a SAT library; libsolv beside them."""
    engines = {"compiled": ([], ""), "plain Python": ([], "src"), "SAT library": (["library"], "src")}
    first: dict[str, list[float]] = {name: [] for name in (*engines, "libsolv")}
    again: dict[str, list[float]] = {name: [] for name in (*engines, "libsolv")}
    memory: dict[str, float] = {}
    for seed in FRESH:
        made = problems.large(5_000, 40_000, 400, seed)
        problem, _ = _possible(read_problem(json.dumps(made)))
        text = json.dumps(made | {"want": {mod: asked.text for mod, asked in problem.want.items()}})
        prepare, solve = _libsolv_seconds(problem)
        first["libsolv"].append(prepare + solve)
        again["libsolv"].append(solve)
        for name, (words, path) in engines.items():
            environment = {**os.environ, **({"PYTHONPATH": os.pathsep.join([path, "."])} if path else {})}
            command = [sys.executable, "-c", SEARCHED, *words]
            done = subprocess.run(command, input=text, env=environment, capture_output=True, text=True, check=True)
            cold, warm, memory[name] = json.loads(done.stdout)
            first[name].append(cold)
            again[name].append(warm)
    rows = []
    for name in first:
        times = statistics.median(ours / theirs for ours, theirs in zip(again[name], again["libsolv"], strict=True))
        whole = statistics.median(ours / theirs for ours, theirs in zip(first[name], first["libsolv"], strict=True))
        figure = f"{_seconds(first[name])} first, {_seconds(again[name])} builds prepared"
        told = f"{times:.1f} times libsolv's search, {whole:.1f} times with preparing"
        used = f"; {memory[name]:.0f} MB with the problem" if name in memory else ""
        rows.append((f"400 wanted of 40,000 builds, fresh seeds: {name}", figure, told + used))
    return rows


def _libsolv_seconds(problem: Problem) -> tuple[float, float]:
    found = _libsolv(problem, Eligible(problem.library, problem.base))
    return found.prepare, found.seconds - found.prepare


WITH_LIBSOLV = ("/usr/bin/python3", str(Path(__file__).with_name("with_libsolv.py")))


class _Found(NamedTuple):
    seconds: float
    picks: Mapping[str, Build] | None
    prepare: float = 0.0


def _beside(what: str, make: Callable[[int], dict[str, Any]], others: bool = False) -> list[Row]:
    rows = []
    for seed in SEEDS:
        problem, solved = _possible(read_problem(json.dumps(make(seed))))
        eligible = Eligible(problem.library, problem.base)
        seconds, _ = _timed(lambda one=problem, known=eligible: resolve(one, known))
        ours = cost_of(problem, eligible, solved.picks)
        tried = {"libsolv": _libsolv(problem, eligible)}
        if others:
            tried["resolvelib"] = _resolvelib(problem, eligible)
        rows.append((f"{what}, seed {seed}: ours", f"{seconds * 1000:.0f} ms", f"passed over {_cost(ours)}"))
        for name, found in tried.items():
            if found.picks is None:
                rows.append((f"{what}, seed {seed}: {name}", f"none in {found.seconds:.0f} s", "stopped"))
                continue
            theirs = cost_of(problem, eligible, found.picks)
            verdict = "ours is better" if ours < theirs else "equal" if ours == theirs else "OURS IS WORSE"
            rows.append(
                (
                    f"{what}, seed {seed}: {name}",
                    f"{found.seconds * 1000:.0f} ms",
                    f"passed over {_cost(theirs)}: {verdict}",
                )
            )
    return rows


def _cost(cost: tuple[int, ...]) -> str:
    return f"{cost[1]} wanted + {cost[2]} others, {cost[3]} extra"


def _possible(problem: Problem) -> tuple[Problem, Solved]:
    """Wants that cannot go together are dropped until the rest can."""
    while isinstance(answer := resolve(problem), Impossible):
        dropped = set(answer.core[:1])
        problem = replace(problem, want={mod: asked for mod, asked in problem.want.items() if mod not in dropped})
    return problem, answer


def _libsolv(problem: Problem, eligible: Eligible) -> _Found:
    builds, given = _for_libsolv(problem, eligible, _reached(problem, eligible))
    done = subprocess.run(WITH_LIBSOLV, input=given, capture_output=True, text=True, check=True)
    answer = json.loads(done.stdout)
    picks = {builds[place].mod: builds[place] for place in answer["picks"]} if answer["solved"] else None
    return _Found(answer["prepare"] + answer["solve"], picks, answer["prepare"])


def _for_libsolv(problem: Problem, eligible: Eligible, mods: Iterable[str]) -> tuple[list[Build], str]:
    """Our ranges become capabilities; versions become their place in our order."""
    builds = [build for mod in sorted(mods) for build in reversed(eligible.of(mod, problem.want.get(mod, ANY_VERSION)))]
    asked = {(mod, one.text): one for build in builds for mod, one in (*build.needs.items(), *build.breaks.items())}
    by_mod: dict[str, list[tuple[str, Range]]] = {}
    for (mod, text), one in asked.items():
        by_mod.setdefault(mod, []).append((text, one))
    rows = []
    for place, build in enumerate(builds):
        meets = [f"need {build.mod} {text}" for text, one in by_mod.get(build.mod, ()) if one.holds(build.version)]
        broken = [f"break {capability[5:]}" for capability in meets]
        for mod in build.provides:
            meets += [f"need {mod} {text}" for text, one in by_mod.get(mod, ()) if provided(build, mod, one)]
            meets += [f"want {mod}"]
        rows.append(
            {
                "mod": build.mod,
                "rank": place,
                "meets": [*meets, *broken, f"want {build.mod}"],
                "needs": [f"need {mod} {one.text}" for mod, one in build.needs.items()],
                "breaks": [f"break {mod} {one.text}" for mod, one in build.breaks.items() if mod != build.mod],
            }
        )
    return builds, json.dumps({"builds": rows, "want": [f"want {mod}" for mod in sorted(problem.want)]})


def _whole_process() -> list[Row]:
    """`convoy resolve` from start to end beside a process that reads the same for libsolv and searches: once the whole
    catalogue, and once only what needs lead to, which somebody has picked out for it beforehand.
    """
    beside: dict[str, list[float]] = {"the same catalogue": [], "only what needs lead to": []}
    taken: list[float] = []
    for seed in FRESH[:3]:
        made = problems.large(5_000, 40_000, 400, seed)
        problem, _ = _possible(read_problem(json.dumps(made)))
        ours = json.dumps(made | {"want": {mod: asked.text for mod, asked in problem.want.items()}})
        eligible = Eligible(problem.library, problem.base)
        mods = {one["mod"] for one in made["files"]}, _reached(problem, eligible)
        theirs = [_for_libsolv(problem, eligible, one)[1] for one in mods]
        for _ in range(3):
            one = _process([sys.executable, "-m", "convoy_agent", "resolve"], ours)
            taken.append(one)
            for what, given in zip(beside, theirs, strict=True):
                beside[what].append(one / _process(WITH_LIBSOLV, given))
    told = "; ".join(f"{statistics.median(times):.1f} times libsolv's, given {what}" for what, times in beside.items())
    return [("400 wanted of 40,000 builds: `convoy resolve`, the whole process", _seconds(taken), told)]


def _process(command: Sequence[str], given: str) -> float:
    began = time.perf_counter()
    subprocess.run(command, input=given, capture_output=True, text=True, check=True)
    return time.perf_counter() - began


def _reached(problem: Problem, eligible: Eligible) -> set[str]:
    """Mods along all needs: libsolv gets only those, so that its preparing is not counted for the whole catalogue."""
    reached: set[str] = set()
    waiting = list(problem.want)
    while waiting:
        mod = waiting.pop()
        if mod not in reached:
            reached.add(mod)
            waiting += eligible.library.providers_of(mod)
            for build in eligible.of(mod, problem.want.get(mod, ANY_VERSION)):
                waiting += build.needs
    return reached


class _Provider(resolvelib.AbstractProvider):  # type: ignore[type-arg]
    def __init__(self, eligible: Eligible) -> None:
        self._eligible = eligible
        self._until = time.perf_counter() + GIVE_UP

    def identify(self, requirement_or_candidate: Any) -> str:
        one = requirement_or_candidate
        return one.mod if isinstance(one, Build) else one[0]

    def get_preference(
        self, identifier: str, resolutions: Any, candidates: Any, information: Any, backtrack_causes: Any
    ) -> Any:
        if time.perf_counter() > self._until:
            raise TimeoutError
        return (identifier not in {self.identify(cause.requirement) for cause in backtrack_causes}, identifier)

    def find_matches(self, identifier: str, requirements: Any, incompatibilities: Any) -> Any:
        asked = [one[1] for one in requirements[identifier]]
        bad = list(incompatibilities[identifier])
        builds = self._eligible.of(identifier)
        return [one for one in builds if one not in bad and all(part.holds(one.version) for part in asked)]

    def is_satisfied_by(self, requirement: Any, candidate: Build) -> bool:
        return requirement[1].holds(candidate.version)

    def get_dependencies(self, candidate: Build) -> list[tuple[str, Range]]:
        return list(candidate.needs.items())


def _resolvelib(problem: Problem, eligible: Eligible) -> _Found:
    started = time.perf_counter()
    solver = resolvelib.Resolver(_Provider(eligible), resolvelib.BaseReporter())
    try:
        result = solver.resolve(list(problem.want.items()), max_rounds=1_000_000)
    except TimeoutError:
        return _Found(GIVE_UP, None)
    return _Found(time.perf_counter() - started, dict(result.mapping))


def _timed(work: Callable[[], Any]) -> tuple[float, Any]:
    started = time.perf_counter()
    result = work()
    return time.perf_counter() - started, result


def _seconds(taken: list[float]) -> str:
    middle = statistics.median(taken)
    return f"{middle * 1000:.0f} ms" if middle < 1 else f"{middle:.2f} s"
