"""`convoy store`: what lies in the store that all installations of a machine share, whether it is whole; pruning."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.errors import ConvoyError
from convoy_core.words import counted

from .folder import Folder
from .store import Store

store_app = typer.Typer(help="The store that all installations of this machine share.", no_args_is_help=True)

MB = 2**20
_store: list[Store] = []


def keep(root: Path | None = None) -> Store:
    """The store of this run: at `root` when one is named, else where it was, else at the usual place."""
    if root or not _store:
        _store[:] = [Store(root)]
    return _store[0]


def wanted(store: Store) -> set[str]:
    """Archives that installations of this machine refer to, installed or about to be. Where a release cannot be read,
    everything is wanted: what it refers to is not known.
    """
    found: set[str] = set()
    for root in store.installations():
        folder = Folder(root)
        for name in ("release.json", "release.next.json"):
            if not (folder.own / name).exists():
                continue
            try:
                signed = folder.kept_release(name)
                recipe = folder.trusted(signed, folder.pairing()) if signed else None
            except ConvoyError:
                recipe = None
            if recipe is None:
                return {place.name for place in store.archives()}
            found |= {build.archive.sha256 for build in recipe.lock.builds}
    return found


@store_app.command()
def show(as_json: Annotated[bool, typer.Option("--json", help="Answer as JSON, for scripts.")] = False) -> None:
    """Say what lies there, for whom, and how much of it nothing refers to."""
    store = keep()
    use = store.use(wanted(store))
    if as_json:
        told: dict[str, Any] = {"archives": use.archives, "bytes": use.bytes, "idle_bytes": use.idle_bytes}
        folders = [str(one) for one in store.installations()]
        print(json.dumps({**told, "idle": use.idle, "partial_bytes": use.partial_bytes, "installations": folders}))
        return
    print(f"{store.root}: {counted(use.archives, 'archive')}, {use.bytes // MB} MB")
    for root in store.installations():
        print(f"  for {root}")
    print(f"{counted(len(use.idle), 'archive')}, {use.idle_bytes // MB} MB, to which nothing refers.")
    if use.partial_bytes:
        print(f"{use.partial_bytes // MB} MB of unfinished fetching, which goes on at the next sync.")


@store_app.command()
def check(
    mend: Annotated[bool, typer.Option("--mend", help="Drop what is damaged; it is fetched anew.")] = False,
) -> None:
    """Hash every archive, and name those that are damaged."""
    damaged = keep().damaged(mend)
    for sha256 in damaged:
        print(f"damaged{', dropped' if mend else ''}: {sha256}")
    print("Everything is whole." if not damaged else f"{counted(len(damaged), 'archive')} damaged.")
    raise typer.Exit(1 if damaged and not mend else 0)


@store_app.command()
def prune() -> None:
    """Remove what no installation of this machine refers to. Installations keep their files."""
    store = keep()
    needed = wanted(store)
    use = store.use(needed)
    for sha256 in use.idle:
        store.drop(sha256)
    freed = use.idle_bytes + store.forget_begun(needed)
    print(f"{counted(len(use.idle), 'archive')} removed, {freed // MB} MB freed.")
