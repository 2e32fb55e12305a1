"""Whatever searches, the answer is the same to the letter: the plain sources, the compiled ones, and a SAT library that
shares nothing with them but the formula.
"""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from bench.problems import DEEP, large
from bench.sat_engine import with_library
from convoy_core.resolve import resolve
from convoy_core.resolve.wire import read_problem, write_answer
from house.compiling import FAST, compiled_core, fast
from house.places import ROOT

SEEDS = range(24)
ASKED = """
import json, sys
from convoy_core.resolve import resolve, solver
from convoy_core.resolve.wire import read_problem, write_answer
answers = [write_answer(resolve(read_problem(line))) for line in sys.stdin]
print(json.dumps([solver.__file__, answers]))
"""


def problems() -> list[dict[str, Any]]:
    """Sentences, lines and ways out are compared as well, where lines are held to what does not go together."""
    seeded = [large(60, 400, size, seed) for seed in SEEDS for size in (6, 14, 25)]
    for at, one in enumerate(seeded):
        oldest = {file["mod"]: file["version"] for file in reversed(one["files"])}
        if at % 3 == 0:
            # A lock that has grown old: some of it is gone, some can stay.
            one["keep"] = {mod: oldest[mod] for mod in sorted(oldest)[at % 4 :: 4]}
        if at % 2:
            one["want"] |= {mod: f"={oldest[mod]}" for mod in sorted(oldest)[at % 5 :: 5]}
    return [*seeded, *(make() for name, make in DEEP.items() if "pulling" not in name)]


@pytest.fixture(scope="module")
def plainly() -> list[dict[str, Any]]:
    answers = [write_answer(resolve(read_problem(json.dumps(one)))) for one in problems()]
    told = [one["status"] for one in answers]
    assert min(told.count("solved"), told.count("impossible")) > 10, "both kinds are among them"
    return answers


def test_compiled(plainly: list[dict[str, Any]]) -> None:
    compiled_core()
    lines = "\n".join(json.dumps(one) for one in problems())
    command = [sys.executable, "-c", ASKED]
    done = subprocess.run(command, input=lines, env=fast({}), cwd=ROOT, capture_output=True, text=True, check=True)
    where, answers = json.loads(done.stdout)
    assert Path(where).is_relative_to(FAST) and not where.endswith(".py")
    assert answers == plainly


def test_a_sat_library(plainly: list[dict[str, Any]]) -> None:
    with with_library():
        for problem, plain in zip(problems(), plainly, strict=True):
            assert write_answer(resolve(read_problem(json.dumps(problem)))) == plain
