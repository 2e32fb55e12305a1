"""Which mods make something fail: `convoy narrow` for any command, `narrow-here` in an installation, by asking."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import asdict
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.narrow import Found, Outcome, Suspects, narrow, tries_for_one
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import MalformedInput
from convoy_core.words.wording import counted

from .. import narrowing_here
from .options import FILES, PLAY, FolderOption, JsonOption
from .screen import print_json, say
from .the_store import keep_store

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


class Say(StrEnum):
    """What is said of a narrowing in a folder; nothing: go on with it, or begin."""

    WORKS = "works"
    FAILS = "fails"
    SOMETIMES = "sometimes"
    BACK = "back"
    PAUSE = "pause"
    STOP = "stop"


OfTenOption = Annotated[int, typer.Option("--of-ten", min=1, max=9, help="Sometimes: of ten starts, how many fail?")]


@commands.command("narrow-here", rich_help_panel=PLAY)
def narrow_here(
    said: Annotated[Say | None, typer.Argument(help="How the try went; or what is to be done.")] = None,
    of_ten: OfTenOption = narrowing_here.OF_TEN,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Find the mods that make the game fail: each try is made ready here, you start the game and say how it went. Saved
    worlds are put by meanwhile; pause or stop puts everything back.
    """
    store = keep_store()
    if said in (Say.PAUSE, Say.STOP):
        found, wrote = narrowing_here.put_down(folder, store, for_good=said is Say.STOP)
        _say_put_down(said, found, wrote, as_json)
        return
    if said is None:
        asking = narrowing_here.go_on(folder, store)
    elif said is Say.BACK:
        asking = narrowing_here.take_back(folder, store)
    else:
        outcome = Outcome.WORKS if said is Say.WORKS else Outcome.FAILS
        sometimes = of_ten if said is Say.SOMETIMES else 0
        asking = narrowing_here.say(folder, store, outcome, sometimes)
    found = asking.question.found
    if found:
        # All of it lies there again; what was answered stays, until it is stopped.
        narrowing_here.put_down(folder, store, for_good=False)
    if as_json:
        print_json(_as_told(asking))
    elif found:
        _say_found(asking, found)
    else:
        _say_next(asking)


def _as_told(asking: narrowing_here.Asking) -> dict[str, Any]:
    question = asking.question
    return {
        "next": question.mods,
        "among": asking.among,
        "tries": asking.tries,
        "left": question.left,
        "chance": asking.chance,
        "missing": asking.missing,
        "found": asdict(question.found) if question.found else None,
    }


def _say_next(asking: narrowing_here.Asking) -> None:
    mods = asking.question.mods or ()
    if not asking.tries:
        say(f"Among {asking.among} mods. About {asking.planned} tries find one culprit; more, where there are more.")
        say("Worlds are put by: play none that matters meanwhile. “pause” puts everything back, “stop” ends it.")
    left = asking.question.left
    say(f"Try {asking.tries + 1}, about {left} to go: {len(mods)} of {asking.among} mods are there.")
    say(f"  {', '.join(asking.named(mods)[:12])}{' …' if len(mods) > 12 else ''}" if mods else "  None at all.")
    for mod in asking.missing:
        say(f"  A file of {asking.names.get(mod, mod)} is not there, as its archive is not kept here.")
    say("Start the game (convoy play does). Did it come up and stay? Then say one of:")
    say("  convoy narrow-here works | fails | sometimes      or: back, pause, stop")


WITHOUT = {
    True: "Without them everything else works.",
    False: "Without them it fails, too: there is more.",
    None: "Whether it works without them could not be decided.",
}


def _say_found(asking: narrowing_here.Asking, found: Found) -> None:
    if not found.fails:
        say("With all of them it works: nothing fails that could be narrowed down.")
    elif not found.culprits:
        say("It fails with no mods at all: none of them is the cause.")
    else:
        names = asking.named(found.culprits)
        together = " fail together" if len(names) > 1 else " makes it fail"
        say(f"Found after {found.tries} tries: {' and '.join(names)}{together}.")
        say(WITHOUT[found.without_it_works])
    if found.sure < 1:
        say(f"Sure to {found.sure:.1%}.")
    say("Everything is as it was. “convoy help-me” tells your curators; “convoy narrow-here stop” ends it,")
    say("“convoy narrow-here back” takes the last answer back.")


def _say_put_down(said: Say, found: Found | None, wrote: int, as_json: bool) -> None:
    if as_json:
        print_json({"found": asdict(found) if found else None, "wrote": wrote})
        return
    say("Everything is as it was: mods, settings, worlds.")
    if wrote:
        say(f"What the game wrote in tries ({counted(wrote, 'file')}) lies in .convoy/aside.")
    if said is Say.PAUSE:
        say("What was answered is kept: “convoy narrow-here” goes on where it was.")
