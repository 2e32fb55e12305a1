"""`convoy help-me`: one text that somebody who helps can read, with everything private replaced."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from ..call_for_help import Call, call_for_help
from ..storage.files import write_at_once
from .options import PLAY, FolderOption, JsonOption
from .screen import print_json, say
from .the_store import keep_store

commands = typer.Typer()


@commands.command("help-me", rich_help_panel=PLAY)
def help_me(
    words: Annotated[str, typer.Argument(help="What happened, in your words.")] = "",
    out: Annotated[Path | None, typer.Option("--out", help="Write it here; without it, it is only shown.")] = None,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Gather what somebody needs who helps: standing, machine, last start, settings. It is sent nowhere."""
    call = call_for_help(folder, keep_store(), words)
    if out:
        write_at_once(out, call.text.encode(), among_others=True)
    if as_json:
        print_json({"text": call.text, "replaced": [asdict(one) for one in call.replaced]})
        return
    say(call.text)
    _say_replaced(call)
    say(f"Written: {out}. Send it as you like." if out else "Written nowhere. --out FILE keeps it.")


def _say_replaced(call: Call) -> None:
    if not call.replaced:
        say("Nothing private was found in it. Look through it all the same.")
        return
    say("Replaced, and seen by nobody but you:")
    for one in call.replaced:
        say(f"  {one.by} stands for {one.what[:80]} ({one.times} times)")
