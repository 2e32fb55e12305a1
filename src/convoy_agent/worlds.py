"""Saved worlds: listed with what they were played with, copied, renamed, handed on as a file, and brought over from
elsewhere. Nothing of a world is ever moved or written over: what comes, comes beside what lies there.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from convoy_core.lock.in_worlds import as_any_world, for_worlds
from convoy_core.lock.lock import Lock
from convoy_core.lock.papers import Papers, Played, against, played_with, progress_of
from convoy_core.lock.worlds import WorldChange
from convoy_core.outside.paths import fold, is_safe
from convoy_core.words.errors import ConvoyError
from convoy_core.words.profile import WORLD
from convoy_io.worlds import write_world

from .errors import FolderRefused, WorldRefused
from .folder.folder import Folder
from .folder.journal import recover
from .folder.worlds import WorldKept, WorldsKept, files_of, renamed, stamp_of
from .hearing import nothing_installed
from .leave import KEPT
from .moving_worlds import STAGED, elsewhere, in_folder, put, staged
from .rest import Calm
from .site.connecting import connect
from .storage import disk
from .storage.files import free_name, made_anew, own_place, trouble_told
from .sync import utc_now
from .visit import Now

Agree = Callable[[Sequence[WorldChange]], bool]
"""Asked before a world comes of which something has to be known; no: nothing is done."""


@dataclass(frozen=True)
class WorldHere:
    """A world as it is listed. `changed`: ISO 8601, when it was played last; `told`: what opening it with what is
    installed may do to it.
    """

    world: str
    files: int
    size: int
    changed: str
    papers: Papers
    told: tuple[WorldChange, ...]

    @property
    def name(self) -> str:
        return self.world.rpartition("/")[2]


@dataclass(frozen=True)
class Brought:
    """A world that was brought over. `carries`: mods of the pack whose content it has."""

    world: str
    files: int
    size: int
    told: tuple[WorldChange, ...]
    carries: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return self.world.rpartition("/")[2]


def worlds_of(root: Path, now: Now = utc_now) -> list[WorldHere]:
    with _at(root) as (folder, lock):
        kept = _seen(folder, lock, now)
        found = []
        for world in folder.worlds_there(lock.terms):
            papers = kept[world].papers if world in kept else ()
            files, size, changed = stamp_of(folder.root, world, ())
            at = datetime.fromtimestamp(changed / 1e9, UTC).isoformat(timespec="seconds") if files else ""
            told = against(world.rpartition("/")[2], papers, lock)
            found.append(WorldHere(world, files, size, at, papers, told))
        return found


def copy(root: Path, name: str, new: str, now: Now = utc_now) -> Brought:
    """A copy beside it, with its papers and the content that was chosen for it. Raises WorldRefused."""
    with _at(root) as (folder, lock):
        world = _called(folder, lock, name)
        target = _free(folder, lock, world.rpartition("/")[0], new)
        papers = _papers(_seen(folder, lock, now), world)
        found = in_folder(folder.root / world)
        put(folder, staged(folder, found), target)
        WorldsKept(folder).give(target, papers, lock.terms)
        mods = tuple(mod for mod, worlds in folder.record().worlds.items() if world in worlds)
        _choose(folder, target, mods)
        return Brought(target, len(found.files), found.size, (), mods, tuple(folder.remarks))


def rename(root: Path, old: str, new: str, now: Now = utc_now) -> str:
    """Calls a world otherwise; gives its new name. What the pack placed in it stays the pack's. Raises WorldRefused."""
    with _at(root) as (folder, lock):
        world = _called(folder, lock, old)
        target = _free(folder, lock, world.rpartition("/")[0], new)
        _seen(folder, lock, now)
        record = folder.record()
        mods = tuple(mod for mod, worlds in record.worlds.items() if world in worlds)
        _choose(folder, target, mods, instead_of=world)
        own_place(folder.root, f"{world}/x")
        try:
            with trouble_told(folder.root):
                disk.replace(folder.root / world, folder.root / target)
        except ConvoyError:
            # A game that is running holds it: what goes into it stays as it was chosen.
            _choose(folder, world, mods, instead_of=target)
            raise
        folder.write_record(
            replace(
                record,
                files=renamed(record.files, world, target),
                renderings=renamed(record.renderings, world, target),
                worlds={mod: [target if one == world else one for one in ones] for mod, ones in record.worlds.items()},
            )
        )
        WorldsKept(folder).rename(world, target, lock.terms)
        return target


def hand_on(
    root: Path,
    name: str,
    out: Path | None = None,
    told: Callable[[tuple[str, ...]], None] = lambda progress: None,
    now: Now = utc_now,
) -> tuple[Path, tuple[str, ...]]:
    """Writes a world with its papers into a new file; gives it, and what in it changes progress, which `told` hears
    before anything is written. Raises WorldRefused, FolderRefused where something lies at `out`.
    """
    with _at(root) as (folder, lock):
        world = _called(folder, lock, name)
        short = world.rpartition("/")[2]
        papers = _papers(_seen(folder, lock, now), world)
        place = out or free_name(folder.root / KEPT / f"{short} {now():%Y-%m-%d}.zip")
        if os.path.lexists(place):
            raise FolderRefused(f"{place} is there already.", now="Choose another name.")
        told(progress := tuple(map(str, progress_of(papers))))
        # Packed from a copy: nobody plays in that.
        copied = staged(folder, in_folder(folder.root / world))
        beside = place.with_name(f"{place.name}.part")
        with trouble_told(place.parent):
            place.parent.mkdir(parents=True, exist_ok=True)
            try:
                with made_anew(beside) as file:
                    rows = sorted((path, Path(entry.path)) for path, entry in files_of(copied))
                    write_world(short, papers, rows, file)
                    disk.written(file)
                disk.replace(beside, place)
            except BaseException:
                with suppress(OSError):
                    disk.remove(beside)
                raise
            finally:
                disk.remove_tree(copied)
        return place, progress


def bring(
    root: Path,
    source: Path,
    agree: Agree,
    world: str = "",
    called: str = "",
    played: str = "",
    unknown: bool = False,
    now: Now = utc_now,
) -> Brought:
    """Copies a world from a ZIP, a world's folder, or a game's or installation's folder (`world`: which one there).
    `called`: its name here; `played`: the release of this pack that it was played with, where nothing says it;
    `unknown`: nobody knows.

    What the pack lacks, or has newer, is put before `agree` first. Raises WorldRefused, NoWorld, FolderRefused,
    DiskFull, ArchiveWrong, HostileArchive; then nothing is here that was not before.
    """
    with _at(root) as (folder, lock):
        _seen(folder, lock, now)
        if source.is_dir() and disk.one_inside_other(folder.root, source.absolute()):
            raise WorldRefused("This world lies in the folder already.", now="“convoy world copy” copies it.")
        with trouble_told(source), elsewhere(source, lock, world) as found:
            place = next(iter(lock.terms.worlds), "")
            target = _free(folder, lock, place, called or found.name)
            papers = found.papers
            if papers is None:
                papers = _asked(folder, played, unknown, now)
            told = against(target.rpartition("/")[2], papers, lock)
            if told and not agree(told):
                raise WorldRefused("It was not brought over.", "You did not agree to what was told.", told=len(told))
            copied = staged(folder, found)
        put(folder, copied, target)
        WorldsKept(folder).give(target, papers, lock.terms)
        carries = _carries(folder, lock, target)
        _choose(folder, target, carries)
        return Brought(target, len(found.files), found.size, told, carries, tuple(folder.remarks))


# --- What is where


@contextmanager
def _at(root: Path) -> Iterator[tuple[Folder, Lock]]:
    folder = Folder(root)
    with folder.held():
        recover(folder)
        disk.remove_tree(folder.own / STAGED)
        lock = folder.installed(folder.pairing()) or nothing_installed()
        Calm(folder).forget()
        yield folder, lock


def _seen(folder: Folder, lock: Lock, now: Now) -> dict[str, WorldKept]:
    record, pairing = folder.record(), folder.pairing()
    at = now().isoformat(timespec="seconds")
    played = played_with(lock, pairing.pack_id, pairing.pack, record.release, record.sha256, at)
    return WorldsKept(folder).see(lock.terms, played, record.files)


def _papers(kept: Mapping[str, WorldKept], world: str) -> Papers:
    return kept[world].papers if world in kept else ()


def _called(folder: Folder, lock: Lock, name: str) -> str:
    """The world of that name, as `FOLDER/NAME`. Raises WorldRefused."""
    there = folder.worlds_there(lock.terms)
    found = [world for world in there if name in (world, world.rpartition("/")[2])]
    if len(found) != 1:
        names = ", ".join(there if found else [world.rpartition("/")[2] for world in there]) or "none"
        raise WorldRefused(
            f"There are two worlds “{name[:80]}”." if found else f"There is no world “{name[:80]}” here.",
            f"There are: {names}.",
        )
    return found[0]


def _free(folder: Folder, lock: Lock, place: str, name: str) -> str:
    """Where a world of a new name goes. Raises WorldRefused for what is no name, or is taken on some system."""
    world = f"{place}/{name}"
    if not place:
        raise WorldRefused("This game keeps no worlds that are known here.")
    if not name or "/" in name or name == WORLD or not is_safe(world):
        raise WorldRefused(
            f"“{name[:80]}” is no name for a world.", "Not every system takes it.", "Choose another one."
        )
    taken = {fold(entry.name) for entry in disk.entries_of(str(folder.root / place))}
    if fold(name) in taken:
        raise WorldRefused(f"There is a world “{name[:80]}” already.", "None is written over.", "Choose another name.")
    own_place(folder.root, f"{world}/x")
    return world


def _asked(folder: Folder, number: str, unknown: bool, now: Now) -> Papers:
    """Where nothing says what a world was played with, its member does. Raises WorldRefused."""
    if unknown:
        return ()
    if not number:
        raise WorldRefused(
            "Nothing beside this world says what it was played with.",
            "Without that nobody can say what opening it here does to it.",
            "Say --played-with and a release of this pack, or --unknown.",
        )
    pairing = folder.pairing()
    for signed in folder.releases.all():
        with suppress(ConvoyError):
            recipe = folder.releases.trusted(signed, pairing)
            if recipe.number == number:
                at = now().isoformat(timespec="seconds")
                return (played_with(recipe.lock, recipe.pack, recipe.pack_name, number, recipe.sha256, at),)
    # Its number says something to its person; what was in it is asked of nobody.
    return (Played(pairing.pack_id, pairing.pack, number, "", "", "", ""),)


def _carries(folder: Folder, lock: Lock, world: str) -> tuple[str, ...]:
    """Mods of the pack whose content for worlds lies in one already."""
    paths = {as_any_world(f"{world}/{path}", lock.terms) for path, _ in files_of(folder.root / world)}
    mods = for_worlds(lock)
    return tuple(sorted({file.mod for file in lock.files if file.mod in mods and file.path in paths}))


def _choose(folder: Folder, world: str, mods: Sequence[str], instead_of: str = "") -> None:
    """Tells the site that content goes into this world, too, or instead. Where it does not answer, its page says it."""
    if not mods:
        return
    pairing = folder.pairing()
    if not pairing.site:
        _choose_here(folder, world, mods, instead_of)
        return
    try:
        with connect(pairing) as site:
            site.into_world(world, mods, instead_of)
    except ConvoyError as error:
        if instead_of:
            raise
        folder.remarks.append(f"Choose on the page what goes into “{world}”: {error.what}")


def _choose_here(folder: Folder, world: str, mods: Sequence[str], instead_of: str) -> None:
    """A folder that follows a file keeps its choices itself."""
    head = folder.kept_head()
    if head is not None:
        chosen = {mod: tuple(sorted({*head.worlds.get(mod, ()), world} - {instead_of})) for mod in mods}
        folder.keep_head(replace(head, worlds={**head.worlds, **chosen}))
