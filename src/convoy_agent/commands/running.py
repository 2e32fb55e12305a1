"""Runs a command line: a refusal becomes one plain sentence, or JSON for scripts; Ctrl-C says how things stand."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import Any

import typer

from convoy_core.outside.paths import AGENT_FOLDER
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import printable

from ..storage.files import trouble
from .exits import STOPPED, exit_of


def run(commands: typer.Typer) -> None:
    """Ends the process with one of `exits.EXITS`."""
    for stream in (sys.stdout, sys.stderr):
        # A console that knows fewer signs than names hold shows `?` for them, and goes on.
        stream.reconfigure(errors="replace")  # type: ignore[union-attr]
    try:
        commands(prog_name="convoy")
    except ConvoyError as error:
        _refuse(error)
    except OSError as error:
        _refuse(trouble(error, Path.cwd()))
    except KeyboardInterrupt:
        _stopped()
    except SystemExit as ended:
        if ended.code == STOPPED:  # what the command line's package makes of Ctrl-C
            _stopped()
        raise


def _refuse(error: ConvoyError) -> None:
    code = exit_of(error)
    if "--json" in sys.argv:
        told: dict[str, Any] = {"code": error.code, "what": error.what, "why": error.why, "now": error.now}
        print(json.dumps({"error": {**told, "data": error.data}, "exit": code}, default=str, indent=1))
    print(printable(error.sentence()), file=sys.stderr)
    sys.exit(code)


def _stopped() -> None:
    """Leaves at once: threads that still hang at a source end with the process, and so do locks."""
    print(printable(how_things_stand(_folder_meant(sys.argv))), file=sys.stderr)
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(STOPPED)


def _folder_meant(words: list[str]) -> Path:
    for at, word in enumerate(words):
        if word == "--folder" and at + 1 < len(words):
            return Path(words[at + 1])
        if word.startswith("--folder="):
            return Path(word.removeprefix("--folder="))
    return Path()


def how_things_stand(folder: Path) -> str:
    """What a stop left behind, by what lies in the agent's own folder."""
    own = folder / AGENT_FOLDER
    if (own / "journal.json").exists():
        return "Stopped in the middle of a change. The next command in this folder completes it; nothing stays mixed."
    if (own / "restore.json").exists():
        return "Stopped while a backup was being restored. The next command in this folder completes it."
    if own.exists():
        return "Stopped. Nothing in the folder was changed. What was fetched is kept; the same command goes on from it."
    return "Stopped. The same command goes on from here."
