"""What differs between systems when a file is moved, removed or made sure of. Every change of a folder goes through
here.

On Windows a scanner or an indexer may hold a file for a moment, and then it can be neither replaced nor removed;
folders can be links of a kind that is no symbolic link; files are made sure of by their handles, as there is no call
for the whole disk. Nothing here knows what it moves. How it is tested where there is no Windows: docs/systems.md.
"""

from __future__ import annotations

import errno
import ntpath
import os
import stat
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO, TypeVar

WINDOWS = os.name == "nt"

HELD = (5, 32, 33)
"""Windows' numbers for *access denied*, *sharing violation*, *lock violation*: what a file says that somebody holds."""

HELD_FOR = 4.0
"""Seconds for which a held file is asked again: a scanner that has just seen a new file takes about one."""

_FULL_FLUSH = 51
"""macOS' F_FULLFSYNC: its fsync leaves data in the drive's own memory."""

_LINK_TAGS = (0xA000000C, 0xA0000003)
"""Windows' marks of symbolic links and of junctions; other marks, as of files that lie in a cloud, are no links."""

Answer = TypeVar("Answer")


def replace(source: Path, target: Path) -> None:
    """Renames over whatever file lies there. On one disk only: raises OSError (EXDEV) otherwise."""
    _patiently(lambda: source.replace(target), target)
    _note_folder(target.parent)


def remove(place: Path) -> None:
    """Removes a file or a link; nothing happens where nothing lies."""
    with suppress(FileNotFoundError):
        _patiently(place.unlink, place)


def remove_folder(place: Path) -> bool:
    """Removes an empty folder; says whether it is gone. One that holds something stays."""
    try:
        _patiently(place.rmdir, place)
    except FileNotFoundError:
        return True
    except OSError:
        return False
    return True


def remove_tree(place: Path) -> None:
    """Removes a folder of the agent's own with all that is in it. A link in it is removed, never followed."""
    if not place.exists() and not place.is_symlink():
        return
    if is_link(place) or not place.is_dir():
        remove(place)
        return
    for entry in list(os.scandir(place)):
        if entry_is_folder(entry):
            remove_tree(Path(entry.path))
        else:
            remove(Path(entry.path))
    _patiently(place.rmdir, place)


def _patiently(act: Callable[[], Answer], place: Path) -> Answer:
    """Acts again while somebody holds the file. One that is marked as read-only is no reason to fail, either."""
    until, pause = time.monotonic() + HELD_FOR, 0.02
    while True:
        try:
            return act()
        except PermissionError as error:
            if getattr(error, "winerror", None) not in HELD or time.monotonic() > until:
                raise
            with suppress(OSError):
                place.chmod(stat.S_IWRITE | stat.S_IREAD)
            time.sleep(pause)
            pause = min(pause * 2, 0.4)


def is_link(place: Path) -> bool:
    """Whether a name leads elsewhere: a symbolic link, or a junction."""
    try:
        return looks_like_link(place.lstat())
    except (OSError, ValueError):
        return False


def looks_like_link(info: os.stat_result) -> bool:
    return stat.S_ISLNK(info.st_mode) or getattr(info, "st_reparse_tag", 0) in _LINK_TAGS


def entry_is_folder(entry: os.DirEntry[str]) -> bool:
    """Whether a folder lies there itself, and no link to one."""
    if not entry.is_dir(follow_symlinks=False):
        return False
    return not WINDOWS or not looks_like_link(entry.stat(follow_symlinks=False))


def made_sure(file: IO[bytes]) -> None:
    """What was written to this file is on the disk when this returns, also after a power cut."""
    file.flush()
    if sys.platform == "darwin":
        import fcntl

        with suppress(OSError):
            fcntl.fcntl(file.fileno(), _FULL_FLUSH)
            return
    os.fsync(file.fileno())


BY_HANDLE = sys.platform != "linux"
"""Whether each file has to be made sure of by itself. Linux' own call for all of them returns when all are written."""


def written(file: IO[bytes]) -> None:
    """Called at the end of each file that has to be there when `all_on_disk` returns."""
    if BY_HANDLE:
        made_sure(file)


def all_on_disk() -> None:
    """Every file that was `written` is on the disk when this returns."""
    if not BY_HANDLE:
        os.sync()


def _note_folder(folder: Path) -> None:
    """Makes sure of a rename, on macOS. Linux keeps renames in order, and `all_on_disk` ends them."""
    if sys.platform != "darwin":
        return
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def far_reaching(root: str, windows: bool = WINDOWS) -> str:
    """A Windows folder in the form that takes paths of more than 260 characters; any other as it is.

    In that form the system resolves nothing any more: what is to be resolved (`..`, `/`) is resolved before.
    """
    if not windows or root.startswith(("\\\\?\\", "\\\\.\\")) or not ntpath.isabs(root):
        return root
    plain = ntpath.normpath(root)
    return f"\\\\?\\UNC\\{plain[2:]}" if plain.startswith("\\\\") else f"\\\\?\\{plain}"


def one_inside_other(one: Path, other: Path) -> bool:
    """Whether two folders are one, or one lies in the other, however they are written: by what they are, not by names.

    Letter case, short names, links and junctions all give one folder several names. Folders that are not there yet are
    judged by the nearest one above them that is.
    """
    return _is_above(one, other) or _is_above(other, one)


def _is_above(folder: Path, place: Path) -> bool:
    if not folder.exists():
        return False
    for above in (place, *place.parents, *(place.resolve().parents if place.exists() else ())):
        with suppress(OSError):
            if above.exists() and above.samefile(folder):
                return True
    return False


def entries_of(folder: str) -> Iterator[os.DirEntry[str]]:
    """What lies in a folder. One that went meanwhile, or that is somebody else's and cannot be read, has nothing."""
    try:
        found = os.scandir(folder)
    except (FileNotFoundError, NotADirectoryError, PermissionError):
        return
    with found:
        yield from found


def across_disks(error: OSError) -> bool:
    return error.errno == errno.EXDEV or getattr(error, "winerror", None) == 17
