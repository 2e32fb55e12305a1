"""Saved worlds as files: a ZIP with the world below `world/` and its papers beside it; and worlds in any other ZIP."""

from __future__ import annotations

import json
import shutil
import zipfile
from collections.abc import Collection, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from convoy_core.lock.canonical import canonical_json
from convoy_core.lock.papers import Papers, read_papers
from convoy_core.outside.fields import Fields
from convoy_core.outside.paths import checked_path, is_litter, refuse_twins
from convoy_core.words.errors import ConvoyError, MalformedInput

from .bags import member
from .zips import CHUNK, Entry, Zip, opened

FORMAT = "convoy-world/1"
PAPERS, TOP = "convoy-world.json", "world/"
MOST_PAPERS = 2**20


class NoWorld(ConvoyError):
    """A file or folder in which no saved world is found, or in which it is not plain which one is meant."""

    code = "no-world"


@dataclass(frozen=True)
class WorldInside:
    """A world in an open archive. `papers`: None where the file does not say what it was played with."""

    name: str
    papers: Papers | None
    files: dict[str, int]
    """Path in the world to size in bytes."""
    _packed: Zip
    _entries: dict[str, Entry]

    def blocks(self, path: str) -> Iterator[bytes]:
        return self._packed.blocks(self._entries[path])


def write_world(name: str, papers: Papers, files: Iterable[tuple[str, Path]], into: IO[bytes]) -> None:
    """`files`: path in the world, and where it lies. OSError."""
    told = {"format": FORMAT, "name": name, "played": [one.as_data() for one in papers]}
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as packed:
        content = canonical_json(told)
        packed.writestr(member(PAPERS, len(content)), content)
        for path, place in files:
            info = member(TOP + path, place.stat().st_size)
            info.compress_type = zipfile.ZIP_DEFLATED
            with place.open("rb") as file, packed.open(info, "w") as out:
                shutil.copyfileobj(file, out, CHUNK)


@contextmanager
def opened_world(place: Path, folders: Iterable[str], wanted: str = "") -> Iterator[WorldInside]:
    """The one world that a ZIP holds: its own kind, a whole game's or installation's folder (`folders`: where worlds
    lie in it; `wanted`: which one), or the world's folder itself. Raises NoWorld, ArchiveWrong, HostileArchive,
    MalformedInput; OSError.
    """
    with opened(place) as packed:
        if odd := next((one for one in packed.entries if one.is_link or one.is_odd or one.is_encrypted), None):
            raise NoWorld(f"“{odd.name[:80]}” in it is no plain file.", "A world is copied whole or not at all.")
        there = {one.name: one for one in packed.entries if not one.is_folder and not is_litter(one.name)}
        name, papers = place.stem, None
        if PAPERS in there:
            name, papers = _told(packed, there[PAPERS])
            found = {path.removeprefix(TOP): one for path, one in there.items() if path.startswith(TOP)}
        else:
            name, found = _found(there, list(folders), wanted, name)
        if not found:
            raise NoWorld(f"No saved world is in {place.name}.", now="Name the file that holds one.")
        checked = {checked_path(path): one for path, one in found.items()}
        refuse_twins(checked)
        yield WorldInside(name, papers, {path: one.size for path, one in checked.items()}, packed, checked)


def _told(packed: Zip, entry: Entry) -> tuple[str, Papers]:
    if entry.size > MOST_PAPERS:
        raise NoWorld("Its papers are larger than any world's.")
    try:
        told: Any = json.loads(b"".join(packed.blocks(entry)))
    except (ValueError, RecursionError) as error:
        raise MalformedInput("The world's papers are no JSON.", str(error)) from error
    top = Fields(told)
    if top.text("format") != FORMAT:
        raise MalformedInput(f"The world's papers have the format “{top.text('format')[:40]}”.", f"Read is {FORMAT}.")
    return top.text("name", longest=200), read_papers(top.plain("played"))


def _found(there: dict[str, Entry], folders: list[str], wanted: str, name: str) -> tuple[str, dict[str, Entry]]:
    """A world among the files of a game's folder, which may lie in one more; else all of it is the world."""
    tops = {path.partition("/")[0] for path in there}
    above = f"{next(iter(tops))}/" if len(tops) == 1 and all("/" in path for path in there) else ""
    worlds: dict[str, dict[str, Entry]] = {}
    for start in dict.fromkeys(("", above)):
        for folder in folders:
            for path, one in there.items():
                if path.startswith(f"{start}{folder}/"):
                    world, _, below = path.removeprefix(f"{start}{folder}/").partition("/")
                    if below:
                        worlds.setdefault(world, {})[below] = one
    if not worlds:
        return above.rstrip("/") or name, {path.removeprefix(above): one for path, one in there.items()}
    chosen = world_meant(worlds, wanted)
    return chosen, worlds[chosen]


def world_meant(worlds: Collection[str], wanted: str) -> str:
    """Which of some worlds is meant, by its name, or by `FOLDER/NAME` where they are called so. Raises NoWorld."""
    meant = [one for one in worlds if not wanted or wanted in (one, one.rpartition("/")[2])]
    if len(meant) != 1:
        names = ", ".join(sorted(one.rpartition("/")[2] for one in worlds)[:8])
        what = (
            f"There is no world “{wanted[:80]}” there." if wanted and not meant else "There are several worlds there."
        )
        raise NoWorld(what, f"There are: {names}.", "Say which one with --world.")
    return meant[0]
