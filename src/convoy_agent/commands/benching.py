"""`convoy bench`: a keeper's own machine that tries what a site asks for."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ..benching import Bench
from .options import KEEP
from .screen import say
from .the_store import keep_store

commands = typer.Typer()


@commands.command("bench", rich_help_panel=KEEP)
def bench(
    site: Annotated[str, typer.Argument(help="The site's address.")],
    games: Annotated[Path, typer.Option("--games", help="The file that says which games may be started here.")],
    token: Annotated[str, typer.Option("--token", envvar="CONVOY_BENCH_TOKEN", help="As the site showed it once.")],
    once: Annotated[bool, typer.Option("--once", help="Try what is waiting, then end.")] = False,
) -> None:
    """Take trials from a site: start each in the sandbox, and tell how it went. For keepers of a site."""
    try:
        Bench(site, token, games, keep_store(), say).run(once)
    except KeyboardInterrupt:
        say("No trial is taken any more.")
