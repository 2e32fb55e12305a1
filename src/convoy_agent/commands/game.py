"""`convoy game check`: tries a game profile, alone and against archives and folders that are there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.outside.game_profile import Fault, ReadProfile, look_at_profile
from convoy_core.outside.trying import AsKind, RoleShare, TriedArchive, TriedFolder, try_archive, try_folder
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.profile import GameProfile
from convoy_core.words.wording import counted, listed
from convoy_io.archives import contents

from ..storage.files import walk
from .options import FILES, JsonOption
from .screen import print_json, say

game_app = typer.Typer(help="Game profiles: what a game is, told in one file.", no_args_is_help=True)
commands = typer.Typer()
commands.add_typer(game_app, name="game", rich_help_panel=FILES)


@game_app.callback()
def _group() -> None:
    """One command so far, and still a group: `convoy game check`."""


@game_app.command()
def check(
    profile: Annotated[Path, typer.Argument(help="The game's profile, a TOML file.")],
    things: Annotated[
        list[Path] | None, typer.Argument(help="Archives of mods, or the game's folder, to try it against.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Say what is wrong with a profile, line by line, and what it makes of archives and folders. Exit code 1 while
    something is wrong."""
    read = look_at_profile(_text(profile))
    tried = [(thing, _tried(thing, read.profile)) for thing in things or ()] if read.profile else []
    if as_json:
        print_json(_as_data(read, tried))
    else:
        for line in _told(profile, read, tried):
            say(line)
    troubled = any(isinstance(one, str) or (isinstance(one, TriedArchive) and one.refusals) for _, one in tried)
    raise typer.Exit(1 if read.faults or troubled else 0)


def _text(file: Path) -> str:
    try:
        return file.read_text()
    except UnicodeDecodeError as error:
        raise MalformedInput(f"{file.name} is no text.", "A profile is TOML, in UTF-8.") from error


Tried = TriedArchive | TriedFolder | str
"""What came of it; a sentence where it cannot be read at all."""


def _tried(thing: Path, profile: GameProfile) -> Tried:
    if thing.is_dir():
        plain = ((path, entry.stat().st_size) for path, entry in walk(thing) if entry.is_file(follow_symlinks=False))
        return try_folder(plain, profile)
    try:
        return try_archive(contents(thing), profile)
    except ConvoyError as error:
        return error.sentence()


def _told(file: Path, read: ReadProfile, tried: list[tuple[Path, Tried]]) -> Iterator[str]:
    for fault in read.faults:
        yield f"{_where(file, fault)}: {fault.sentence}"
    for remark in read.remarks:
        yield f"{_where(file, remark)}: as advice: {remark.sentence}"
    if read.profile is None:
        yield f"{counted(len(read.faults), 'thing is', 'things are')} wrong. Nothing was tried against it."
        return
    profile = read.profile
    loaders = listed([one.name for one in profile.loaders]) or "no loader"
    yield f"{profile.name}: {counted(len(profile.versions), 'version')}, {loaders}, {listed(list(profile.kinds))}."
    for thing, found in tried:
        yield ""
        yield f"{thing.name}:"
        if isinstance(found, str):
            yield f"  {found}"
        else:
            yield from _of_archive(found) if isinstance(found, TriedArchive) else _of_folder(found)


def _of_archive(found: TriedArchive) -> Iterator[str]:
    for refusal in found.refusals:
        yield f"  refused: {refusal.path or 'the whole'}: {refusal.why}"
    for kind in found.kinds:
        yield from _of_kind(kind, kind.kind in found.recognised)


def _of_kind(kind: AsKind, is_recognised: bool) -> Iterator[str]:
    if kind.why:
        yield f"  as {kind.kind}: no. {kind.why}"
        return
    by = "recognised by its marker" if is_recognised else "if somebody says so: nothing in it tells"
    yield f"  as {kind.kind}: {counted(kind.files, 'file')}, {by}"
    for note in kind.notes:
        yield f"    {note}"
    for placed, member in kind.placed:
        yield f"    {member} -> {placed}{' (settings)' if placed in kind.settings else ''}"
    if kind.files > len(kind.placed):
        yield f"    and {kind.files - len(kind.placed)} more"


def _of_folder(found: TriedFolder) -> Iterator[str]:
    for share in found.shares:
        yield f"  {share.role}: {counted(share.files, 'file')}, {_size(share)}, as {', '.join(share.paths[:3])}"
    for folder, kinds in found.loaded:
        yield f"  {folder} would be taken for a {' or '.join(kinds)}"
    for folder in found.unmarked:
        yield f"  {folder} lacks its marker: the game would not see it"


def _size(share: RoleShare) -> str:
    return f"{share.size / 2**20:.1f} MB"


def _where(file: Path, fault: Fault) -> str:
    return f"{file.name}:{fault.line}: {fault.field}" if fault.line else f"{file.name}: {fault.field}".rstrip(": ")


def _as_data(read: ReadProfile, tried: list[tuple[Path, Tried]]) -> dict[str, Any]:
    return {
        "faults": [asdict(one) for one in read.faults],
        "remarks": [asdict(one) for one in read.remarks],
        "tried": [{"name": thing.name, "found": one if isinstance(one, str) else asdict(one)} for thing, one in tried],
    }
