"""`convoy help-me`: one text that somebody who helps can read, with everything private replaced."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from .. import call_for_help as calling
from ..folder.folder import Folder
from ..storage.files import write_at_once
from .options import PLAY, FolderOption, JsonOption
from .screen import asking, print_json, say
from .the_store import keep_store

commands = typer.Typer()


@commands.command("help-me", rich_help_panel=PLAY)
def help_me(
    words: Annotated[str, typer.Argument(help="What happened, in your words.")] = "",
    out: Annotated[Path | None, typer.Option("--out", help="Write it here, too.")] = None,
    send: Annotated[bool, typer.Option("--send", help="Send it to the crew's curators, without being asked.")] = False,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Gather what somebody needs who helps: standing, machine, last start, settings. It is shown before it is sent."""
    call = calling.call_for_help(folder, keep_store(), words)
    if out:
        write_at_once(out, call.text.encode(), among_others=True)
    if as_json:
        page = calling.send(folder, call, seen=True) if send else ""
        print_json({"text": call.text, "replaced": [asdict(one) for one in call.replaced], "page": page})
        return
    say(call.text)
    _say_replaced(call)
    if out:
        say(f"Written: {out}.")
    follows_site = bool(Folder(folder).pairing().site)
    if send or (follows_site and asking(quiet=False)("Send this to the curators of your crew?")):
        say(f"Sent. What they answer stands here: {calling.send(folder, call, seen=True)}")
    else:
        say("Sent to nobody." if out else "Sent to nobody, and written nowhere. --out FILE keeps it.")


def _say_replaced(call: calling.Call) -> None:
    if not call.replaced:
        say("Nothing private was found in it. Look through it all the same.")
        return
    say("Replaced, and seen by nobody but you:")
    for one in call.replaced:
        say(f"  {one.by} stands for {one.what[:80]} ({one.times} times)")
