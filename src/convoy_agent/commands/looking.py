"""Commands that look: where the folder stands, with the site or without."""

from __future__ import annotations

from pathlib import Path

import typer

from .. import sync as work
from .exits import DONE, LEFT
from .options import PLAY, FolderOption, JsonOption
from .screen import Bar, print_json
from .sentences import here_of, say_status, status_data
from .the_store import keep_store

commands = typer.Typer()


@commands.command(rich_help_panel=PLAY)
def status(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Say where the folder stands and what a sync would do, and report it."""
    _tell(work.status(folder, keep_store()), as_json)


@commands.command(rich_help_panel=PLAY)
def verify(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Hash every file anew, and say what differs. Needs no site."""
    with Bar(quiet=as_json) as screen:
        screen.phase("hashing every file", 0)
        found = work.status(folder, keep_store(), thorough=True)
    _tell(found, as_json)


def _tell(found: work.Status, as_json: bool) -> None:
    if as_json:
        print_json(status_data(found))
    else:
        say_status(found)
    raise typer.Exit(DONE if here_of(found).is_in_step else LEFT)
