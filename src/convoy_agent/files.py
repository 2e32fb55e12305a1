"""Small things done to files, carefully: hashing, writing at once or not at all, staying inside a folder."""

from __future__ import annotations

import errno
import hashlib
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from convoy_core.paths import AGENT_FOLDER, checked_path

from .errors import DiskFull, FolderRefused

CHUNK = 1024 * 1024


def sha256_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def hashed(places: Sequence[str]) -> list[str]:
    """The sha256 of many files, on all cores: hashing lets go of the interpreter for everything but small files."""
    if len(places) < FEW:
        return [sha256_of(Path(place)) for place in places]
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return [sha256 for part in pool.map(_hash_all, _parts(places)) for sha256 in part]


FEW, PART = 8, 64
"""Below FEW files threads cost more than they bring; PART files at a time are handed to a thread."""


def _parts(places: Sequence[str]) -> list[Sequence[str]]:
    return [places[start : start + PART] for start in range(0, len(places), PART)]


def _hash_all(places: Sequence[str]) -> list[str]:
    return [sha256_of(Path(place)) for place in places]


def write_at_once(path: Path, data: bytes, private: bool = False) -> None:
    """Writes beside the place and swaps in; whoever reads sees the old or the new content, also after a power cut."""
    beside = path.with_name(path.name + ".new")
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600 if private else 0o644)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    beside.replace(path)


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
def told_when_full(where: Path) -> Iterator[None]:
    """Tells a full or read-only disk as what it is."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise DiskFull(
                "The disk is full.",
                f"{where} takes no more.",
                "Make room, then sync again: it goes on where it stopped.",
            ) from error
        if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
            raise FolderRefused(
                f"{error.filename or where} cannot be written.",
                "The folder or the disk is read-only for you.",
                "Change its permissions, or choose another folder.",
            ) from error
        raise


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
    """Files (and links, which are not followed) below a folder but for the agent's own, as (path, entry)."""
    pending = [("", str(root))]
    while pending:
        prefix, folder = pending.pop()
        with os.scandir(folder) as entries:
            for entry in entries:
                path = prefix + entry.name
                if not prefix and entry.name == AGENT_FOLDER:
                    continue
                if entry.is_dir(follow_symlinks=False):
                    pending.append((path + "/", entry.path))
                else:
                    yield path, entry
