"""What a person sees on the terminal: lines, and how far it is.

Text from outside steers nothing: names of mods and files may hold whatever their makers liked.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from convoy_core.words.wording import printable

if TYPE_CHECKING:
    from rich.progress import Progress, TaskID


def say(text: str) -> None:
    print(printable(text), flush=True)


def print_json(value: Any) -> None:
    """Escaped: a name on the disk may hold bytes that are no letters."""
    print(json.dumps(value, indent=1, default=list))


def asking(quiet: bool) -> Callable[[str], bool]:
    """Puts a question to whoever sits here; the answer is no where nobody does, as in a script or a service."""

    def ask(question: str) -> bool:
        if quiet or not (sys.stdin.isatty() and sys.stdout.isatty()):
            return False
        return input(f"{printable(question)} [y/N] ").strip().casefold() in ("y", "yes")

    return ask


class Bar:
    """Progress on the terminal: bytes, speed, time left. What draws it is loaded only where there is a terminal."""

    def __init__(self, quiet: bool = False) -> None:
        self._bar: Progress | None = None
        self._task: TaskID | None = None
        if not quiet and sys.stdout.isatty():
            from .drawn_bar import drawn_bar

            self._bar = drawn_bar()

    def __enter__(self) -> Bar:
        if self._bar is not None:
            self._bar.start()
        return self

    def __exit__(self, *_: object) -> None:
        if self._bar is not None:
            self._bar.stop()

    def phase(self, phase: str, total: int) -> None:
        if self._bar is None:
            return
        if self._task is not None:
            self._bar.remove_task(self._task)
        self._task = self._bar.add_task(phase, total=total or None, what="")

    def move(self, done: int, what: str) -> None:
        if self._bar is not None and self._task is not None:
            self._bar.update(self._task, completed=done, what=printable(what))
