"""The command `convoy`: every command, by what members do, and what it says when no command is named."""

from __future__ import annotations

import gc
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated

import typer

from .exits import as_help
from .groups import GROUPS, holding, load
from .running import run
from .screen import say


def _version(wanted: bool) -> None:
    if wanted:
        from importlib.metadata import PackageNotFoundError, version

        try:
            say(f"convoy {version('true-convoy')}")
        except PackageNotFoundError:
            say("convoy, run from its sources")
        raise typer.Exit


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
        from .the_store import keep_store

        keep_store(store)
    if context.invoked_subcommand is None:
        _here(Path())


def _here(folder: Path) -> None:
    """How the folder stands by what is known in it, and the one next thing; no site is asked."""
    from .. import backing_up, here
    from ..errors import NotPaired
    from .the_store import keep_store

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


def app(modules: Iterable[str]) -> typer.Typer:
    """The command line, with the commands of some modules."""
    made = typer.Typer(
        help="Keeps an installation in step with its pack. Without a command: says how this folder stands.",
        epilog=as_help(),
        invoke_without_command=True,
        add_completion=False,
        pretty_exceptions_enable=False,
    )
    made.callback()(options)
    for module in modules:
        part = load(module)
        made.registered_commands += part.registered_commands
        made.registered_groups += part.registered_groups
    return made


def main() -> None:
    """The whole command line, of which no more is loaded than this run needs."""
    # Nothing that is loaded is garbage: looking for some only takes time.
    gc.disable()
    asked = holding(_command(sys.argv[1:]))
    built = app([asked] if asked else GROUPS)
    gc.enable()
    run(built)


def _command(words: list[str]) -> str:
    """The first word that is no option, nor an option's value."""
    takes_value = False
    for word in words:
        if takes_value:
            takes_value = False
        elif word == "--store":
            takes_value = True
        elif not word.startswith("-"):
            return word
    return ""
