"""Commands that make a pack a file, look into one, and choose where a folder follows files."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.handing_out.bag import Wanted
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Side
from convoy_core.words.wording import counted, listed

from .. import choosing, packing
from .options import FILES, FolderOption, JsonOption
from .screen import Bar, print_json, say
from .the_store import keep_store

commands = typer.Typer()

MB = 2**20


@commands.command(rich_help_panel=FILES)
def pack(
    file: Annotated[Path, typer.Argument(help="Where to write it: a new ZIP.")],
    folder: FolderOption = Path(),
    side: Annotated[Side, typer.Option("--side", help="Whose share: of players, of the server, or all.")] = Side.BOTH,
    release_only: Annotated[bool, typer.Option("--release-only", help="No mods: where each is to be had.")] = False,
    without_own: Annotated[bool, typer.Option("--without-own", help="Leave out the pack's own files.")] = False,
    worlds: Annotated[
        list[str] | None, typer.Option("--world", help="This saved world goes along, as it is now.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Make the installed release a file, with what may travel inside. Needs no site."""
    wanted = Wanted(None if side is Side.BOTH else side, not release_only, not without_own)
    with Bar(quiet=as_json) as screen:
        screen.phase("writing", 0)
        bag = packing.pack(folder, keep_store(), file, wanted, worlds or ())
    left = [{"mod": one.build.mod, "name": one.build.name, "why": one.why, "from": one.address} for one in bag.left]
    if as_json:
        print_json({"file": str(file), "carried": sorted(one.mod for one in bag.carried.values()), "left": left})
        return
    say(f"{file}: {counted(len(bag.carried), 'mod')} inside, {file.stat().st_size // MB + 1} MB.")
    for one in left:
        say(f"not inside: {one['name']}. {one['why']}{' Any program may fetch it.' if one['from'] else ''}")


@commands.command("open", rich_help_panel=FILES)
def look(
    file: Annotated[Path, typer.Argument(help="A pack as a file.")],
    as_json: JsonOption = False,
) -> None:
    """Say what a pack as a file holds, who signed it, and whether it is whole. Nothing is installed."""
    found = packing.look_into(file)
    recipe = found.told.recipe
    inside = {build.mod: build.archive.sha256 in found.told.archives for build in recipe.lock.builds}
    told: dict[str, Any] = {
        "pack": recipe.pack_name,
        "release": recipe.number,
        "fingerprint": recipe.lock.fingerprint(),
        "key": found.mark,
        "doubt": found.doubt,
        "mods": inside,
    }
    if as_json:
        print_json(told)
        return
    say(f"{recipe.pack_name} {recipe.number}, fingerprint {told['fingerprint']}")
    say(f"{sum(inside.values())} of {counted(len(inside), 'mod')} inside, each as the release names it.")
    signed = f"Signed by the key {found.mark}: compare it with the one that you were told."
    say(signed if found.mark else f"Do not trust it: {found.doubt}")
    if found.told.worlds:
        say(f"It brings {counted(len(found.told.worlds), 'file')} of saved worlds: “convoy join … --with-worlds”.")
    say(found.told.left_out.rstrip())


@commands.command(rich_help_panel=FILES)
def choose(
    folder: FolderOption = Path(),
    without: Annotated[list[str] | None, typer.Option("--without", help="Do without this optional mod or set.")] = None,
    taking: Annotated[
        list[str] | None, typer.Option("--with", help="Take this optional mod, or this set of settings.")
    ] = None,
    into: Annotated[
        list[str] | None, typer.Option("--into", help="WORLD=MOD: its content goes into this world; * for all.")
    ] = None,
    out_of: Annotated[list[str] | None, typer.Option("--out-of", help="WORLD=MOD: it leaves this world.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Choose optional mods, sets of settings, and worlds for what goes into them, in a folder that follows files."""
    pairs = [[_pair(one) for one in told or ()] for told in (into, out_of)]
    found = choosing.choose(folder, without or (), taking or (), *pairs)
    if as_json:
        optional = [asdict(one) for one in found.optional]
        sets = [asdict(one) for one in found.sets]
        print_json(
            {"optional": optional, "sets": sets, "worlds": {mod: list(worlds) for mod, worlds in found.worlds.items()}}
        )
        return
    for one in (*found.optional, *found.sets):
        say(f"{'with' if one.taken else 'without'} {one.mod}: {one.name}. {one.advice}".rstrip())
    for mod, worlds in found.worlds.items():
        say(f"{mod} goes into {listed(worlds) if worlds else 'no world'}.")
    if not found.optional and not found.worlds and not found.sets:
        say("There is nothing to choose in this release.")
    elif without or taking or into or out_of:
        say("Next: convoy sync")


def _pair(text: str) -> tuple[str, str]:
    world, _, mod = text.rpartition("=")
    if not world or not mod:
        raise MalformedInput(f"“{text}” cannot be read.", now="Write WORLD=MOD.")
    return world, mod
