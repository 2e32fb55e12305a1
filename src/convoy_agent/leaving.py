"""Leaving a pack: the pack's files go and the member's stay, or everything stays. Nothing of the member's is deleted.

What was kept for them (files moved aside, backups) moves into a folder of its own in plain sight.
"""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from .apply import no_step
from .errors import SiteAway, SiteRefused
from .files import inside, move, remove_empty_folders, sha256_of
from .folder import Folder
from .site import Site
from .sync import recover

KEPT = "Kept by True Convoy"
"""Where files that were moved aside, and backups, lie after leaving."""


@dataclass(frozen=True)
class Left:
    removed: int
    stayed: tuple[str, ...]
    """Files of the pack that the member had altered, and that therefore stay."""
    brought_back: int
    """Files that had been in the pack's way and lie in their places again."""
    kept: str
    """The folder with what else was kept; empty when there was nothing."""


def leave(root: Path, keep_all: bool = False, tell: bool = True) -> Left:
    """Ends an installation. `keep_all` leaves every file where it is; `tell` tells the site, if it can be reached.

    May be repeated when it was stopped.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held():
        recover(folder, pairing, no_step)
        record = folder.record()
        removed, stayed = 0, []
        for path, (sha256, _) in sorted(record.files.items()) if not keep_all else ():
            place = inside(folder.root, path)
            if place.is_file() and sha256_of(place) == sha256:
                place.unlink()
                remove_empty_folders(folder.root, path)
                removed += 1
            elif os.path.lexists(place):
                stayed.append(path)
        brought_back = 0 if keep_all else _bring_back(folder)
        kept = _move_out(folder)
    if tell:
        with suppress(SiteAway, SiteRefused), Site(pairing) as site:
            site.left()
    # The rest is the agent's own and says nothing to anybody else.
    _remove_own(folder)
    return Left(removed, tuple(stayed), brought_back, kept)


def _bring_back(folder: Folder) -> int:
    """Returns what was moved aside to its place, the earliest first: that is what lay there before the pack came."""
    count = 0
    for moment in sorted((folder.own / "aside").glob("*")):
        for file in sorted(path for path in moment.rglob("*") if path.is_file() or path.is_symlink()):
            path = file.relative_to(moment).as_posix()
            place = inside(folder.root, path)
            if not os.path.lexists(place):
                move(file, place)
                count += 1
    return count


def _move_out(folder: Folder) -> str:
    """Files still aside, in plain sight; backups as they are, with their lists."""
    out = folder.root / KEPT
    for name in ("aside", "backups"):
        source = folder.own / name
        if any(path.is_file() for path in source.rglob("*")) and not (out / name).exists():
            out.mkdir(exist_ok=True)
            source.rename(out / name)
    return KEPT if out.exists() else ""


def _remove_own(folder: Folder) -> None:
    # The pairing goes first: a stop after that leaves a folder that is no installation any more.
    (folder.own / "pairing.json").unlink(missing_ok=True)
    shutil.rmtree(folder.own, ignore_errors=True)
