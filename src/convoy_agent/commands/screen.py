"""What a person sees on the terminal: lines, and how far it is.

Text from outside steers nothing: names of mods and files may hold whatever their makers liked.
"""

from __future__ import annotations

import json
from typing import Any

from rich.console import Console
from rich.progress import (
    BarColumn,
    DownloadColumn,
    Progress,
    Task,
    TaskID,
    TextColumn,
    TimeRemainingColumn,
    TransferSpeedColumn,
)
from rich.text import Text

from convoy_core.words.wording import printable

out = Console(highlight=False, soft_wrap=True, markup=False, emoji=False)


def say(text: str) -> None:
    out.print(printable(text))


def print_json(value: Any) -> None:
    """Escaped: a name on the disk may hold bytes that are no letters."""
    print(json.dumps(value, indent=1, default=list))


class Bar:
    """Progress on the terminal: bytes, speed, time left."""

    def __init__(self, quiet: bool = False) -> None:
        columns = (
            TextColumn("{task.description}", markup=False),
            BarColumn(),
            _Bytes(),
            TransferSpeedColumn(),
            TimeRemainingColumn(),
            TextColumn("{task.fields[what]}", markup=False),
        )
        self._bar = Progress(*columns, console=out, transient=True, disable=quiet or not out.is_terminal)
        self._task: TaskID | None = None

    def __enter__(self) -> Bar:
        self._bar.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._bar.stop()

    def phase(self, phase: str, total: int) -> None:
        if self._task is not None:
            self._bar.remove_task(self._task)
        self._task = self._bar.add_task(phase, total=total or None, what="")

    def move(self, done: int, what: str) -> None:
        if self._task is not None:
            self._bar.update(self._task, completed=done, what=printable(what))


class _Bytes(DownloadColumn):
    """Nothing where no bytes are counted: looking, and placing what was unpacked already."""

    def render(self, task: Task) -> Text:
        return super().render(task) if task.total else Text()
