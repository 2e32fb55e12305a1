"""Commands that go back: take a sync back, return what was moved aside, back up and restore worlds and settings."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.words.wording import counted

from .. import backing_up, taking_back
from ..folder.backup import Backup
from ..folder.folder import Folder
from ..folder.journal import recover
from .exits import DONE, LEFT
from .options import BACK, FolderOption, JsonOption
from .screen import print_json, say
from .sentences import entry_sentence, say_rows, say_synced
from .the_store import keep_store

commands = typer.Typer()


@commands.command(rich_help_panel=BACK)
def undo(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Take the last sync back. Needs no site where everything is still here."""
    done = taking_back.undo(folder, keep_store())
    if as_json:
        print_json({"release": done.release, "mods": done.mods, "aside": done.aside, "undone": dict(done.undone)})
        return
    say(f"Back at release {done.release}.")
    say_synced(done)


@commands.command("put-back", rich_help_panel=BACK)
def put_back(
    what: Annotated[
        str, typer.Argument(help="What it was called, its folder, or a sync as the history names it.")
    ] = "",
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Return what was moved aside to its place, where that is free. Without a name: list what lies aside."""
    if not what:
        found = taking_back.aside_here(folder)
        if as_json:
            print_json([asdict(one) for one in found])
            return
        say_rows([f"{one.path}  (moved aside {one.id[:10]})" for one in found], "files; --json has all")
        say(f"{counted(len(found), 'file')} aside." if found else "Nothing lies aside.")
        return
    back, stays = taking_back.put_back(folder, what)
    if as_json:
        print_json({"back": back, "stays_aside": stays})
    else:
        say_rows([f"back in place: {path}" for path in back], "back in place")
        say_rows([f"stays aside, as something lies there: {path}" for path in stays], "that stay aside")
    raise typer.Exit(LEFT if stays else DONE)


@commands.command(rich_help_panel=BACK)
def history(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Every sync that changed something, newest last."""
    here = Folder(folder)
    with here.held():
        recover(here)
        entries = here.entries()
    if as_json:
        print_json(entries)
        return
    for one in entries:
        say(entry_sentence(one))
    for remark in here.remarks:
        say(remark)
    if not entries:
        say("Nothing was synced here yet. Next: convoy sync")


@commands.command(rich_help_panel=BACK)
def backup(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Back up worlds and settings."""
    made = backing_up.back_up(folder)
    if as_json:
        print_json(_backup_data(made))
        return
    say(f"Backed up: {made.holds()}.")
    say(f"“convoy restore {made.id}” goes back to it.")


@commands.command(rich_help_panel=BACK)
def backups(
    folder: FolderOption = Path(),
    rehearse: Annotated[bool, typer.Option("--rehearse", help="Read each as restoring would, now.")] = False,
    drop: Annotated[str, typer.Option("--drop", help="Delete this backup.")] = "",
    as_json: JsonOption = False,
) -> None:
    """List the backups of worlds and settings. Exit code 1 where one could not be restored."""
    if drop:
        backing_up.drop_backup(folder, drop)
    if rehearse:
        backing_up.rehearse(folder)
    found, known = backing_up.backups_of(folder)
    if as_json:
        print_json([{**_backup_data(one), "damaged": known.bad.get(one.id, "")} for one in found])
        raise typer.Exit(LEFT if known.bad else DONE)
    for one in found:
        say(f"{one.id}  {one.holds()}  {one.why}")
        if why := known.bad.get(one.id):
            say(f"  damaged: {why}")
    for lost in known.bad.keys() - {one.id for one in found}:
        say(f"{lost}  damaged: {known.bad[lost]}")
    if not found:
        say("No backup yet.")
    elif known.at:
        say(f"All read on {known.at[:16].replace('T', ' ')}: {len(known.bad) or 'none'} damaged.")
    raise typer.Exit(LEFT if known.bad else DONE)


def _backup_data(one: Backup) -> dict[str, object]:
    return {**asdict(one), "size": one.size, "worlds": one.worlds, "holds": one.holds()}


@commands.command(rich_help_panel=BACK)
def restore(
    backup: Annotated[str, typer.Argument(help="As “convoy backups” lists it.")],
    folder: FolderOption = Path(),
    into: Annotated[Path | None, typer.Option("--into", help="Write its files into this new folder instead.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Go back to a backup of worlds and settings; also in a folder that was left."""
    if into is not None:
        count, damaged = backing_up.extract(folder, backup, into)
        if as_json:
            print_json({"written": count, "damaged": damaged})
        else:
            say(f"{counted(count, 'file')} written into {into}.")
            say_rows([f"damaged, left out: {path}" for path in damaged], "damaged")
        raise typer.Exit(LEFT if damaged else DONE)
    before = backing_up.restore(folder, backup)
    if as_json:
        print_json({"before": before.id})
        return
    say(f"Worlds and settings are back. How they were is kept: {before.holds()}.")
    say(f"“convoy restore {before.id}” goes back to that.")
