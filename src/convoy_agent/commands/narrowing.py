"""`convoy narrow`: which mods make a command fail. It touches no installation."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.narrow import Found, Outcome, Suspects, narrow, tries_for_one
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import MalformedInput

from .options import FILES

commands = typer.Typer()

LARGEST = 64 * 2**20
ENDS = {0: Outcome.WORKS, 1: Outcome.FAILS, 2: Outcome.UNDECIDED}


@commands.command("narrow", rich_help_panel=FILES)
def narrow_down(
    mods: Annotated[Path, typer.Argument(help="JSON with the mods, and what each needs.")],
    trying: Annotated[str, typer.Option("--try", help="Run with one mod a line: exit 0 works, 1 fails, 2 undecided.")],
    flaky: Annotated[float, typer.Option("--flaky", help="The chance with which a set that fails does so.")] = 1.0,
) -> None:
    """Find the smallest set of mods with which a command still fails."""
    if not 0 < flaky <= 1:
        raise MalformedInput("--flaky is a chance above 0, and 1 at most.", field="flaky")
    suspects = _read(mods)
    print(f"About {tries_for_one(len(suspects.mods), flaky)} tries for one culprit.", file=sys.stderr, flush=True)
    search = narrow(suspects, flaky)
    try:
        wanted = next(search)
        while True:
            wanted = search.send(_tried(trying, wanted))
    except StopIteration as end:
        found: Found = end.value
    told = {"culprits": list(found.culprits), "tries": found.tries, "without_it_works": found.without_it_works}
    print(json.dumps({**told, "sure": round(found.sure, 4)}))
    raise typer.Exit(0 if found.fails else 1)


def _read(place: Path) -> Suspects:
    try:
        if place.stat().st_size > LARGEST:
            raise MalformedInput(f"{place} is larger than any list of mods.")
        top = Fields(json.loads(place.read_bytes()))
    except (OSError, ValueError, RecursionError) as error:
        raise MalformedInput(f"{place} cannot be read as JSON.", str(error)[:200]) from error
    if not top.has("mods"):
        raise MalformedInput(f"{place} names no mods.", now='Write {"mods": ["a", "b"]}.', field="mods")
    needs = top.fields("needs") if top.has("needs") else Fields({})
    return Suspects(top.strings("mods"), {mod: needs.strings(mod) for mod in needs.names()})


def _tried(command: str, mods: tuple[str, ...]) -> Outcome:
    """The person's own command, as their shell reads it."""
    given = "".join(f"{mod}\n" for mod in mods).encode()
    done = subprocess.run(command, shell=True, input=given, stdout=sys.stderr, check=False)  # noqa: S602
    if done.returncode not in ENDS:
        raise MalformedInput(
            f"The command ended with {done.returncode}.", "0 works, 1 fails, 2 is undecided.", "Have it end so."
        )
    return ENDS[done.returncode]
