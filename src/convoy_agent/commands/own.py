"""The command that looks after the agent itself."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ..folder.folder import Folder
from ..updating import KEPT, back, this_agent, update
from .options import KEEP, FolderOption, JsonOption
from .screen import print_json, say
from .the_store import keep_store

commands = typer.Typer()


@commands.command("update", rich_help_panel=KEEP)
def update_agent(
    folder: FolderOption = Path(),
    earlier: Annotated[bool, typer.Option("--back", help="Go back to the agent before; asks no site.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Take the newer agent that the folder's site offers, signed by the keys that this folder trusts."""
    kept = keep_store().root / KEPT
    if earlier:
        done = back(kept, this_agent())
    else:
        here = Folder(folder)
        pairing = here.pairing()
        done = update(pairing, here.releases.trust.now(pairing).charter, kept, this_agent())
    if as_json:
        print_json({"before": done.before, "now": done.now})
        return
    say(f"The agent is {done.now} now; it was {done.before}. “convoy update --back” goes back.")
