"""Small things done to files, carefully: hashing, writing at once or not at all, staying inside a folder."""

from __future__ import annotations

import errno
import hashlib
import os
import re
import shutil
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ALL_COMPLETED, ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from convoy_core.outside.paths import AGENT_FOLDER, checked_path, own_name
from convoy_core.words.errors import ConvoyError, HostileArchive

from ..errors import DiskFull, FileTrouble, FolderRefused
from ..interruptible import SOON, all_done, ended
from . import disk
from .disk import is_link

CHUNK = 1024 * 1024

SPARE_BYTES = 64 * 1024 * 1024
"""Left free on a disk beyond what is to be written, so that the game and the system can still write."""


def is_plain_with(place: Path, sha256: str) -> bool:
    """Whether a plain file of this hash lies there: no link, and read to its end."""
    try:
        return not is_link(place) and place.is_file() and sha256_of(place) == sha256
    except OSError:
        return False


def sha256_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def hashed(places: Sequence[str]) -> list[str]:
    """The sha256 of many files, on all cores: hashing lets go of the interpreter for everything but small files.

    Empty for a file that is gone meanwhile, or that one may not read.
    """
    if len(places) < FEW:
        return _hash_all(places)
    pool = ThreadPoolExecutor(os.cpu_count() or 1)
    running = [pool.submit(_hash_all, part) for part in _parts(places)]
    try:
        all_done(running, ALL_COMPLETED)
        return [sha256 for part in running for sha256 in part.result()]
    finally:
        ended(pool, running, SOON)


FEW, PART = 8, 64
"""Below FEW files threads cost more than they bring; PART files at a time are handed to a thread."""


def _parts(places: Sequence[str]) -> list[Sequence[str]]:
    return [places[start : start + PART] for start in range(0, len(places), PART)]


def _hash_all(places: Sequence[str]) -> list[str]:
    return [_hash_or_nothing(Path(place)) for place in places]


def _hash_or_nothing(place: Path) -> str:
    try:
        return sha256_of(place)
    except (FileNotFoundError, PermissionError, IsADirectoryError, NotADirectoryError):
        return ""


def write_at_once(path: Path, data: bytes, private: bool = False, among_others: bool = False) -> None:
    """Writes beside the place and swaps in; whoever reads sees the old or the new content, also after a power cut.

    `among_others`: the folder is not the agent's own, so that the name beside may be somebody's.
    """
    beside = path.with_name(path.name + ".new")
    if among_others:
        beside = free_name(beside)
    with made_anew(beside, 0o600 if private else 0o644) as file:
        file.write(data)
        disk.made_sure(file)
    disk.replace(beside, path)


def made_anew(place: Path, mode: int = 0o644) -> IO[bytes]:
    """A working file, made and never opened: what lies there may be a link that leads elsewhere."""
    disk.remove(place)
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
    return os.fdopen(os.open(place, flags, mode), "wb")


def move(source: Path, target: Path) -> None:
    """Renames; where `target` lies on another disk (a folder of an installation may be one), copies, and removes the
    source once the copy was read back and found to be the same.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        disk.replace(source, target)
    except OSError as error:
        if not disk.across_disks(error):
            raise
        if source.is_dir() and not is_link(source):
            _move_folder(source, target)
            return
        copy_beside(source, target)
        if not is_link(source) and sha256_of(source) != sha256_of(target):
            raise OSError(errno.EIO, "the copy is not what was copied", str(target)) from error
        disk.remove(source)


def _move_folder(source: Path, target: Path) -> None:
    target.mkdir(parents=True, exist_ok=True)
    for entry in list(os.scandir(source)):
        move(Path(entry.path), target / entry.name)
    disk.remove_folder(source)


def copy_beside(source: Path, target: Path) -> None:
    """Copies next to `target` and swaps in, so that nobody ever sees half a file. A link is copied as a link."""
    beside = free_name(target.with_name(target.name + COPYING))
    if is_link(source):
        beside.symlink_to(source.readlink())
    else:
        with source.open("rb") as here, made_anew(beside) as there:
            shutil.copyfileobj(here, there, CHUNK)
            disk.written(there)
        shutil.copymode(source, beside)
    disk.replace(beside, target)


COPYING = ".convoy-new"
"""Ends the name of a file that is being copied (before a number, where somebody has a file of that name)."""

UNFINISHED = re.compile(r".+\.convoy-new(?: \d+)?")
"""Names of copies that a stop left unfinished."""


def is_plain(place: Path) -> bool:
    return place.is_file() and not is_link(place)


def inside(root: Path, path: str) -> Path:
    """Where a file of the pack goes. Raises HostileArchive for a path that may not be placed, FolderRefused when a link
    on the way could lead out of the installation.

    Asked again at the moment of writing: a folder may have become a link since the scan.
    """
    place = unlinked(root, checked_path(path))
    if is_link(place):
        raise _link(root, place)
    return place


def own_place(root: Path, path: str) -> Path:
    """Where a file of the member's lies, whatever it is called. Raises HostileArchive for what is no path in this
    folder, FolderRefused when it lies in a linked folder.
    """
    return unlinked(root, own_name(path))


def unlinked(root: Path, path: str) -> Path:
    """The place of a path that lies in no linked folder; it may be a link itself. Raises FolderRefused."""
    place = root
    for part in path.split("/")[:-1]:
        place = place / part
        if is_link(place):
            raise _link(root, place)
    return root / path


def _link(root: Path, place: Path) -> FolderRefused:
    return FolderRefused(
        f"“{place.relative_to(root)}” in the installation is a link.",
        "It could lead out of the folder, and nothing is written through links.",
        "Move the link away, then sync again.",
        path=str(place),
    )


def free_name(place: Path) -> Path:
    """The place itself when nothing lies there, else the first of `NAME 2`, `NAME 3` … that is free."""
    number, free = 2, place
    while os.path.lexists(free):
        free, number = place.with_name(f"{place.name} {number}"), number + 1
    return free


HOPELESS = {
    errno.ENAMETOOLONG, errno.EINVAL, errno.EILSEQ, errno.ENOTDIR, errno.EISDIR, errno.ENOTEMPTY, errno.ELOOP,
    errno.EEXIST,
}  # fmt: skip
"""What a system says of an act that it will never do. Anything else (a full disk, a file that is held) may pass."""


@contextmanager
def unless_hopeless(left_out: Callable[[str], None]) -> Iterator[None]:
    """For one of many acts that have to be gone on with: one that can never be done is left out, with why."""
    try:
        yield
    except (FolderRefused, HostileArchive) as error:
        left_out(error.sentence())
    except OSError as error:
        if error.errno not in HOPELESS:
            raise
        left_out(f"The system says: {error.strerror or error}.")


@contextmanager
def trouble_told(where: Path) -> Iterator[None]:
    """Tells a full or read-only disk as what it is, and any other trouble with a file in the system's words."""
    try:
        yield
    except OSError as error:
        raise trouble(error, where) from error


def trouble(error: OSError, where: Path) -> ConvoyError:
    """What the system said, as a refusal. `where`: what was being worked on, for errors that name no file."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return DiskFull(
            "The disk is full.",
            f"{where} takes no more.",
            "Make room, then sync again: it goes on where it stopped.",
        )
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return FolderRefused(
            f"{error.filename or where} cannot be written.",
            "The folder or the disk is read-only for you, or the game is running and holds it.",
            "Close the game, or change the permissions, then sync again.",
        )
    return FileTrouble(
        f"{error.filename or where} cannot be used.",
        f"The system says: {error.strerror or error}.",
        "Try again; if it stays so, look at the disk.",
    )


def remove_empty_folders(root: Path, path: str) -> None:
    """Removes the folders that a removed file leaves empty, never the installation itself."""
    folder = (root / path).parent
    while folder != root and disk.remove_folder(folder):
        folder = folder.parent


def walk(root: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Files (and links, which are not followed) below a folder but for the agent's own, as (path, entry).

    A folder that goes away meanwhile, as a running game makes some do, has nothing in it; neither has one that belongs
    to somebody else and cannot be read.
    """
    pending = [("", str(root))]
    while pending:
        prefix, folder = pending.pop()
        for entry in disk.entries_of(folder):
            path = prefix + entry.name
            if not prefix and entry.name == AGENT_FOLDER:
                continue
            if disk.entry_is_folder(entry):
                pending.append((path + "/", entry.path))
            else:
                yield path, entry
