"""Collections of one's own beside the pack: take one up, leave one."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from .. import taking_up
from .options import PLAY, FolderOption, JsonOption
from .screen import asking, print_json, say

commands = typer.Typer()


@commands.command(rich_help_panel=PLAY)
def add(
    what: Annotated[str, typer.Argument(help="A collection's join code, or the name of one that the page added.")],
    key: Annotated[str, typer.Option("--key", help="Its crew's key, where that is not the pack's own crew.")] = "",
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Take a collection up beside the pack: what of it touches nobody else."""
    found = taking_up.add(folder, what, key, asking(as_json))
    if as_json:
        print_json({"name": found.name, "number": found.number, "key": found.mark})
        return
    say(f"{found.name} {found.number} is taken up beside the pack. Its crew’s key is {found.mark}.")
    say("Next: convoy sync")


@commands.command(rich_help_panel=PLAY)
def drop(
    what: Annotated[str, typer.Argument(help="The collection's name.")],
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Leave a collection beside the pack; what nothing else holds goes with the next sync."""
    name = taking_up.drop(folder, what)
    if as_json:
        print_json({"name": name})
        return
    say(f"{name} is left. What nothing else holds goes with the next sync: convoy sync")
