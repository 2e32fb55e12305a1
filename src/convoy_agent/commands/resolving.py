"""Commands on a resolver's problem: JSON in, JSON or sentences out. They touch no installation."""

from __future__ import annotations

import gc
import json
import sys
import time
from typing import Annotated

import typer

from convoy_core.resolve import Eligible, Impossible, Problem, Solved, why_not_at_all
from convoy_core.resolve import resolve as find_lock
from convoy_core.resolve import why as paths_to
from convoy_core.resolve.wire import read_problem, write_answer

from .options import FILES

commands = typer.Typer()


@commands.command(rich_help_panel=FILES)
def resolve(
    seconds: Annotated[bool, typer.Option("--seconds", help="Say how long each part took.")] = False,
) -> None:
    """Read a resolver's problem as JSON from standard input, and write the answer."""
    started = time.perf_counter()
    problem = _problem()
    parsed = time.perf_counter()
    eligible = Eligible(problem.library, problem.base)
    prepared = time.perf_counter()
    answer = find_lock(problem, eligible)
    solved = time.perf_counter()
    written = write_answer(answer)
    if seconds:
        # Builds are prepared as the search comes to them: that part cannot be told apart from the search.
        parts = {"parse": parsed - started, "prepare": prepared - parsed, "solve": solved - prepared}
        written["seconds"] = {name: round(value, 4) for name, value in parts.items()}
    print(json.dumps(written, ensure_ascii=False))
    raise typer.Exit(0 if isinstance(answer, Solved) else 1)


@commands.command(rich_help_panel=FILES)
def why(mod: str) -> None:
    """Every path from a wanted line to a mod, for a problem on standard input."""
    problem = _problem()
    answer = find_lock(problem)
    if isinstance(answer, Impossible):
        print("\n".join(answer.because))
        raise typer.Exit(1)
    paths = paths_to(mod, answer.picks, list(problem.want))
    for path in paths:
        print(" needs ".join(f"{step} {answer.picks[step].version}" for step in path))
    if not paths:
        print(f"{mod} is not in the answer.")
        raise typer.Exit(1)


@commands.command("why-not", rich_help_panel=FILES)
def why_not(mod: str, version: str) -> None:
    """What rules a build out, for a problem on standard input."""
    print("\n".join(why_not_at_all(mod, version, _problem())))


def _problem() -> Problem:
    # A large problem is some million small objects, none of them garbage: collecting would only look at them again, and
    # taking them apart one by one at the end takes as long as the search. A ring that nothing collects keeps them.
    gc.disable()
    problem = read_problem(sys.stdin.buffer.read())
    ring: list[object] = [problem]
    ring.append(ring)
    gc.freeze()
    return problem
