"""Reads archives without unpacking them: table of contents, marker, hashes. Streams, whatever their size."""

from __future__ import annotations

import hashlib
import stat
import struct
import tempfile
import tomllib
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from convoy_core.outside.inspection import Member
from convoy_core.words.errors import ConvoyError

CHUNK = 2**20
"""Bytes read at a time."""

MAX_CONTENTS = 64 * 2**20
"""Bytes of a table of contents that are read: it lies in memory, and hostile ones are made large."""

MAX_MARKER = 64 * 1024


class ArchiveWrong(ConvoyError):
    """An archive that is the right file and still does not hold what the release says it holds."""

    code = "archive-wrong"


_END = struct.Struct("<4s4H2LH")
_TAIL = 66_000


def contents(archive: Path) -> list[Member]:
    """The table of contents. Raises ArchiveWrong for what is no ZIP, is cut short, or has too large a table."""
    _check_table(archive)
    with _opened(archive) as packed:
        return [
            Member(
                info.filename if not info.is_dir() else info.filename.rstrip("/") + "/",
                info.file_size,
                info.compress_size,
                stat.S_ISLNK(info.external_attr >> 16),
                bool(info.flag_bits & 1),
            )
            for info in packed.infolist()
        ]


def marker_of(archive: Path, path: str) -> dict[str, Any]:
    """A marker file's fields; empty when it is no TOML. Raises ArchiveWrong when it cannot be read."""
    with _opened(archive) as packed:
        if packed.getinfo(path).file_size > MAX_MARKER:
            return {}
        text = _read(packed, path)
    try:
        return tomllib.loads(text.decode())
    except (ValueError, RecursionError):
        return {}


def newest_date(archive: Path) -> str:
    """The day on which the archive's newest member was changed, as the archive says; empty where it says none."""
    with _opened(archive) as packed:
        days = [info.date_time[:3] for info in packed.infolist()]
    return "{:04}-{:02}-{:02}".format(*max(days)) if days else ""


def hashes(archive: Path, members: list[Member]) -> Iterator[tuple[str, str]]:
    """Path and sha256 of each file, streamed; no member may give more than its table says. Raises ArchiveWrong."""
    with _opened(archive) as packed:
        for member in members:
            if not member.is_folder:
                digest = hashlib.sha256()
                for block in _blocks(packed, member.path, member.size):
                    digest.update(block)
                yield member.path, digest.hexdigest()


@contextmanager
def opened_member(archive: Path, member: Member) -> Iterator[BinaryIO]:
    """One member as a file to be read, no longer than its table says. Raises ArchiveWrong."""
    with _opened(archive) as packed, tempfile.TemporaryFile() as out:
        for block in _blocks(packed, member.path, member.size):
            out.write(block)
        out.seek(0)
        yield out


def _read(packed: zipfile.ZipFile, path: str) -> bytes:
    return b"".join(_blocks(packed, path, packed.getinfo(path).file_size))


def _blocks(packed: zipfile.ZipFile, path: str, size: int) -> Iterator[bytes]:
    left = size
    try:
        with packed.open(path) as source:
            while block := source.read(min(CHUNK, left + 1)):
                left -= len(block)
                if left < 0:
                    raise ArchiveWrong(f"{path} in it is larger than it says.", path=path)
                yield block
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
        raise ArchiveWrong(f"{path} in it cannot be read.", str(error), path=path) from error


def _opened(archive: Path) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(archive)
    except (zipfile.BadZipFile, NotImplementedError, ValueError, struct.error) as error:
        raise ArchiveWrong(
            "It is no ZIP archive, or was cut short.", str(error), "Get it again from its source."
        ) from error


def _check_table(archive: Path) -> None:
    """The size of the table of contents, from the archive's last bytes, before any of it is read."""
    with archive.open("rb") as file:
        size = file.seek(0, 2)
        file.seek(max(0, size - _TAIL))
        tail = file.read()
    at = tail.rfind(b"PK\x05\x06")
    if at < 0 or len(tail) - at < _END.size:
        raise ArchiveWrong("It is no ZIP archive, or was cut short.", now="Get it again from its source.")
    table = _END.unpack_from(tail, at)[5]
    if table > MAX_CONTENTS and table != 0xFFFFFFFF:
        raise ArchiveWrong(f"It has a table of contents of {table // 2**20} MB.", "No honest archive has.")
