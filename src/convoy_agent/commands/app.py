"""The command `convoy`: every command, by what members do, and what it says when no command is named."""

from __future__ import annotations

from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Annotated

import typer

from .. import backing_up, here
from ..errors import NotPaired
from .archive_store import keep as keep_store
from .archive_store import store_app
from .ending import ending
from .everyday import playing
from .exits import as_help
from .going_back import going_back
from .options import KEEP
from .plain_files import plain
from .running import run
from .screen import say

app = typer.Typer(
    help="Keeps an installation in step with its pack. Without a command: says how this folder stands.",
    epilog=as_help(),
    invoke_without_command=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
for part in (playing, going_back, ending, plain):
    app.registered_commands += part.registered_commands
    app.registered_groups += part.registered_groups
app.add_typer(store_app, name="store", rich_help_panel=KEEP)


def _version(wanted: bool) -> None:
    if wanted:
        try:
            say(f"convoy {version('true-convoy')}")
        except PackageNotFoundError:
            say("convoy, run from its sources")
        raise typer.Exit


@app.callback()
def options(
    context: typer.Context,
    store: Annotated[
        Path | None, typer.Option("--store", help="Where archives are kept, for all installations.")
    ] = None,
    version: Annotated[
        bool, typer.Option("--version", help="Say which agent this is.", callback=_version, is_eager=True)
    ] = False,
) -> None:
    if store:
        keep_store(store)
    if context.invoked_subcommand is None:
        _here(Path())


def _here(folder: Path) -> None:
    """How the folder stands by what is known in it, and the one next thing; no site is asked."""
    try:
        stands = here.here(folder, keep_store())
    except NotPaired as error:
        say(error.what)
        if backing_up.has_kept_backups(folder):
            say("It was left earlier. What was kept is still there: convoy backups")
        say("To make a folder follow a pack, copy the command from the installation's page: convoy join …")
        say("“convoy --help” lists every command.")
        return
    say(f"{stands.pack}: release {stands.here.release or 'none yet'}, as {stands.side}. Looked at without the site.")
    for remark in stands.remarks:
        say(remark)
    say(stands.next.sentence())
    say("“convoy status” asks the site; “convoy --help” lists every command.")


def main() -> None:
    """The whole command line."""
    run(app)
