"""What is asked of an archive without unpacking it: table of contents, marker, hashes. Streams, whatever its size."""

from __future__ import annotations

import hashlib
import tempfile
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

from convoy_core.outside.fields import plain
from convoy_core.outside.inspection import Member

from .zips import ArchiveWrong, opened

__all__ = ["ArchiveWrong", "contents", "hashes", "marker_of", "newest_date", "opened_member"]

MAX_MARKER = 64 * 1024


def contents(archive: Path) -> list[Member]:
    """The table of contents. Raises ArchiveWrong for what is no ZIP, is cut short, or reads in two ways."""
    with opened(archive) as packed:
        return [
            Member(one.name, one.size, one.packed, one.is_link, one.is_encrypted, one.is_odd, one.guessed)
            for one in packed.entries
        ]


def marker_of(archive: Path, path: str) -> dict[str, Any]:
    """A marker file's fields, as far as they can be kept as JSON; empty when it is no TOML. Raises ArchiveWrong when it
    cannot be read.
    """
    with opened(archive) as packed:
        entry = packed.get(path)
        if entry.size > MAX_MARKER:
            return {}
        text = b"".join(packed.blocks(entry))
    try:
        return dict(plain(tomllib.loads(text.decode())))
    except (ValueError, RecursionError):
        return {}


def newest_date(archive: Path) -> str:
    """The day on which the archive's newest member was changed, as the archive says; empty where it says none."""
    with opened(archive) as packed:
        days = [one.date for one in packed.entries]
    return "{:04}-{:02}-{:02}".format(*max(days)) if days else ""


def hashes(archive: Path, members: list[Member]) -> Iterator[tuple[str, str]]:
    """Path and sha256 of each file, streamed; no member may give more than its table says. Raises ArchiveWrong."""
    with opened(archive) as packed:
        for member in members:
            if not member.is_folder:
                digest = hashlib.sha256()
                for block in packed.blocks(packed.get(member.path)):
                    digest.update(block)
                yield member.path, digest.hexdigest()


@contextmanager
def opened_member(archive: Path, member: Member) -> Iterator[BinaryIO]:
    """One member as a file to be read, no longer than its table says. Raises ArchiveWrong."""
    with opened(archive) as packed, tempfile.TemporaryFile() as out:
        for block in packed.blocks(packed.get(member.path)):
            out.write(block)
        out.seek(0)
        yield out
