"""What is being done, how far, how long still: for the command line and, through the site, for the browser.

Files are told by where they stand, never by what was added: an attempt that starts over, or goes on where an earlier
one broke off, then counts rightly by itself.
"""

from __future__ import annotations

import threading
import time
from typing import Any, Protocol

from ..errors import Stopped
from .site import Site

TELL_EVERY = 1.0
"""Seconds between two tellings to the site."""

UNDER_WAY = 8
"""Files told one by one: more than are fetched at once."""


class Screen(Protocol):
    """Where progress is shown on this machine. Called for every block of bytes: it must be quick."""

    def phase(self, phase: str, total: int) -> None: ...
    def move(self, done: int, what: str) -> None: ...


class Silent:
    def phase(self, phase: str, total: int) -> None: ...
    def move(self, done: int, what: str) -> None: ...


class Listener(Protocol):
    """Whoever hears how far files are. Called for every block, from several threads; must not block."""

    def file(self, name: str, at: int, of: int) -> None:
        """The file has `at` of its `of` bytes; the first telling says how much of it was there already."""

    def remark(self, what: str) -> None:
        """Something beside the files, in words."""


class NoListener:
    """Nobody listens: work that runs beside the phase that is shown, and is not counted in it."""

    def file(self, name: str, at: int, of: int) -> None: ...
    def remark(self, what: str) -> None: ...


class Progress:
    """Counts the files and bytes of a phase, shows them, and tells the site once a second."""

    quiet = False
    """Nothing is told by name: what is fetched is of a sealed release."""

    def __init__(self, site: Site, screen: Screen) -> None:
        self._site, self._screen = site, screen
        self._guard = threading.Lock()
        self._hold = ""
        self._told_at = 0.0
        self._begin("checking", 0, 0)

    def _begin(self, phase: str, total: int, files: int) -> None:
        self._phase, self._what = phase, ""
        self._total, self._files = total, files
        self._stands: dict[str, tuple[int, int]] = {}
        self._done = self._there = self._finished = 0
        self._since = time.monotonic()
        # A pause may outlast the phase in which it was asked for.
        self._paused, self._paused_at = 0.0, self._since if self._hold == "pause" else 0.0

    def phase(self, phase: str, total: int, files: int = 0) -> None:
        with self._guard:
            self._begin(phase, total, files)
        self._screen.phase(phase, total)
        self._tell()

    def file(self, name: str, at: int, of: int) -> None:
        with self._guard:
            before = self._stands.get(name)
            if before is None:
                self._there += at
            else:
                self._done -= before[0]
                self._finished -= before[0] >= before[1]
            self._stands[name] = (at, of)
            self._done += at
            self._finished += at >= of
        self.remark(name)

    def remark(self, what: str) -> None:
        what = "" if self.quiet else what
        with self._guard:
            self._what = what
            done, due = self._done, self._is_due()
        self._screen.move(done, what)
        if due:
            self._tell()

    def _is_due(self) -> bool:
        due = time.monotonic() - self._told_at >= TELL_EVERY
        if due:
            self._told_at = time.monotonic()
        return due

    def came(self) -> tuple[int, float]:
        """Bytes that came in this phase beyond what was there, and the seconds that it took without pauses."""
        now = time.monotonic()
        paused = self._paused + (now - self._paused_at if self._paused_at else 0)
        return self._done - self._there, now - self._since - paused

    def wait(self) -> None:
        """Called between blocks of bytes: holds on while the member pauses. Raises Stopped when they stop it."""
        while self._hold == "pause":
            time.sleep(TELL_EVERY)
            with self._guard:
                due = self._is_due()
            if due:
                self._tell("paused")
        if self._hold == "stop":
            raise Stopped("It was stopped on the installation's page.", now="Sync again to go on from here.")

    def stopped(self, error: str) -> None:
        self._site.progress(phase="stopped", error=error[:2000])

    def _tell(self, phase: str = "") -> None:
        with self._guard:
            told = self._as_told(phase)
        hold = self._site.progress(**told)
        with self._guard:
            self._told_at = now = time.monotonic()
            # A site that could not be asked has not taken anything back: a paused line stays paused.
            if hold is None or hold == self._hold:
                return
            if self._hold == "pause":
                self._paused, self._paused_at = self._paused + now - self._paused_at, 0.0
            elif hold == "pause":
                self._paused_at = now
            self._hold = hold

    def _as_told(self, phase: str) -> dict[str, Any]:
        came, passed = self.came()
        rate = came / passed if passed > 0 else 0
        open_files = [(name, at, of) for name, (at, of) in self._stands.items() if at < of and not self.quiet]
        return {
            "phase": phase or self._phase,
            "what": self._what[:200],
            "done": self._done,
            "total": self._total,
            "rate": round(rate),
            "seconds_left": max(-1, round((self._total - self._done) / rate)) if rate > 0 else -1,
            "files_done": self._finished,
            "files": self._files,
            "under_way": [{"name": name[:200], "done": at, "total": of} for name, at, of in open_files[:UNDER_WAY]],
        }
