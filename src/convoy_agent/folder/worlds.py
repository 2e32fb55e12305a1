"""What the saved worlds of an installation were played with: `.convoy/worlds.json`, kept beside them.

Whoever plays writes into a world. So a world whose files are others than at the last look was played with the release
that lay there since; what a sync itself places in it does not count. Nothing else says it, so the file has a twin.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.lock.papers import Papers, Played, read_papers, with_play
from convoy_core.lock.terms import Terms
from convoy_core.outside.paths import AGENT_FOLDER
from convoy_core.words.errors import ConvoyError, MalformedInput

from ..storage import disk, sealed
from ..storage.disk import is_link
from .folder import Folder

Stamp = tuple[int, int, int]
"""Files, bytes, and when one was changed last, in nanoseconds."""

MOST_KEPT = 32 * 2**20
"""Bytes of papers that are read of somebody else's folder."""

MOST_WORLDS = 500
"""Worlds of which papers are kept, those that are gone among them: they may come back from a backup."""


@dataclass(frozen=True)
class WorldKept:
    stamp: Stamp
    papers: Papers = ()


class WorldsKept:
    """The caller holds the folder."""

    def __init__(self, folder: Folder) -> None:
        self._folder = folder
        self._place = folder.own / "worlds.json"

    def all(self) -> dict[str, WorldKept]:
        """By world, as `FOLDER/NAME`. Where they are lost, nobody knows any more what was played with what."""
        try:
            return sealed.read(self._place, _read, twin=True)
        except FileNotFoundError:
            return {}
        except sealed.Damaged:
            self._folder.put_away(self._place, "What the worlds here were played with is damaged or lost.")
            return {}

    def see(self, terms: Terms, now: Played | None, places: Collection[str]) -> dict[str, WorldKept]:
        """Looks at the worlds that lie here, and writes down what was played since: with `now`, where something was
        installed. `places`: files in them that syncs placed.
        """
        kept = self.all()
        found = dict(kept)
        for world in self._folder.worlds_there(terms):
            stamp = stamp_of(self._folder.root, world, places)
            before = kept.get(world, WorldKept((0, 0, 0)))
            if stamp == before.stamp:
                continue
            papers = with_play(before.papers, now) if now is not None else before.papers
            found[world] = WorldKept(stamp, papers)
        if found != kept:
            self._write(found, terms)
        return found

    def give(self, world: str, papers: Papers, terms: Terms, places: Collection[str] = ()) -> None:
        """Papers of a world that came here as it lies."""
        stamp = stamp_of(self._folder.root, world, places)
        self._write({**self.all(), world: WorldKept(stamp, papers)}, terms)

    def rename(self, old: str, new: str, terms: Terms) -> None:
        kept = self.all()
        self._write({new if world == old else world: one for world, one in kept.items() if world != new}, terms)

    def _write(self, found: Mapping[str, WorldKept], terms: Terms) -> None:
        there = set(self._folder.worlds_there(terms))
        # Of those that are gone the ones that were named last stay.
        gone = [world for world in found if world not in there]
        drop = set(gone[: max(0, len(found) - MOST_WORLDS)])
        told = {
            world: {"stamp": list(one.stamp), "played": [each.as_data() for each in one.papers]}
            for world, one in found.items()
            if world not in drop
        }
        sealed.write(self._place, told, twin=True)


def worlds_kept_at(root: Path) -> dict[str, WorldKept]:
    """Of another installation, which may be anybody's: nothing is changed there, and nothing mended."""
    place = root / AGENT_FOLDER / "worlds.json"
    with suppress(OSError, sealed.Damaged, ConvoyError):
        if not is_link(place) and place.stat().st_size <= MOST_KEPT:
            return sealed.read(place, _read)
    return {}


def _read(told: Any) -> dict[str, WorldKept]:
    try:
        return {
            str(world): WorldKept(_as_stamp(one["stamp"]), read_papers(one["played"])) for world, one in told.items()
        }
    except MalformedInput as error:
        raise ValueError(str(error)) from error


def _as_stamp(told: Any) -> Stamp:
    files, size, changed = map(int, told)
    return files, size, changed


def stamp_of(root: Path, world: str, places: Collection[str]) -> Stamp:
    files = size = changed = 0
    for path, entry in files_of(root / world):
        if f"{world}/{path}" in places:
            continue
        try:
            stat = entry.stat(follow_symlinks=False)
        except FileNotFoundError:
            continue
        files, size, changed = files + 1, size + stat.st_size, max(changed, stat.st_mtime_ns)
    return files, size, changed


def files_of(world: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Everything below a world's folder that is no folder, by its path in it; links are not followed."""
    pending = [("", str(world))]
    while pending:
        prefix, place = pending.pop()
        for entry in disk.entries_of(place):
            if disk.entry_is_folder(entry):
                pending.append((f"{prefix}{entry.name}/", entry.path))
            else:
                yield prefix + entry.name, entry


def renamed(paths: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
    """What is kept by path, with those in one world as they are called in another."""
    return {new + path.removeprefix(old) if path.startswith(f"{old}/") else path: one for path, one in paths.items()}
