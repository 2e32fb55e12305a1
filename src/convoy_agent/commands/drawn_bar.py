"""The bar of progress that a terminal shows."""

from __future__ import annotations

from rich.console import Console
from rich.progress import (
    BarColumn,
    DownloadColumn,
    Progress,
    Task,
    TextColumn,
    TimeRemainingColumn,
    TransferSpeedColumn,
)
from rich.text import Text


def drawn_bar() -> Progress:
    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(),
        _Bytes(),
        TransferSpeedColumn(),
        TimeRemainingColumn(),
        TextColumn("{task.fields[what]}", markup=False),
    )
    return Progress(*columns, console=Console(highlight=False, markup=False, emoji=False), transient=True)


class _Bytes(DownloadColumn):
    """Nothing where no bytes are counted: looking, and placing what was unpacked already."""

    def render(self, task: Task) -> Text:
        return super().render(task) if task.total else Text()
