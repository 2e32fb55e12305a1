"""`convoy source make`: a folder of archives becomes a source that any web server hands out."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from convoy_core.words.wording import counted

from ..sourcing.make import make_source
from .options import FILES, JsonOption
from .screen import Bar, print_json, say

source_app = typer.Typer(help="Sources: catalogues of mods as plain files.", no_args_is_help=True)
commands = typer.Typer()
commands.add_typer(source_app, name="source", rich_help_panel=FILES)

SHOWN = 40
"""Troubles that are told on the screen; --json tells all."""


@source_app.callback()
def _group() -> None:
    """One command so far, and still a group: `convoy source make`."""


@source_app.command()
def make(
    folder: Annotated[Path, typer.Argument(help="Archives, source.toml, and what else is to be said of them.")],
    out: Annotated[Path, typer.Option("--out", help="Where the source is laid down, to be handed out as it is.")],
    key: Annotated[Path | None, typer.Option("--key", help="The key that signs; made when it is not there.")] = None,
    new_key: Annotated[bool, typer.Option("--new-key", help="Sign with another key than before.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Read what is new in a folder of archives, and bring the source up to date. Exit code 1 where something could not
    be listed; the rest is."""
    with Bar(quiet=as_json) as bar:
        bar.phase("reading archives", 0)
        made = make_source(folder, out, key, new_key, lambda done, of: bar.move(done, f"{done} of {of}"))
    if as_json:
        troubles = [{"file": one.file, "line": one.line, "sentence": one.sentence} for one in made.troubles]
        told = {name: getattr(made, name) for name in ("mods", "builds", "fresh", "kept", "key", "changed")}
        print_json({**told, "troubles": troubles})
        raise typer.Exit(1 if made.troubles else 0)
    for one in made.troubles[:SHOWN]:
        say(one.sentence_with_place())
    if len(made.troubles) > SHOWN:
        say(f"and {len(made.troubles) - SHOWN} more; --json tells all")
    say(f"{counted(made.mods, 'mod')}, {counted(made.builds, 'build')}; {counted(made.fresh, 'archive')} read.")
    if made.kept:
        say(f"{counted(made.kept, 'earlier build')} stay listed, though not in the folder any more.")
    say("The source is up to date." if made.changed else "Nothing has changed.")
    say(f"Its key is {made.key}: tell it to whoever adds the source to a site.")
    raise typer.Exit(1 if made.troubles else 0)
