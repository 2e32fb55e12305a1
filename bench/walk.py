"""`./run bench walk`: a random walk over everything that can be done to an installation, on all cores.

What is measured is not speed but loss: a step after which a byte of the member's is nowhere ends the run.
"""

from __future__ import annotations

import os
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

from tests.agent.walking import STEPS_IN_A_LIFE, live

LIVES, FIRST_SEED = 130, 20261125
"""Folders that live and die, and the seed of the first: the same walk in every run."""

KINDS = {
    "agent": "commands that ran to their end",
    "killed": "commands killed before one of their changes to the disk",
    "full disk": "commands on a disk that takes nothing more from some moment on",
    "member": "the member's own doings: files put, altered, deleted, played, linked, moved",
    "damage": "files of the agent's own, staged files, archives and backups spoilt",
    "the world": "releases, choices, a site or a source that goes away, a clock that jumps by years",
    "settle": "times that all was cleared and one sync had to lead to the release, to the byte",
}


def measure() -> list[tuple[str, str, str]]:
    began = time.perf_counter()
    counts: Counter[str] = Counter()
    with ProcessPoolExecutor(os.cpu_count() or 1) as pool:
        for one in pool.map(live, range(FIRST_SEED, FIRST_SEED + LIVES)):
            counts += one
    steps = sum(counts.values())
    rows = [
        ("steps, in lives of " + str(STEPS_IN_A_LIFE), f"{steps:,}", "aim: at least 20,000"),
        ("bytes of the member's that were nowhere after a step", "0", "one would have ended the run"),
    ]
    rows += [(what, f"{counts[kind]:,}", "") for kind, what in KINDS.items()]
    return [*rows, ("all of it", f"{time.perf_counter() - began:.0f} s", "")]
