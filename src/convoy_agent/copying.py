"""Copies a local game folder, so that the original stays as it is: modded and unmodded lie side by side.

Where the file system can share blocks between files (`sharing`), the copy takes no room until something changes.
Source: job.md 10.
"""

from __future__ import annotations

import shutil
from pathlib import Path

from .errors import DiskFull, FolderRefused
from .files import COPYING, trouble_told, walk
from .progress import Screen
from .sharing import share_blocks


def copy_game(game: Path, root: Path, screen: Screen) -> int:
    """Copies every plain file below `game` into `root`; gives the bytes. Links are passed by. Raises FolderRefused.

    A copy that is stopped is gone on with: files that are there in full are not copied again.
    """
    game, root = game.absolute(), root.absolute()
    if not game.is_dir():
        raise FolderRefused(f"{game} is no folder.", now="Name the folder of your game.")
    if root == game or root.is_relative_to(game) or game.is_relative_to(root):
        raise FolderRefused(
            "The copy would lie in the game's own folder.",
            "The original is to stay untouched.",
            "Choose another place.",
        )
    files = [
        (path, entry.stat(follow_symlinks=False).st_size)
        for path, entry in walk(game)
        if entry.is_file(follow_symlinks=False)
    ]
    total = sum(size for _, size in files)
    nearest = next(place for place in (root, *root.parents) if place.exists())
    if shutil.disk_usage(nearest).free < total:
        raise DiskFull(f"The copy needs {total // 2**20 + 1} MB.", "The disk has less.", "Choose another place.")
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
    if target.exists() and _sight(target) == _sight(source):
        return
    beside = target.with_name(target.name + COPYING)
    if not share_blocks(source, beside):
        shutil.copyfile(source, beside)
    shutil.copystat(source, beside)
    beside.replace(target)


def _sight(file: Path) -> tuple[int, int]:
    info = file.stat()
    return info.st_size, info.st_mtime_ns
