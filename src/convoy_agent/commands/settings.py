"""`convoy settings`: reads, changes and merges settings files, keeping comments, order and line ends."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.settings.formats import Key, Value, open_settings, typed
from convoy_core.settings.merge import KeyMerge, merge
from convoy_core.words.errors import MalformedInput
from convoy_core.words.wording import counted

from ..storage.files import write_at_once
from .options import FILES

settings = typer.Typer(help="Read, change and merge settings files.", no_args_is_help=True)
commands = typer.Typer()
commands.add_typer(settings, name="settings", rich_help_panel=FILES)

KeyArgument = Annotated[str, typer.Argument(help="Where the value stands: parts joined by a slash, as bow/strength.")]


@settings.command("get")
def get(file: Path, key: Annotated[str, typer.Argument(help="One key; all of them when it is left out.")] = "") -> None:
    """Print a value, or every value, as JSON."""
    values = open_settings(file.name, file.read_bytes()).values
    if not key:
        print(
            json.dumps(
                {"/".join(one): value for one, value in values.items()}, ensure_ascii=False, default=str, indent=1
            )
        )
        return
    if _key(key) not in values:
        raise MalformedInput(f"{file.name} has no {key}.", now="Name one of those that “convoy settings get” lists.")
    print(json.dumps(values[_key(key)], ensure_ascii=False, default=str))


@settings.command("set")
def set_(file: Path, key: KeyArgument, value: Annotated[str, typer.Argument(help="JSON, or plain text.")]) -> None:
    """Change or add one value; everything else stays as it is."""
    document = open_settings(file.name, file.read_bytes())
    text, lost = document.changed_at_cost({_key(key): typed(file.name, value)})
    if lost:
        typer.echo(f"{counted(lost, 'comment')} within what is replaced will be gone.", err=True)
    write_at_once(file, text, among_others=True)


@settings.command("merge")
def merge_(
    before: Annotated[Path, typer.Argument(help="The file as the last release had it.")],
    mine: Annotated[Path, typer.Argument(help="The file as it is now. It is changed.")],
    new: Annotated[Path, typer.Argument(help="The file as the new release has it.")],
    enforce: Annotated[list[str] | None, typer.Option("--enforce", help="A key whose new value wins.")] = None,
) -> None:
    """Bring a release's changes into one's own file. What differs is told as JSON."""
    enforced = frozenset(_key(one) for one in enforce or ())
    done = merge(mine.name, before.read_bytes(), mine.read_bytes(), new.read_bytes(), enforced)
    write_at_once(mine, done.data, among_others=True)
    told = {
        "changed": ["/".join(key) for key in done.changed],
        "kept": [_told(one) for one in done.kept],
        "overruled": [_told(one) for one in done.overruled],
    }
    print(json.dumps(told, ensure_ascii=False, default=str, indent=1))


def _key(text: str) -> Key:
    return tuple(text.split("/"))


def _told(one: KeyMerge) -> dict[str, Value]:
    return {"key": "/".join(one.key), "mine": one.mine, "new": one.new}
