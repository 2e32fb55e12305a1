"""Commands that look after a folder, and the one that ends it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.words.errors import MalformedInput
from convoy_core.words.wording import counted

from .. import leave as leaving
from ..folder.folder import Folder
from ..mend import mend as mend_own
from ..sync import utc_now
from .exits import DONE, LEFT
from .options import KEEP, FolderOption, JsonOption
from .screen import Bar, print_json, say
from .sentences import say_rows
from .the_store import keep_store

commands = typer.Typer()


@commands.command(rich_help_panel=KEEP)
def mend(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Look at everything that the agent keeps, and put right what is wrong. Exit code 1 where something is left."""
    with Bar(quiet=as_json) as screen:
        screen.phase("reading what is kept here, and the store", 0)
        found = mend_own(folder, keep_store())
    if as_json:
        print_json({"mended": found.mended, "left": found.left, "aside": found.aside})
        raise typer.Exit(LEFT if found.left else DONE)
    for one in found.mended:
        say(one)
    for one in found.left:
        say(f"Left: {one}")
    if not found.mended and not found.left:
        say("Everything that is kept here is whole.")
    say("Next: convoy verify")
    raise typer.Exit(LEFT if found.left else DONE)


@commands.command(rich_help_panel=KEEP)
def leave(
    folder: FolderOption = Path(),
    keep_all: Annotated[bool, typer.Option("--keep-all", help="Leave every file where it is.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Stop following the pack: its files go, yours stay, and what lay here before is put back."""
    if not yes:
        _ask(leaving.look_ahead(folder, keep_all), as_json)
    left = leaving.leave(folder, utc_now(), keep_all)
    keep_store().forget(Folder(folder).root)
    if as_json:
        print_json({"removed": left.removed, "altered": left.stayed, "had_before": left.had_before,
                    "brought_back": left.brought_back, "kept": left.kept})  # fmt: skip
        return
    say(f"{_what(left)}.")
    say_rows([f"altered by you, stays: {path}" for path in left.stayed], "altered by you")
    if left.kept:
        say(f"What was kept of yours lies in {Path(folder) / left.kept}.")
        if (Path(folder) / left.kept / "backups").is_dir():
            say("“convoy backups” still lists the backups here, and “convoy restore” reads them.")


def _ask(ahead: leaving.Leaving, as_json: bool) -> None:
    told = f"Leaving: {_what(ahead)}."
    if as_json or not sys.stdin.isatty():
        raise MalformedInput(told, "Nobody is here to be asked.", "Say --yes to go on. Nothing was changed.")
    say(told)
    typer.confirm("Go on?", abort=True)


def _what(left: leaving.Leaving) -> str:
    parts = [f"{counted(left.removed, 'file')} of the pack removed"]
    if left.had_before:
        parts.append(f"{left.had_before} that lay here before joining stay or are put back")
    if left.stayed:
        parts.append(f"{len(left.stayed)} that you altered stay")
    if left.brought_back:
        parts.append(f"{left.brought_back} of yours back in place")
    return ", ".join(parts)
