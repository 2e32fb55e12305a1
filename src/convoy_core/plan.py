"""The plan of a sync: what happens to every file, from what is recorded, what lies there, and what the lock wants.

Pure: it looks at paths and hashes only. Applying it is the agent's part. Source: rules.md, "Sync".
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum

from .lock import Lock, LockedBuild, PlacedFile
from .model import AUTOMATIC_PICKUPS


class Act(StrEnum):
    PLACE = "place"
    """Nothing lies there yet."""
    REPLACE = "replace"
    """An earlier file of the pack lies there, untouched: the new one takes its place."""
    ASIDE = "aside"
    """The member's file, or one that was altered: it is moved aside, never deleted."""
    REMOVE = "remove"
    """A file of the pack, untouched, that the pack no longer has."""


@dataclass(frozen=True, slots=True)
class Move:
    """One act on one path. `file` is what is to lie there afterwards (PLACE, REPLACE)."""

    act: Act
    path: str
    file: PlacedFile | None = None


@dataclass(frozen=True, slots=True)
class Choices:
    """What the member decided for this sync."""

    extras_aside: bool = False
    """Move files aside that lie in the pack's folders and are not the pack's."""


@dataclass(frozen=True, slots=True)
class Plan:
    """Moves in the order of carrying out: all ASIDE, then REMOVE, then REPLACE and PLACE, each sorted by path."""

    moves: tuple[Move, ...]
    left_alone: int
    """Files of the pack that already lie there as they should."""
    extras: tuple[str, ...]
    """Paths in the pack's folders that are not the pack's, and stay."""
    fetch: tuple[LockedBuild, ...]
    """Builds whose archive is not in the store and has to be fetched by the agent."""
    errands: tuple[LockedBuild, ...]
    """Builds whose archive is not in the store and has to be brought by the member."""

    @property
    def fetch_bytes(self) -> int:
        return sum(build.archive.size for build in self.fetch)

    @property
    def place_bytes(self) -> int:
        return sum(move.file.size for move in self.moves if move.file)

    def count(self, act: Act) -> int:
        return sum(move.act is act for move in self.moves)


def make_plan(
    record: Mapping[str, str],
    scan: Mapping[str, str],
    target: Lock,
    stored: Collection[str] = (),
    choices: Choices = Choices(),
) -> Plan:
    """What has to happen so that the folder holds `target` and whatever is the member's.

    `record`: path to sha256 as the agent placed them last; `scan`: path to sha256 of every file that lies there now;
    `stored`: sha256 of archives that need no fetching; `target`: this machine's share of the release's lock.
    """
    aside: set[str] = set(_in_the_way(scan, target))
    moves: list[Move] = []
    left_alone = 0
    for file in target.files:
        found = scan.get(file.path)
        if found == file.sha256:
            left_alone += 1
        elif found is None:
            moves.append(Move(Act.PLACE, file.path, file))
        elif found == record.get(file.path):
            moves.append(Move(Act.REPLACE, file.path, file))
        else:
            aside.add(file.path)
            moves.append(Move(Act.PLACE, file.path, file))
    for path in record.keys() - target.by_path.keys():
        found = scan.get(path)
        if found is None or path in aside:
            continue
        if found == record[path]:
            moves.append(Move(Act.REMOVE, path))
        else:
            aside.add(path)
    extras = _extras(scan, record, target) - aside
    if choices.extras_aside:
        aside |= extras
        extras = set()
    moves += (Move(Act.ASIDE, path) for path in aside)
    moves.sort(key=lambda move: (_ACT_ORDER[move.act], move.path))
    missing = _archives_wanted(moves, target, stored)
    return Plan(
        tuple(moves),
        left_alone,
        tuple(sorted(extras)),
        tuple(build for build in missing if build.pickup in AUTOMATIC_PICKUPS),
        tuple(build for build in missing if build.pickup not in AUTOMATIC_PICKUPS),
    )


_ACT_ORDER = {Act.ASIDE: 0, Act.REMOVE: 1, Act.REPLACE: 2, Act.PLACE: 2}


def _in_the_way(scan: Mapping[str, str], target: Lock) -> set[str]:
    """Files that lie where the lock wants a folder, or in a folder where it wants a file."""
    folders = {folder for path in target.by_path for folder in _folders(path)}
    return {path for path in scan if path in folders or any(folder in target.by_path for folder in _folders(path))}


def _extras(scan: Mapping[str, str], record: Mapping[str, str], target: Lock) -> set[str]:
    tops = tuple(f"{top}/" for top in target.managed)
    return {path for path in scan if path.startswith(tops) and path not in target.by_path and path not in record}


def _folders(path: str) -> list[str]:
    parts = path.split("/")
    return ["/".join(parts[:depth]) for depth in range(1, len(parts))]


def _archives_wanted(moves: list[Move], target: Lock, stored: Collection[str]) -> list[LockedBuild]:
    mods = {move.file.mod for move in moves if move.file}
    return [build for build in target.builds if build.mod in mods and build.archive.sha256 not in stored]
