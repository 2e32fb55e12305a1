"""How fast one source is asked: as fast as it answers, until it asks to be left alone; then so slowly that it need not.

A source that takes two requests a second says so with 429. Whoever goes on asking at once is put off for ever; whoever
asks once for each file and gives up has nothing. So each refusal makes the pause between two requests longer, for all
threads together, and each file that comes makes it a little shorter.
"""

from __future__ import annotations

import threading
import time

FIRST_PAUSE, LONGEST_PAUSE = 0.2, 5.0
"""Seconds between two requests: after the first refusal, and at most."""

LONGER, SHORTER = 1.6, 0.95
"""What a refusal and a file that came make of the pause. Refusals weigh ten times as much."""


class Pace:
    """The turns of one source. Used by several threads."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._pause = 0.0
        self._free_at = 0.0
        self._put_off_since: float | None = None

    def turn(self) -> float:
        """Takes the next turn; gives the seconds until it comes."""
        with self._guard:
            now = time.monotonic()
            at = max(self._free_at, now)
            self._free_at = at + self._pause
            return at - now

    def put_off(self, seconds: float) -> float:
        """The source asked to be left alone (0: it did not say for how long). Gives the seconds for which it has been
        putting us off by then, without a single file.
        """
        with self._guard:
            now = time.monotonic()
            self._pause = min(LONGEST_PAUSE, max(FIRST_PAUSE, self._pause * LONGER))
            self._free_at = max(self._free_at, now + (seconds or self._pause))
            if self._put_off_since is None:
                self._put_off_since = now
            return self._free_at - self._put_off_since

    def came(self) -> None:
        """A file came."""
        with self._guard:
            self._pause *= SHORTER
            self._put_off_since = None
