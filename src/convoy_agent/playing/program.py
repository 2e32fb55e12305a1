"""Which program is run: what the member said, once, and nobody else.

A profile's hints are names by which one is looked for; what is found is shown and confirmed, with the arguments that it
is given. It is asked again when the file is another, lies elsewhere, or is called otherwise. What a pack laid down is
never run: else a pack could bring a program under the game's name. Kept in .convoy/program.json; lost, it is asked.
"""

from __future__ import annotations

import os
import sys
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from convoy_core.words.profile import StartHints

from ..errors import NoProgram
from ..folder.allowed import Ask
from ..folder.folder import Folder
from ..storage import sealed
from ..storage.files import sha256_of

SYSTEMS = {"linux": "linux", "darwin": "macos", "win32": "windows"}

HOW = "Say which with --program."


@dataclass(frozen=True)
class Program:
    """What was confirmed. `called`: the arguments as the profile has them, places unfilled."""

    place: str
    sha256: str
    called: tuple[str, ...]


def confirmed(folder: Folder, hints: StartHints, said: Path | None, ask: Ask) -> Path:
    """The program that may be run. `said`: by the member, now; `ask` is put the question where it was not confirmed
    as it is. Raises NoProgram.
    """
    kept = kept_program(folder)
    place = said or (Path(kept.place) if kept else None) or _looked_for(folder, hints)
    if place is None:
        raise NoProgram(
            "Nothing here says which program the game is.",
            "Neither a site nor a pack may: you do, once.",
            HOW,
        )
    found = _checked(folder, place)
    called = (*hints.arguments, *hints.memory, *hints.window, *hints.server, *hints.plain)
    now = Program(str(found), sha256_of(found), called)
    if now != kept:
        why = "" if kept is None else " It is not as it was when you said so last."
        told = " ".join((found.name, *called))
        if not ask(f"Start {found} to play this pack, as “{told}”?{why}"):
            raise NoProgram(
                f"{found} was not confirmed.", "It is started only after you have said so.", "Run convoy play there."
            )
        sealed.write(folder.own / "program.json", [now.place, now.sha256, list(now.called)])
    return found


def kept_program(folder: Folder) -> Program | None:
    with suppress(OSError, sealed.Damaged):
        return sealed.read(
            folder.own / "program.json", lambda told: Program(str(told[0]), str(told[1]), tuple(told[2]))
        )
    return None


def _looked_for(folder: Folder, hints: StartHints) -> Path | None:
    """By the profile's name for this system, in the folder itself: where a game was copied in."""
    name = hints.files.get(SYSTEMS.get(sys.platform, ""), "")
    place = folder.root / name if name else None
    return place if place is not None and place.is_file() and not _is_packs(folder, place) else None


def _checked(folder: Folder, place: Path) -> Path:
    with suppress(OSError):
        place = place.resolve(strict=True)
        if _is_packs(folder, place):
            raise NoProgram(
                f"{place} came with the pack.",
                "What a pack lays down is never started.",
                "Say with --program where your own game is.",
            )
        if place.is_file() and os.access(place, os.X_OK):
            return place
    raise NoProgram(f"{place} is no program.", "It is not there, or may not be run.", HOW)


def _is_packs(folder: Folder, place: Path) -> bool:
    """Whether the pack laid it down, or could: everything that it ever placed is in the record."""
    root = folder.root.resolve()
    if not place.resolve().is_relative_to(root):
        return False
    path = place.resolve().relative_to(root).as_posix()
    return path.split("/")[0] == folder.own.name or path.casefold() in map(str.casefold, folder.record().files)
