"""Files that nobody else has, switched off while a game is played: moved to .convoy/off, and back afterwards.

What a killed run left off is put back by whoever holds the folder next, unless the game still runs.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from pathlib import Path

from ..storage import disk
from ..storage.files import move, own_place, remove_empty_folders, unless_hopeless, walk


@contextmanager
def switched_off(root: Path, own: Path, paths: Collection[str]) -> Iterator[None]:
    """While it lasts, these are not there."""
    for path in sorted(paths):
        with unless_hopeless(lambda why: None):
            place = own_place(root, path)
            if os.path.lexists(place) and not os.path.lexists(own / "off" / path):
                move(place, own / "off" / path)
                remove_empty_folders(root, path)
    try:
        yield
    finally:
        switch_on(root, own)


def switch_on(root: Path, own: Path) -> list[str]:
    """Everything back in its place. Gives what stays off, as something lies there now."""
    off = own / "off"
    if not off.is_dir():
        return []
    stays = []
    for path in [path for path, _ in walk(off)]:
        with unless_hopeless(lambda why: None):
            place = own_place(root, path)
            if os.path.lexists(place):
                stays.append(path)
            else:
                move(off / path, place)
                remove_empty_folders(off, path)
    disk.remove_folder(off)
    return stays
