"""How fast the machine was while something was measured: it is shared, and at times runs at half its speed."""

from __future__ import annotations

import statistics
import threading
import time

EVERY = 5.0
TURNS = 300_000


class Pace:
    """Runs a fixed loop every few seconds beside what is measured, and tells the processor's time that it took."""

    def __init__(self) -> None:
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._sample, daemon=True)
        self._taken: list[float] = []

    def __enter__(self) -> Pace:
        self._thread.start()
        return self

    def __exit__(self, *what: object) -> None:
        self._over.set()
        self._thread.join()

    def __str__(self) -> str:
        least, middle, most = min(self._taken), statistics.median(self._taken), max(self._taken)
        return f"the fixed loop took {middle * 1000:.0f} ms meanwhile, {least * 1000:.0f} to {most * 1000:.0f}"

    def _sample(self) -> None:
        while True:
            began = time.thread_time()
            sum(turn * turn for turn in range(TURNS))
            self._taken.append(time.thread_time() - began)
            if self._over.wait(EVERY):
                return
