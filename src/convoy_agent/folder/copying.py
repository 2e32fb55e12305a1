"""Copies a local game folder, so that the original stays as it is: modded and unmodded lie side by side.

Where the file system can share blocks between files (`sharing`), the copy takes no room until something changes.
Source: docs/rules.md, "The job" 10.
"""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from convoy_core.outside.paths import is_litter

from ..errors import DiskFull, FolderRefused
from ..site.progress import Screen
from ..storage import disk
from ..storage.files import CHUNK, COPYING, SPARE_BYTES, free_name, made_anew, trouble_told, walk
from .blocks import clone_blocks


def copy_game(game: Path, root: Path, screen: Screen) -> int:
    """Copies every plain file below `game` into `root`; gives the bytes. Links are passed by. Raises FolderRefused.

    A copy that is stopped is gone on with: whatever lies there already stays as it is, and is not copied again.
    """
    game, root = game.absolute(), root.absolute()
    if not game.is_dir():
        raise FolderRefused(f"{game} is no folder.", now="Name the folder of your game.")
    if disk.one_inside_other(game, root):
        raise FolderRefused(
            "The copy would lie in the game's own folder.",
            "The original is to stay untouched.",
            "Choose another place.",
        )
    files = [
        (path, entry.stat(follow_symlinks=False).st_size)
        for path, entry in walk(game)
        if entry.is_file(follow_symlinks=False) and not is_litter(path)
    ]
    total = sum(size for _, size in files)
    needed = sum(size for path, size in files if not os.path.lexists(root / path)) + SPARE_BYTES
    nearest = next(place for place in (root, *root.parents) if place.exists())
    free = shutil.disk_usage(nearest).free
    if free < needed:
        raise DiskFull(
            f"The copy needs {needed // 2**20 + 1} MB, {SPARE_BYTES // 2**20} MB of them to stay free for the game.",
            f"The disk has {free // 2**20} MB.",
            "Make room, or choose another place.",
        )
    screen.phase("copying the game", total)
    done = 0
    with trouble_told(root):
        for path, size in files:
            _copy(game / path, root / path)
            done += size
            screen.move(done, path)
    return total


def _copy(source: Path, target: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    if os.path.lexists(target):
        # A file is swapped in when it is whole: this one is, or it is the member's own.
        return
    beside = free_name(target.with_name(target.name + COPYING))
    if not clone_blocks(source, beside):
        with source.open("rb") as here, made_anew(beside) as there:
            shutil.copyfileobj(here, there, CHUNK)
            disk.written(there)
    shutil.copystat(source, beside)
    disk.replace(beside, target)
