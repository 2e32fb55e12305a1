"""`convoy store`: what lies in the store that all installations of a machine share, whether it is whole; pruning."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted

from ..folder.folder import Folder
from ..storage.store import Store
from ..sync import archives_of
from .options import KEEP, JsonOption
from .screen import print_json, say
from .the_store import keep_store

store_app = typer.Typer(help="The store that all installations of this machine share.", no_args_is_help=True)
commands = typer.Typer()
commands.add_typer(store_app, name="store", rich_help_panel=KEEP)

MB = 2**20


def wanted(store: Store) -> set[str]:
    """Archives that installations of this machine refer to, installed or about to be. Where a release cannot be read,
    everything is wanted: what it refers to is not known. The same goes for a folder that is not there just now.
    """
    found: set[str] = set()
    for one in store.served():
        archives: Collection[str] | None = one.archives
        if one.is_there:
            folder = Folder(one.folder)
            try:
                archives = archives_of(folder, folder.pairing())
            except ConvoyError:
                archives = None
        if archives is None:
            return {place.name for place in store.archives()}
        found |= set(archives)
    return found


@store_app.command()
def show(as_json: JsonOption = False) -> None:
    """Say what lies there, for whom, and how much of it nothing refers to."""
    store = keep_store()
    use = store.use(wanted(store))
    served = store.served()
    if as_json:
        told: dict[str, Any] = {"archives": use.archives, "bytes": use.bytes, "idle_bytes": use.idle_bytes}
        folders = [str(one.folder) for one in served if one.is_there]
        gone = [str(one.folder) for one in served if not one.is_there]
        told |= {"installations": folders, "not_there": gone, "brought": use.brought}
        print_json({**told, "idle": use.idle, "partial_bytes": use.partial_bytes})
        return
    say(f"{store.root}: {counted(use.archives, 'archive')}, {use.bytes // MB} MB")
    for one in served:
        say(f"  for {one.folder}{'' if one.is_there else ', which is not there: moved, or its disk is not attached'}")
    say(f"{counted(len(use.idle), 'archive')}, {use.idle_bytes // MB} MB, to which nothing refers.")
    if use.brought:
        say(f"{counted(len(use.brought), 'of them was', 'of them were')} brought by hand, and pruning keeps them.")
    if use.partial_bytes:
        say(f"{use.partial_bytes // MB} MB of unfinished fetching, which goes on at the next sync.")


@store_app.command()
def check(
    mend: Annotated[bool, typer.Option("--mend", help="Drop what is damaged; it is fetched anew.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Hash every archive, and name those that are damaged. Exit code 1 while one is."""
    store = keep_store()
    damaged = store.damaged(mend)
    if as_json:
        print_json({"damaged": damaged, "dropped": mend})
        raise typer.Exit(1 if damaged and not mend else 0)
    brought = store.brought()
    for sha256 in damaged:
        by_hand = f" ({brought[sha256]}, which has to be brought again)" if sha256 in brought else ""
        say(f"damaged{', dropped' if mend else ''}: {sha256}{by_hand}")
    say("Everything is whole." if not damaged else f"{counted(len(damaged), 'archive')} damaged.")
    raise typer.Exit(1 if damaged and not mend else 0)


@store_app.command()
def prune(
    brought: Annotated[bool, typer.Option("--brought", help="Remove what you brought by hand, too.")] = False,
    gone: Annotated[
        list[Path] | None, typer.Option("--gone", help="A folder that is gone for good. May be repeated.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Remove what no installation of this machine refers to. Installations keep their files."""
    store = keep_store()
    for one in gone or ():
        store.forget(Folder(one).root)
    needed = wanted(store)
    use = store.use(needed)
    going = [sha256 for sha256 in use.idle if brought or sha256 not in use.brought]
    freed = sum(store.path(sha256).stat().st_size for sha256 in going)
    for sha256 in going:
        store.drop(sha256)
    freed += store.forget_begun(needed)
    stays = {} if brought else use.brought
    not_there = [str(one.folder) for one in store.served() if not one.is_there]
    if as_json:
        print_json({"removed": going, "freed": freed, "brought": stays, "not_there": not_there})
        return
    say(f"{counted(len(going), 'archive')} removed, {freed // MB} MB freed.")
    for name in stays.values():
        say(f"  brought by hand, stays: {name}")
    if stays:
        say("“convoy store prune --brought” removes these, too.")
    for folder in not_there:
        say(f"  {folder} is not there now. What it needs stays, unless you say --gone {folder}")
