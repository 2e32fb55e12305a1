"""Waiting that Ctrl-C can break. On Windows a wait without an end cannot be: so every wait here is one of many short
ones.
"""

from __future__ import annotations

import time
from collections.abc import Collection
from concurrent.futures import ALL_COMPLETED, FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from typing import TypeVar

SLICE = 0.2
"""Seconds between two moments at which Ctrl-C is heard."""

SOON = 2.0
"""Seconds that threads are given to end after Ctrl-C: those that still hang at a source then end with the process."""

Answer = TypeVar("Answer")


def ended(pool: ThreadPoolExecutor, running: Collection[Future[Answer]], seconds: float) -> None:
    """Begins nothing more, and waits until what is running has ended, or for so many seconds."""
    pool.shutdown(wait=False, cancel_futures=True)
    until = time.monotonic() + seconds
    # What was cancelled before it began never counts as done to `wait`.
    while wait([one for one in running if not one.cancelled()], timeout=SLICE).not_done and time.monotonic() < until:
        pass


def all_done(running: Collection[Future[Answer]], until: str) -> list[Future[Answer]]:
    """Waits as `concurrent.futures.wait` does; gives those that ended."""
    while True:
        done, left = wait(running, timeout=SLICE, return_when=until)
        if not left or _is_enough(done, until):
            return list(done)


def _is_enough(done: Collection[Future[Answer]], until: str) -> bool:
    if until == ALL_COMPLETED:
        return False
    return bool(done) and (until == FIRST_COMPLETED or any(one.exception() for one in done if not one.cancelled()))
