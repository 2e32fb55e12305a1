"""Runs a game as a process of its own, follows its log while it grows, keeps it within limits, and says how it ended.

Whose program it is, and whether it may run, is decided by whoever calls: an agent's member, a bench's keeper. The log
is read where the profile says, and only there: a link that the game left in its place leads nowhere, and what is no
plain file is not opened.
"""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import BinaryIO

import psutil

from convoy_core.log import Log, LogReader
from convoy_core.outside.paths import AGENT_FOLDER
from convoy_core.outside.patterns import matcher
from convoy_core.words.profile import GameProfile

TICK = 0.05
"""Seconds between two looks at a running game."""

CHUNK = 256 * 1024
AT_ONCE = 4 * 2**20
"""Bytes of a log that are read between two looks at the rest."""

CLOSES_WITHIN = 5.0
"""Seconds that a game has to close by itself, once it is told to, before it is ended."""

MOST_REPORTS = 3
MOST_REPORT = 8 * 1024
"""Bytes of a crash report that are kept: what fell over stands at its top."""

MB = 2**20


class Stopped(StrEnum):
    """Why a game was stopped that did not end by itself."""

    DONE = "it had done what was wanted"
    ASKED = "somebody stopped it"
    TOO_LONG = "it took too long"
    TOO_MUCH_MEMORY = "it took too much memory"
    TOO_MUCH_SAID = "it wrote too much"


@dataclass(frozen=True, slots=True)
class Limits:
    """`seconds` until the main screen; `memory_mb` of all its processes together; `output` bytes of log."""

    seconds: float = float("inf")
    memory_mb: float = float("inf")
    output: float = float("inf")


@dataclass(frozen=True, slots=True)
class Report:
    """A crash report that a start left behind: its path in the installation, and its beginning."""

    path: str
    text: str


@dataclass(frozen=True, slots=True)
class GameRun:
    """`to_main_screen`: seconds, None where it was never reached. `memory_mb`: the most it took, as seen every TICK.
    `exit`: as the system has it, negative for a signal; None where the program could not be started, with `trouble`.
    """

    log: Log
    seconds: float
    to_main_screen: float | None
    memory_mb: int
    exit: int | None
    stopped: Stopped | None
    trouble: str = ""
    reports: tuple[Report, ...] = ()

    @property
    def came_up(self) -> bool:
        return self.to_main_screen is not None


def run_game(
    command: Sequence[str],
    folder: Path,
    profile: GameProfile,
    names: Mapping[str, str],
    limits: Limits,
    wanted: Callable[[float | None], Stopped | None] = lambda up: None,
    log_copy: Callable[[bytes], None] = lambda data: None,
    environment: Mapping[str, str] | None = None,
) -> GameRun:
    """`folder`: the installation, in which the log lies. `wanted`: asked every TICK, with the seconds since the main
    screen was reached; what it gives stops the game. `log_copy`: told of every piece of the log.
    """
    follow = _Follow(folder, profile, names, log_copy)
    before = _reports_in(folder, profile)
    started = time.monotonic()
    try:
        process = subprocess.Popen(
            list(command), cwd=folder, env=dict(environment) if environment is not None else None,
            stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
    except OSError as error:
        return GameRun(follow.end(), 0, None, 0, None, None, error.strerror or str(error))
    up: float | None = None
    stopped: Stopped | None = None
    memory = 0
    try:
        while process.poll() is None and stopped is None:
            time.sleep(TICK)
            now = time.monotonic()
            follow.read()
            if up is None and follow.main_screen:
                up = now
            memory = max(memory, _memory(process.pid))
            stopped = _over(limits, now - started, up is not None, memory, follow.size)
            stopped = stopped or wanted(now - up if up is not None else None)
    finally:
        _close(process, stopped in (Stopped.DONE, Stopped.ASKED))
    while follow.read() and follow.size <= limits.output:
        """What it wrote at last."""
    log = follow.end()
    reached = up - started if up is not None else (time.monotonic() - started if log.main_screen else None)
    reports = tuple(_reports(folder, _reports_in(folder, profile) - before))
    return GameRun(log, time.monotonic() - started, reached, memory // MB, process.returncode, stopped, reports=reports)


def _reports_in(folder: Path, profile: GameProfile) -> set[tuple[str, int, int]]:
    """Crash reports that lie there: path, size and time of change."""
    found = set()
    for pattern in profile.log.reports if profile.log else ():
        fixed = pattern.partition("*")[0].rpartition("/")[0]
        wanted = matcher((pattern,))
        for at, _, files in os.walk(folder / fixed):
            for name in files:
                path = (Path(at) / name).relative_to(folder).as_posix()
                if wanted.fullmatch(path) and not path.startswith(f"{AGENT_FOLDER}/"):
                    with suppress(OSError), open_plain(folder, path) as file:
                        told = os.fstat(file.fileno())
                        found.add((path, told.st_size, told.st_mtime_ns))
    return found


def _reports(folder: Path, new: set[tuple[str, int, int]]) -> Iterator[Report]:
    """The newest of those that came, or were written anew."""
    for path, _, _ in sorted(new, key=lambda one: (-one[2], one[0]))[:MOST_REPORTS]:
        with suppress(OSError), open_plain(folder, path) as file:
            text = file.read(MOST_REPORT).decode("utf-8", "replace")
            yield Report(path, "".join(char for char in text if char in "\n\t" or char.isprintable()))


def _over(limits: Limits, seconds: float, is_up: bool, memory: int, said: int) -> Stopped | None:
    if seconds > limits.seconds and not is_up:
        return Stopped.TOO_LONG
    if memory > limits.memory_mb * MB:
        return Stopped.TOO_MUCH_MEMORY
    return Stopped.TOO_MUCH_SAID if said > limits.output else None


def _memory(pid: int) -> int:
    """Bytes of a process and all that it started."""
    total = 0
    with suppress(psutil.Error):
        root = psutil.Process(pid)
        for one in (root, *root.children(recursive=True)):
            with suppress(psutil.Error):
                total += one.memory_info().rss
    return total


def _close(process: subprocess.Popen[bytes], gently: bool) -> None:
    """Ends all of it: gently where the game may save what it has, and for good then."""
    if process.poll() is None and gently:
        _signal(process, signal.SIGTERM)
        with suppress(subprocess.TimeoutExpired):
            process.wait(CLOSES_WITHIN)
    # What it started may be left although it has ended itself.
    _signal(process, getattr(signal, "SIGKILL", signal.SIGTERM))
    process.wait()


def _signal(process: subprocess.Popen[bytes], number: int) -> None:
    with suppress(OSError):
        if hasattr(os, "killpg"):
            os.killpg(process.pid, number)
        else:
            process.send_signal(number)


class _Follow:
    """The game's log, from where this start begins to write it."""

    def __init__(
        self, folder: Path, profile: GameProfile, names: Mapping[str, str], copy: Callable[[bytes], None]
    ) -> None:
        self._folder, self._copy = folder, copy
        self._place = profile.log.place if profile.log else ""
        self._reader = LogReader(profile, names)
        self._before = self._look()
        self._first = self._start()
        self._at: int | None = None
        self.size = 0

    @property
    def main_screen(self) -> bool:
        return self._reader.main_screen > 0

    def read(self) -> bool:
        """Says whether there may be more."""
        now = self._look()
        if now is None or (self._at is None and now == self._before):
            return False
        if self._at is None:
            # A game that goes on in its old log writes behind what stood there; most begin anew.
            goes_on = self._before and now[:2] == self._before[:2] and now[2] > self._before[2] and not self._is_new()
            self._at = self._before[2] if goes_on and self._before else 0
        if now[2] < self._at:
            self._at = 0
        # A game may write faster than it is read: others have their turn after a while.
        until = self._at + AT_ONCE
        with suppress(OSError), open_plain(self._folder, self._place) as file:
            file.seek(self._at)
            while self._at < until and (data := file.read(CHUNK)):
                self._at += len(data)
                self.size += len(data)
                self._reader.feed(data)
                self._copy(data)
        return self._at >= until

    def end(self) -> Log:
        return self._reader.end()

    def _is_new(self) -> bool:
        """Whether the same file begins otherwise than before."""
        return self._start() != self._first

    def _start(self) -> bytes:
        try:
            with open_plain(self._folder, self._place) as file:
                return file.read(min(512, self._before[2]) if self._before else 0)
        except OSError:
            return b""

    def _look(self) -> tuple[int, int, int, int] | None:
        """Device, file, size and time of change."""
        try:
            with open_plain(self._folder, self._place) as file:
                found = os.fstat(file.fileno())
        except OSError:
            return None
        return found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns


def open_plain(folder: Path, path: str) -> BinaryIO:
    """A plain file in a folder, for reading, along no link. Raises OSError."""
    if not path:
        raise FileNotFoundError(path)
    place = folder
    for part in path.split("/"):
        place = place / part
        if place.is_symlink():
            raise OSError(f"{place} is a link")
    number = os.open(place, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
    if not stat.S_ISREG(os.fstat(number).st_mode):
        os.close(number)
        raise OSError(f"{place} is no plain file")
    return os.fdopen(number, "rb")
