"""Leaving a pack: the pack's files go and the member's stay, or everything stays. Nothing of the member's is deleted.

What they had before the pack came is theirs, whatever it is: it stays, or is put back. What was kept for them (files
moved aside, backups, what they brought) moves into a folder of its own in plain sight, a new one each time.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from convoy_core.settings.formats import UnreadableSettings
from convoy_core.settings.merge import adjust

from .errors import SiteAway, SiteRefused
from .folder.backups import Backups
from .folder.before import Before
from .folder.folder import Folder
from .folder.history import lying_in
from .folder.journal import recover
from .folder.record import Record
from .folder.settings_files import bytes_at
from .site.connecting import connect
from .storage import disk, sealed
from .storage.disk import is_link
from .storage.files import (
    copy_beside,
    free_name,
    inside,
    is_plain_with,
    move,
    own_place,
    remove_empty_folders,
    sha256_of,
    unless_hopeless,
    write_at_once,
)

KEPT = "Kept by True Convoy"
"""In it lie, by the day of each leaving, files that were moved aside, and backups."""

AGENTS = ("staging", "settings", "releases", "beside", "history", "lock", "playing", "told")
"""What is the agent's own and says nothing to anybody else, beside the sealed files (`.json`) of its own folder."""


@dataclass(frozen=True)
class Leaving:
    """What leaving does, or did."""

    removed: int = 0
    """Files of the pack that go."""
    stayed: tuple[str, ...] = ()
    """Files of the pack that the member had altered, and that therefore stay."""
    had_before: int = 0
    """Files of the pack that lay there before joining: they stay, or what they replaced is put back."""
    brought_back: int = 0
    """Files that had been in the pack's way and lie in their places again."""
    kept: str = ""
    """The folder with what else was kept; empty when there was nothing."""


def look_ahead(root: Path, keep_all: bool = False) -> Leaving:
    """What leaving would do. Completes what was under way, and changes nothing else."""
    folder = Folder(root)
    with folder.held():
        recover(folder)
        fates = list(_fates(folder, keep_all))
        count = len(list(_aside(folder)))
        return Leaving(
            sum(fate == "goes" for _, _, fate in fates),
            tuple(path for path, _, fate in fates if fate == "altered"),
            sum(fate in ("stays", "put back") for _, _, fate in fates),
            0 if keep_all else count,
        )


def leave(root: Path, now: datetime, keep_all: bool = False, tell: bool = True) -> Leaving:
    """Ends an installation. `keep_all` leaves every file where it is; `tell` tells the site, if it can be reached.

    May be repeated when it was stopped.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held():
        recover(folder)
        folder.refuse_while_playing()
        fates = list(_fates(folder, keep_all))
        for path, sha256, fate in fates:
            with unless_hopeless(lambda why: None):
                if fate in ("goes", "put back"):
                    _remove(folder, path, sha256)
        if not keep_all:
            _unset(folder)
        _put_back(folder, [path for path, _, fate in fates if fate == "put back"])
        # Whatever lies there from here on is nobody's but the member's, also where it is just what the pack had.
        folder.write_record(Record())
        brought_back = 0 if keep_all else _bring_back(folder)
        kept = _move_out(folder, now)
    if tell:
        with suppress(SiteAway, SiteRefused), connect(pairing) as site:
            site.left()
    _remove_own(folder)
    stayed = tuple(path for path, _, fate in fates if fate == "altered")
    had_before = sum(fate in ("stays", "put back") for _, _, fate in fates)
    return Leaving(sum(fate == "goes" for _, _, fate in fates), stayed, had_before, brought_back, kept)


def finish(folder: Folder, now: datetime) -> None:
    """Ends a leaving that was stopped when the pairing was gone: what it left would pass for a new one's own."""
    if folder.own.is_dir() and not is_link(folder.own):
        _move_out(folder, now)
        _remove_own(folder)


def _fates(folder: Folder, keep_all: bool) -> Iterator[tuple[str, str, str]]:
    """Each file of the pack that lies there: path, sha256, and what becomes of it."""
    before = Before(folder.own)
    try:
        originals = before.files
    except sealed.Damaged:
        # What lay here before is not known any more: then nothing of the pack's goes by itself.
        keep_all, originals = True, {}
    placed = {} if keep_all else folder.record().files
    for path, sha256 in sorted(originals.items()) if not keep_all else ():
        # The pack took it out altogether, and nothing lies there now.
        is_gone = path not in placed and not os.path.lexists(own_place(folder.root, path))
        if is_gone and is_plain_with(before.content(sha256), sha256):
            yield path, "", "put back"
    for path, (sha256, _) in sorted(placed.items()):
        place = own_place(folder.root, path)
        replaced = path in originals and is_plain_with(before.content(originals[path]), originals[path])
        if not os.path.lexists(place):
            if replaced:
                yield path, sha256, "put back"
        elif is_link(place) or not place.is_file() or sha256_of(place) != sha256:
            yield path, sha256, "altered"
        elif originals.get(path) == sha256:
            yield path, sha256, "stays"
        elif replaced:
            yield path, sha256, "put back"
        else:
            yield path, sha256, "goes"


def _unset(folder: Folder) -> None:
    """Files that the game wrote say again what they said before the pack, where their member left that as it was."""
    for path, one in folder.record().adjusted.items():
        with suppress(UnreadableSettings, FileNotFoundError), unless_hopeless(lambda why: None):
            merged, _ = adjust(path, bytes_at(folder.root, path), {}, one.keys)
            write_at_once(inside(folder.root, path), merged.data, among_others=True)


def _put_back(folder: Folder, paths: Sequence[str]) -> None:
    """Puts back what the pack had replaced, where nothing lies. Several paths may have had one content."""
    before = Before(folder.own)
    for number, path in enumerate(paths):
        with unless_hopeless(lambda why: None):
            place, content = own_place(folder.root, path), before.content(before.files[path])
            if os.path.lexists(place) or not content.is_file():
                continue
            place.parent.mkdir(parents=True, exist_ok=True)
            if any(before.files[other] == before.files[path] for other in paths[number + 1 :]):
                copy_beside(content, place)
            else:
                move(content, place)


def _remove(folder: Folder, path: str, sha256: str) -> None:
    """Looked at once more: whoever plays meanwhile has made the file theirs."""
    place = own_place(folder.root, path)
    if place.is_file() and not is_link(place) and sha256_of(place) == sha256:
        disk.remove(place)
        remove_empty_folders(folder.root, path)


def _aside(folder: Folder) -> Iterator[tuple[Path, str]]:
    """What was moved aside, and would return to its place: the earliest of each path first, as that lay there before
    the pack came.
    """
    place, seen = folder.own / "aside", set()
    order = {str(one["id"]): number for number, one in enumerate(folder.history().all())}
    moments = list(place.iterdir()) if place.exists() else []
    for moment in sorted(moments, key=lambda one: (order.get(one.name, len(order)), one.name)):
        for path in lying_in(moment):
            if path not in seen and not os.path.lexists(folder.root / path):
                seen.add(path)
                yield moment, path


def _bring_back(folder: Folder) -> int:
    count = 0
    for moment, path in list(_aside(folder)):
        with unless_hopeless(lambda why: None):
            target = own_place(folder.root, path)
            if not os.path.lexists(target):
                move(own_place(moment, path), target)
                count += 1
    return count


def _move_out(folder: Folder, now: datetime) -> str:
    """Everything that may be the member's, in plain sight: all but what is known to be the agent's own."""
    entries = list(folder.own.iterdir())
    keep = [entry for entry in entries if not _is_agents(entry) and _holds_anything(entry)]
    if not keep:
        return ""
    out = free_name(folder.root / KEPT / f"{now:%Y-%m-%d}")
    out.mkdir(parents=True)
    for entry in keep:
        if entry.name == "before":
            _move_out_before(folder, out / entry.name)
        else:
            move(entry, out / entry.name)
    return out.relative_to(folder.root).as_posix()


def _move_out_before(folder: Folder, out: Path) -> None:
    """What the pack replaced and nobody put back, by the names that it had. The list of them stays to the very end: a
    leaving that is stopped here, and another command after it, must still know what is whose.
    """
    before, elsewhere = Before(folder.own), set()
    with suppress(sealed.Damaged):
        for path, sha256 in before.files.items():
            with unless_hopeless(lambda why: None):
                if is_plain_with(before.content(sha256), sha256):
                    copy = free_name(own_place(out, path))
                    copy.parent.mkdir(parents=True, exist_ok=True)
                    copy_beside(before.content(sha256), copy)
                    elsewhere |= {sha256} if sha256_of(copy) == sha256 else set()
    for entry in list(before.place.iterdir()):
        if entry.name in elsewhere:
            disk.remove(entry)
        elif entry.name not in LISTS["before"]:
            move(entry, out / entry.name)


def _is_agents(entry: Path) -> bool:
    if entry.name in AGENTS:
        return True
    own = (".json", ".json.new", f".json{sealed.TWIN}", f".json{sealed.TWIN}.new", ".jsonl")
    return entry.name.endswith(own) and not entry.is_dir()


def _holds_anything(entry: Path) -> bool:
    """Whether there is more in it than the agent's own lists."""
    if is_link(entry) or not entry.is_dir():
        return True
    return any(path not in LISTS.get(entry.name, ()) for path in lying_in(entry))


LISTS = {"before": ("list.json", f"list.json{sealed.TWIN}"), "backups": ("rehearsed.json",)}
"""Files that say something of others in their folder, and are nobody's by themselves."""


def _remove_own(folder: Folder) -> None:
    # The pairing goes first: a stop after that leaves a folder that is no installation any more.
    for name in ("pairing.json", f"pairing.json{sealed.TWIN}"):
        disk.remove(folder.own / name)
    for entry in list(folder.own.iterdir()):
        if _is_agents(entry) or not _holds_anything(entry):
            with suppress(OSError):
                disk.remove_tree(entry)
    disk.remove_folder(folder.own)


def kept_backups(root: Path) -> list[Backups]:
    """The backups that were kept when a folder was left, each leaving's by itself, newest first."""
    folder = Folder(root)
    places = sorted((folder.root / KEPT).glob("*/backups"), reverse=True)
    # Earlier agents kept one leaving's only, without a day.
    places += [place for place in [folder.root / KEPT / "backups"] if place.is_dir()]
    return [Backups(folder, place) for place in places if not is_link(place)]
