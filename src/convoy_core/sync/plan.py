"""The plan of a sync: what happens to every file, from what is recorded, what lies there, and what the lock wants.

Pure: it looks at paths and hashes only. Applying it is the agent's part. Settings files are merged rather than
replaced, and every other file is the pack's as a whole or the member's as a whole. Source: docs/rules.md, "Sync".
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from ..lock.lock import Lock, LockedBuild, PlacedFile
from ..lock.rendering import rendering
from ..lock.worlds import WorldChange, world_changes
from ..outside.catcher import catcher
from ..outside.paths import is_litter

NOT_PLAIN = "no plain file"
"""Stands for the hash of a link, pipe or device, or of a file that cannot be read: nobody's pack file."""

NOT_READ = "not read"
"""Stands for the hash of a file of which the plan needs to know only that it is there: the game's, or a world."""

BESIDE = ".from-pack"
"""Ends the name of a release's settings file that lies beside one that could not be merged."""


class Act(StrEnum):
    PLACE = "place"
    """Nothing lies there yet."""
    REPLACE = "replace"
    """An earlier file of the pack lies there, untouched: the new one takes its place."""
    MERGE = "merge"
    """A settings file that the member changed, and the release too: key by key."""
    ADJUST = "adjust"
    """A settings file that the game wrote, or a mod: the pack's keys are set in it, and nothing else."""
    ASIDE = "aside"
    """The member's file, or one that was altered: it is moved aside, never deleted."""
    REMOVE = "remove"
    """A file of the pack, untouched, that the pack no longer has."""


@dataclass(frozen=True, slots=True)
class Move:
    """One act on one path. `file` is what is to lie there afterwards (PLACE, REPLACE), or goes into it (MERGE); what
    is adjusted has none.
    """

    act: Act
    path: str
    file: PlacedFile | None = None


@dataclass(frozen=True, slots=True)
class SyncChoices:
    """What the member decided for this sync."""

    extras_aside: bool = False
    """Move files aside that lie in the pack's folders and are not the pack's."""
    only: frozenset[str] | None = None
    """Mend these paths and leave every other as it is. None: everything."""


@dataclass(frozen=True, slots=True)
class Recorded:
    """What the agent placed last: path to sha256, the renderings of settings files, and the lock it came from.
    `adjusted`: what was set in settings files that no build carried, by path, as `rendering` names it.
    """

    hashes: Mapping[str, str] = field(default_factory=dict)
    renderings: Mapping[str, str] = field(default_factory=dict)
    lock: Lock | None = None
    adjusted: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Scan:
    """What lies there: path to sha256 of every file (or NOT_PLAIN, NOT_READ), and the settings files that break an
    enforced tweak.
    """

    hashes: Mapping[str, str]
    strayed: Collection[str] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """Moves in the order of carrying out: all ASIDE, then REMOVE, then the others, each sorted by path."""

    moves: tuple[Move, ...]
    left_alone: int
    """Files of the pack that already lie there as they should."""
    mine: tuple[str, ...]
    """Settings files of the pack that the member changed, and that stay as they are."""
    extras: tuple[str, ...]
    """Paths in the pack's folders that are not the pack's, and stay."""
    fetch: tuple[LockedBuild, ...]
    """Builds whose archive is not in the store and has to be fetched by the agent."""
    errands: tuple[LockedBuild, ...]
    """Builds whose archive is not in the store and has to be brought by the member."""
    worlds: tuple[WorldChange, ...] = ()
    """What touches saved worlds; they are backed up first."""
    adopted: tuple[str, ...] = ()
    """Paths of the pack where the right file lay already, put there by no sync: it is the member's."""
    rewritten: Mapping[str, int] = field(default_factory=dict)
    """Settings files that lose comments, with how many: those stand within a value that is written anew. Found out by
    who reads the files, as far as they are there.
    """

    @property
    def fetch_bytes(self) -> int:
        return sum(build.archive.size for build in self.fetch)

    @property
    def place_bytes(self) -> int:
        return sum(move.file.size for move in self.moves if move.file)

    def count(self, act: Act) -> int:
        return sum(move.act is act for move in self.moves)

    def paths(self, act: Act) -> tuple[str, ...]:
        return tuple(move.path for move in self.moves if move.act is act)


def make_plan(
    record: Recorded,
    scan: Scan,
    target: Lock,
    stored: Collection[str] = (),
    choices: SyncChoices = SyncChoices(),
    pinned: Collection[str] = (),
) -> Plan:
    """What has to happen so that the folder holds `target` and whatever is the member's.

    `stored`: sha256 of archives that need no fetching; `target`: this machine's share of the release's lock, without
    what its member leaves out; `pinned`: settings files of which the member keeps something, whatever a release brings.
    """
    aside = set(_in_the_way(scan.hashes, target))
    moves: list[Move] = []
    mine: list[str] = []
    adopted: list[str] = []
    left_alone = 0
    for file in target.files:
        act = _act_on(file, record, scan, target, file.path in pinned)
        if act is None:
            left_alone += 1
            if scan.hashes[file.path] != record.hashes.get(file.path, file.sha256):
                mine.append(file.path)
            if file.path not in record.hashes:
                adopted.append(file.path)
        elif act is Act.ASIDE:
            aside.add(file.path)
            moves.append(Move(Act.PLACE, file.path, file))
        else:
            moves.append(Move(act, file.path, file))
    for path in record.hashes.keys() - target.by_path.keys():
        found = scan.hashes.get(path)
        if found is None or path in aside:
            continue
        if found == record.hashes[path]:
            moves.append(Move(Act.REMOVE, path))
        else:
            aside.add(path)
    moves += (Move(Act.ADJUST, path) for path in _to_adjust(record, scan, target) if path not in aside)
    extras = _extras(scan.hashes, record.hashes, target) - aside
    if target.set_aside:
        # The pack says that these are not to be there; whoever put them there finds them beside.
        put_aside = {path for path, _ in catcher(target.set_aside).caught(extras)}
        aside |= put_aside
        extras -= put_aside
    if choices.extras_aside:
        aside |= extras if choices.only is None else extras & choices.only
        extras -= aside
    moves += (Move(Act.ASIDE, path) for path in aside)
    if choices.only is not None:
        moves = [move for move in moves if move.path in choices.only]
    moves.sort(key=lambda move: (_ACT_ORDER[move.act], move.path))
    missing = _archives_wanted(moves, target, stored)
    return Plan(
        tuple(moves),
        left_alone,
        tuple(mine),
        tuple(sorted(extras)),
        tuple(build for build in missing if build.pickup.is_automatic),
        tuple(build for build in missing if not build.pickup.is_automatic),
        _world_changes(record.lock, target, scan),
        tuple(adopted),
    )


_ACT_ORDER = {Act.ASIDE: 0, Act.REMOVE: 1, Act.REPLACE: 2, Act.PLACE: 2, Act.MERGE: 2, Act.ADJUST: 2}


def _act_on(file: PlacedFile, record: Recorded, scan: Scan, target: Lock, is_pinned: bool) -> Act | None:
    """What happens to a file that the lock wants; None when it stays as it lies there."""
    found, placed = scan.hashes.get(file.path), record.hashes.get(file.path)
    if found is None:
        return Act.PLACE
    if found == NOT_PLAIN:
        return Act.ASIDE
    if target.terms.is_settings(file.path):
        wanted = rendering(file.path, file.sha256, target.terms)
        if placed is None and found != wanted:
            # Nothing is known of how it came to be, so nothing can be merged.
            return Act.ASIDE
        if placed is None or record.renderings.get(file.path, placed) == wanted:
            return Act.MERGE if file.path in scan.strayed else None
        return Act.REPLACE if found == placed and not is_pinned else Act.MERGE
    if found == file.sha256 or (placed == file.sha256 and file.path in target.terms.by_hand):
        return None
    return Act.REPLACE if found == placed else Act.ASIDE


def _to_adjust(record: Recorded, scan: Scan, target: Lock) -> list[str]:
    """Settings files of the game's own in which something is to be set, or to say again what it said before the pack.
    One that is not there yet waits for the game to write it.
    """
    wanted = {path: rendering(path, "", target.terms) for path in target.adjusted}
    return [
        path
        for path in {*wanted, *record.adjusted} - target.by_path.keys()
        if scan.hashes.get(path, NOT_READ) not in (NOT_READ, NOT_PLAIN)
        and (record.adjusted.get(path, "") != wanted.get(path, "") or path in scan.strayed)
    ]


def _world_changes(before: Lock | None, target: Lock, scan: Scan) -> tuple[WorldChange, ...]:
    """A first install touches no world, unless worlds lie there already: in a folder that was taken over as it is."""
    if before is None and not any(target.terms.is_world(path) for path in scan.hashes):
        return ()
    return world_changes(before, target)


def _in_the_way(scan: Mapping[str, str], target: Lock) -> set[str]:
    """Files that lie where the lock wants a folder, or in a folder where it wants a file."""
    folders = {folder for path in target.by_path for folder in _folders(path)}
    return {path for path in scan if path in folders or any(folder in target.by_path for folder in _folders(path))}


def _extras(scan: Mapping[str, str], record: Mapping[str, str], target: Lock) -> set[str]:
    return {path for path in scan if path not in record and is_extra(path, target)}


def is_extra(path: str, target: Lock) -> bool:
    """Whether a file lies in the pack's folders and is neither the pack's nor settings that a mod wrote."""
    tops = tuple(f"{top}/" for top in target.managed)
    return (
        path.startswith(tops)
        and path not in target.by_path
        and not target.terms.is_settings(path.removesuffix(BESIDE))
        and not is_litter(path)
    )


def _folders(path: str) -> list[str]:
    parts = path.split("/")
    return ["/".join(parts[:depth]) for depth in range(1, len(parts))]


def _archives_wanted(moves: list[Move], target: Lock, stored: Collection[str]) -> list[LockedBuild]:
    mods = {move.file.mod for move in moves if move.file}
    return [build for build in target.builds if build.mod in mods and build.archive.sha256 not in stored]


SAID = {
    Act.PLACE: "new", Act.REPLACE: "replaced", Act.MERGE: "merged", Act.ADJUST: "adjusted", Act.REMOVE: "removed",
    Act.ASIDE: "moved aside",
}  # fmt: skip


def said(counts: Mapping[str, int]) -> str:
    """How many files were, or will be, handled in which way."""
    return ", ".join(f"{counts[act]} {word}" for act, word in SAID.items() if counts.get(act))


def describe(plan: Plan) -> str:
    """A plan in one line."""
    counts: dict[str, int] = {act: plan.count(act) for act in SAID}
    parts = [said(counts), f"{plan.left_alone} left as they are" if plan.left_alone else ""]
    return ", ".join(filter(None, parts)) or "nothing to do"
