"""Small things done to files, carefully: hashing, writing at once or not at all, staying inside a folder."""

from __future__ import annotations

import errno
import hashlib
import os
import shutil
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path, PureWindowsPath
from typing import IO

from convoy_core.errors import ConvoyError
from convoy_core.paths import AGENT_FOLDER, checked_path

from .errors import DiskFull, FileTrouble, FolderRefused

CHUNK = 1024 * 1024


def sha256_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def hashed(places: Sequence[str]) -> list[str]:
    """The sha256 of many files, on all cores: hashing lets go of the interpreter for everything but small files.

    Empty for a file that is gone meanwhile, or that one may not read.
    """
    if len(places) < FEW:
        return _hash_all(places)
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return [sha256 for part in pool.map(_hash_all, _parts(places)) for sha256 in part]


FEW, PART = 8, 64
"""Below FEW files threads cost more than they bring; PART files at a time are handed to a thread."""


def _parts(places: Sequence[str]) -> list[Sequence[str]]:
    return [places[start : start + PART] for start in range(0, len(places), PART)]


def _hash_all(places: Sequence[str]) -> list[str]:
    return [_hash_or_nothing(Path(place)) for place in places]


def _hash_or_nothing(place: Path) -> str:
    try:
        return sha256_of(place)
    except (FileNotFoundError, PermissionError):
        return ""


def write_at_once(path: Path, data: bytes, private: bool = False) -> None:
    """Writes beside the place and swaps in; whoever reads sees the old or the new content, also after a power cut."""
    beside = path.with_name(path.name + ".new")
    with made_anew(beside, 0o600 if private else 0o644) as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    beside.replace(path)


def made_anew(place: Path, mode: int = 0o644) -> IO[bytes]:
    """A working file, made and never opened: what lies there may be a link that leads elsewhere."""
    place.unlink(missing_ok=True)
    return os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "wb")


def to_disk() -> None:
    """Everything written so far is on the disk when this returns, also after a power cut."""
    if hasattr(os, "sync"):
        os.sync()


def flushed(file: IO[bytes]) -> None:
    """For a file that has just been written, on systems where `to_disk` cannot see to it."""
    if not hasattr(os, "sync"):
        file.flush()
        os.fsync(file.fileno())


def far_reaching(root: str) -> str:
    """A Windows folder in the form that takes paths of more than 260 characters; any other as it is."""
    place = PureWindowsPath(root)
    if not place.is_absolute() or root.startswith("\\\\?\\"):
        return root
    return f"\\\\?\\UNC\\{root[2:]}" if root.startswith("\\\\") else f"\\\\?\\{root}"


def move(source: Path, target: Path) -> None:
    """Renames; where `target` lies on another disk (a folder of an installation may be one), copies and removes."""
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        source.replace(target)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        copy_beside(source, target)
        source.unlink()


def copy_beside(source: Path, target: Path) -> None:
    """Copies next to `target` and swaps in, so that nobody ever sees half a file. A link is copied as a link."""
    beside = target.with_name(target.name + COPYING)
    # Made anew, never opened: what lies there may be a link that leads out.
    beside.unlink(missing_ok=True)
    if source.is_symlink():
        beside.symlink_to(source.readlink())
    else:
        with source.open("rb") as here, beside.open("xb") as there:
            shutil.copyfileobj(here, there, CHUNK)
            flushed(there)
        shutil.copymode(source, beside)
    beside.replace(target)


COPYING = ".convoy-new"
"""Ends the name of a file that is being copied."""


def inside(root: Path, path: str) -> Path:
    """The place of a path in an installation. Raises FolderRefused when a link on the way could lead out of it.

    Asked again at the moment of writing: a folder may have become a link since the scan.
    """
    place = unlinked(root, checked_path(path))
    if place.is_symlink():
        raise _link(root, place)
    return place


def unlinked(root: Path, path: str) -> Path:
    """The place of a path that lies in no linked folder; it may be a link itself. Raises FolderRefused."""
    place = root
    for part in path.split("/")[:-1]:
        place = place / part
        if place.is_symlink():
            raise _link(root, place)
    return root / path


def _link(root: Path, place: Path) -> FolderRefused:
    return FolderRefused(
        f"“{place.relative_to(root)}” in the installation is a link.",
        "It could lead out of the folder, and nothing is written through links.",
        "Move the link away, then sync again.",
        path=str(place),
    )


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
    while folder != root:
        try:
            folder.rmdir()
        except OSError:
            return
        folder = folder.parent


def walk(root: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Files (and links, which are not followed) below a folder but for the agent's own, as (path, entry).

    A folder that goes away meanwhile, as a running game makes some do, has nothing in it.
    """
    pending = [("", str(root))]
    while pending:
        prefix, folder = pending.pop()
        with suppress(FileNotFoundError), os.scandir(folder) as entries:
            for entry in entries:
                path = prefix + entry.name
                if not prefix and entry.name == AGENT_FOLDER:
                    continue
                if entry.is_dir(follow_symlinks=False):
                    pending.append((path + "/", entry.path))
                else:
                    yield path, entry
