"""What is being done, how far, how long still: for the command line and, through the site, for the browser."""

from __future__ import annotations

import threading
import time
from typing import Protocol

from .errors import Stopped
from .site import Site

TELL_EVERY = 1.0
"""Seconds between two tellings to the site."""


class Screen(Protocol):
    """Where progress is shown on this machine. Called for every block of bytes: it must be quick."""

    def phase(self, phase: str, total: int) -> None: ...
    def move(self, done: int, what: str) -> None: ...


class Silent:
    def phase(self, phase: str, total: int) -> None: ...
    def move(self, done: int, what: str) -> None: ...


class Progress:
    """Counts bytes of a phase, shows them, and tells the site once a second. May be called from several threads."""

    def __init__(self, site: Site, screen: Screen) -> None:
        self._site, self._screen = site, screen
        self._guard = threading.Lock()
        self._phase, self._what = "checking", ""
        self._done = self._total = 0
        self._since = self._told_at = 0.0
        self._hold = ""

    def phase(self, phase: str, total: int) -> None:
        with self._guard:
            self._phase, self._done, self._total, self._what = phase, 0, total, ""
            self._since, self._told_at = time.monotonic(), 0.0
        self._screen.phase(phase, total)
        self._tell()

    def add(self, count: int, what: str) -> None:
        with self._guard:
            self._done += count
            self._what = what
            due = time.monotonic() - self._told_at >= TELL_EVERY
            if due:
                self._told_at = time.monotonic()
        self._screen.move(self._done, what)
        if due:
            self._tell()

    def silently(self, count: int, what: str) -> None:
        """For work that runs beside the phase that is shown, and is not counted in it."""

    def wait(self) -> None:
        """Called between blocks of bytes: holds on while the member pauses. Raises Stopped when they stop it."""
        while self._hold == "pause":
            time.sleep(TELL_EVERY)
            with self._guard:
                due = time.monotonic() - self._told_at >= TELL_EVERY
                if due:
                    self._told_at = time.monotonic()
            if due:
                self._tell("paused")
        if self._hold == "stop":
            raise Stopped("It was stopped on the installation's page.", now="Sync again to go on from here.")

    def stopped(self, error: str) -> None:
        self._site.progress(phase="stopped", error=error[:2000])

    def _tell(self, phase: str = "") -> None:
        passed = time.monotonic() - self._since
        rate = self._done / passed if passed > 0 else 0
        left = round((self._total - self._done) / rate) if rate > 0 else -1
        self._told_at = time.monotonic()
        self._hold = self._site.progress(
            phase=phase or self._phase,
            what=self._what[:200],
            done=max(0, self._done),
            total=self._total,
            seconds_left=max(-1, left),
        )
