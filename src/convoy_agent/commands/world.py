"""Saved worlds: list, copy, rename, hand on, bring over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.lock.worlds import WorldChange
from convoy_core.words.wording import counted, listed

from .. import worlds
from .options import BACK, FolderOption, JsonOption
from .screen import asking, print_json, say

world_app = typer.Typer(help="Saved worlds: what each was played with; copy, rename, hand on, bring over.")
commands = typer.Typer()
commands.add_typer(world_app, name="world", rich_help_panel=BACK)

Named = Annotated[str, typer.Argument(help="A world here.")]
NewName = Annotated[str, typer.Argument(help="What it is to be called.")]


@world_app.command("list")
def list_worlds(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Which worlds lie here, and what each was played with."""
    found = worlds.worlds_of(folder)
    if as_json:
        rows = ({**asdict(one), "papers": [each.as_data() for each in one.papers]} for one in found)
        print_json([{**row, "told": _told(one.told)} for row, one in zip(rows, found, strict=True)])
        return
    for one in found:
        played = listed([str(each) for each in one.papers[-3:]]) if one.papers else "nobody knows what"
        say(f"{one.name}  {one.size / 2**20:.1f} MB, {one.changed[:16].replace('T', ' ')}, played with {played}")
        _say(one.told)
    if not found:
        say("No world lies here yet.")


@world_app.command()
def copy(name: Named, new: NewName, folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Copy a world, with its papers and what was chosen for it."""
    _say_made(worlds.copy(folder, name, new), "Copied", as_json)


@world_app.command()
def rename(name: Named, new: NewName, folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Call a world otherwise. What the pack placed in it stays the pack's."""
    world = worlds.rename(folder, name, new)
    if as_json:
        print_json({"world": world})
        return
    say(f"{name} is called {new} now.")


@world_app.command("hand-on")
def hand_on(
    name: Named,
    out: Annotated[Path | None, typer.Option("--out", help="A new file.")] = None,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Write a world into a file, with its papers: for somebody else, or for another folder."""

    def told(progress: tuple[str, ...]) -> None:
        if progress and not as_json:
            say(f"It was played with {listed(list(progress))}: what was earned in it means little without.")

    place, progress = worlds.hand_on(folder, name, out, told)
    if as_json:
        print_json({"file": str(place), "changes_progress": list(progress)})
        return
    say(f"{name} lies in {place}.")
    say("Whoever gets it says: convoy world bring FILE")


@world_app.command()
def bring(
    source: Annotated[Path, typer.Argument(help="A ZIP, a world's folder, or a game's or installation's folder.")],
    world: Annotated[str, typer.Option("--world", help="Which world there, where there are several.")] = "",
    called: Annotated[str, typer.Option("--as", help="What it is to be called here.")] = "",
    played: Annotated[str, typer.Option("--played-with", help="This pack's release that it was played with.")] = "",
    unknown: Annotated[bool, typer.Option("--unknown", help="Nobody knows what it was played with.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Bring it whatever is told.")] = False,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Copy a world from elsewhere. What this pack lacks of it, or has newer, is told before."""

    def agree(told: Sequence[WorldChange]) -> bool:
        if not as_json:
            _say(told)
        return yes or asking(as_json)("Bring it all the same?")

    _say_made(worlds.bring(folder, source, agree, world, called, played, unknown), "Brought over", as_json)


def _say_made(made: worlds.Brought, what: str, as_json: bool) -> None:
    if as_json:
        print_json({**asdict(made), "told": _told(made.told)})
        return
    say(f"{what}: {made.name}, {counted(made.files, 'file')}, {made.size / 2**20:.1f} MB.")
    for remark in made.remarks:
        say(remark)
    if made.carries:
        say(f"It holds content of the pack ({listed(list(made.carries))}), kept in step from the next sync on.")


def _say(told: Sequence[WorldChange]) -> None:
    for one in told:
        say(f"  {one.sentence}. {one.note}")


def _told(told: Sequence[WorldChange]) -> list[dict[str, str]]:
    return [{"what": one.sentence, "note": one.note} for one in told]
