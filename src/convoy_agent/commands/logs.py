"""`convoy log`: what a game's log says, as data. It touches no installation."""

from __future__ import annotations

import gzip
import json
import sys
from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path
from typing import IO, Annotated

import typer

from convoy_core.log import Compared, Log, compared, read_log
from convoy_core.log.private import Redaction
from convoy_core.log.wire import entry_as_json, log_as_json
from convoy_core.outside.fields import Fields
from convoy_core.outside.game_profile import read_profile
from convoy_core.words.errors import MalformedInput
from convoy_core.words.profile import GameProfile

from ..playing.own import own_known, without_private
from .options import FILES

commands = typer.Typer()

CHUNK = 256 * 1024
"""Bytes read at once: enough to fold what repeats, little enough to stay near the processor."""

MOST_BYTES = 4 * 2**30
"""Of a log, unpacked: a small packed file could hold any number of them."""

GZIP = b"\x1f\x8b"


@commands.command("log", rich_help_panel=FILES)
def log(
    file: Annotated[Path, typer.Argument(help="The log, as it is or packed with gzip; - for standard input.")],
    game: Annotated[Path, typer.Option("--game", help="The game's profile, which says how its log looks.")],
    against: Annotated[Path | None, typer.Option("--against", help="An earlier log to hold it against.")] = None,
    mods: Annotated[Path | None, typer.Option("--mods", help="JSON with the ids and names of the mods.")] = None,
    shared: Annotated[bool, typer.Option("--to-share", help="With everything private replaced.")] = False,
) -> None:
    """Read a game's log into entries, whose they are, and why it ended."""
    profile = read_profile(_text(game))
    names = _names(mods) if mods else {}
    read = _read(file, profile, names)
    told = log_as_json(read)
    if against:
        told["compared"] = _compared(compared(_read(against, profile, names), read))
    if shared:
        told = without_private(told, Redaction(own_known()))
    print(json.dumps(told, ensure_ascii=False))


def _compared(found: Compared) -> dict[str, object]:
    more = [{**entry_as_json(one.entry), "before": one.before, "after": one.after} for one in found.more]
    return {
        "new": [entry_as_json(one) for one in found.new],
        "gone": [entry_as_json(one) for one in found.gone],
        "more": more,
    }


def _read(file: Path, profile: GameProfile, names: dict[str, str]) -> Log:
    try:
        return read_log(chunks(file), profile, names)
    except (OSError, EOFError) as error:
        raise MalformedInput(f"{file} cannot be read.", str(error)[:200], file=str(file)) from error


def chunks(file: Path) -> Iterator[bytes]:
    """What a log holds, unpacked. Raises OSError, EOFError, MalformedInput for one that never ends."""
    left = MOST_BYTES
    with nullcontext(sys.stdin.buffer) if str(file) == "-" else file.open("rb") as raw:
        for chunk in _unpacked(raw):
            left -= len(chunk)
            if left < 0:
                raise MalformedInput(f"{file} holds more than {MOST_BYTES // 2**30} GB.", file=str(file))
            yield chunk


def _names(place: Path) -> dict[str, str]:
    """{"lock-ledger": "Lock Ledger"}, or a list of ids alone."""
    try:
        told = json.loads(_text(place))
    except (ValueError, RecursionError) as error:
        raise MalformedInput(f"{place} cannot be read as JSON.", str(error)[:200]) from error
    if isinstance(told, list):
        return {str(one): str(one) for one in told}
    return Fields({"mods": told}).texts("mods")


def _text(place: Path) -> str:
    try:
        return place.read_text("utf-8")
    except (OSError, ValueError) as error:
        raise MalformedInput(f"{place} cannot be read.", str(error)[:200]) from error


def _unpacked(raw: IO[bytes]) -> Iterator[bytes]:
    first = raw.read(CHUNK)
    if first.startswith(GZIP) and raw.seekable():
        raw.seek(0)
        with gzip.open(raw) as packed:
            while chunk := packed.read(CHUNK):
                yield chunk
        return
    while first:
        yield first
        first = raw.read(CHUNK)
