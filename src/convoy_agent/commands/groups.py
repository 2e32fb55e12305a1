"""Which module holds which command, so that a run loads the one that it was asked for, and nothing else.

Loading all of them takes longer than most of what they do. A test holds this table against the commands themselves.
"""

from __future__ import annotations

from importlib import import_module

import typer

GROUPS: dict[str, tuple[str, ...]] = {
    "everyday": ("join", "sync", "watch", "allow", "errands", "bring", "steps", "machine"),
    "playing": ("play", "runs"),
    "helping": ("help-me",),
    "beside": ("add", "drop"),
    "looking": ("status", "verify"),
    "going_back": ("undo", "put-back", "backup", "backups", "restore", "history"),
    "world": ("world",),
    "ending": ("mend", "leave"),
    "own": ("update",),
    "archive_store": ("store",),
    "resolving": ("resolve", "why", "why-not"),
    "narrowing": ("narrow", "narrow-here"),
    "logs": ("log",),
    "benching": ("bench",),
    "conflicting": ("conflicts",),
    "plain_files": ("inspect", "scan"),
    "settings": ("settings",),
    "game": ("game",),
    "source": ("source",),
    "keys": ("key",),
    "files": ("pack", "open", "choose"),
}
"""Module of this package to the names of its commands. Each module calls what it holds `commands`."""


def load(module: str) -> typer.Typer:
    found = import_module(f".{module}", __package__).commands
    assert isinstance(found, typer.Typer)
    return found


def holding(command: str) -> str:
    """The module that holds a command; empty for none."""
    return next((module for module, names in GROUPS.items() if command in names), "")
