"""Takes a request's body as a file of its own, however large: within its limit, within its time, and no half of it."""

import hashlib
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, cast

from django.conf import settings
from django.http import HttpRequest

from convoy_core.words.errors import ConvoyError

from .kept_files import StorageAway, told

CHUNK = 2**20

GRACE_SECONDS, SLOWEST = 60, 16 * 1024
"""A body that brings fewer bytes a second than this, after the first minute, keeps a place for nothing."""

SPARE_BYTES = 256 * 2**20
"""What stays free on the site's disk: the database may lie on it."""

LEFT_OVER_AFTER = 24 * 3600
"""Seconds. A file that lies here longer is of an upload that was killed."""


class TooLarge(ConvoyError):
    code = "too-large"


class TooSlow(ConvoyError):
    code = "too-slow"


@dataclass(frozen=True)
class Upload:
    """A body that was not read yet. `size`: what it says of itself in bytes; 0 where it does not."""

    stream: BinaryIO
    size: int = 0


def upload_of(request: HttpRequest) -> Upload:
    length = str(request.META.get("CONTENT_LENGTH") or "0")
    return Upload(cast(BinaryIO, request), int(length) if length.isdecimal() and length.isascii() else 0)


@contextmanager
def incoming(upload: Upload, most: int) -> Iterator[tuple[Path, str]]:
    """The body as a file and its sha256, while the context lasts. `most`: bytes; one that says that it has more is not
    read at all. Raises TooLarge, TooSlow, StorageAway.
    """
    if upload.size > most:
        raise _too_large(most)
    place = folder()
    if shutil.disk_usage(place).free < upload.size + SPARE_BYTES:
        raise StorageAway("The site's disk is full.", now="Nothing was kept. Tell the site's keeper.")
    digest, size, began = hashlib.sha256(), 0, time.monotonic()
    with tempfile.NamedTemporaryFile(dir=place) as file:
        while block := upload.stream.read(CHUNK):
            size += len(block)
            if size > most:
                raise _too_large(most)
            if time.monotonic() - began > GRACE_SECONDS + size / SLOWEST:
                raise TooSlow("The file comes too slowly.", now="Try again on a better line.")
            digest.update(block)
            with told():
                file.write(block)
        with told():
            file.flush()
        yield Path(file.name), digest.hexdigest()


def sweep() -> int:
    """Takes away what killed uploads and workers left behind; gives how many."""
    gone = 0
    for place in folder().iterdir():
        if time.time() - place.stat().st_mtime > LEFT_OVER_AFTER:
            if place.is_dir():  # of a worker that was killed over an archive
                shutil.rmtree(place, ignore_errors=True)
            else:
                place.unlink(missing_ok=True)
            gone += 1
    return gone


def folder() -> Path:
    """Where files lie on this machine while they are worked on; what stays too long is swept."""
    folder = Path(settings.DATA) / "incoming"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _too_large(most: int) -> TooLarge:
    return TooLarge(f"The file is larger than {most // CHUNK} MB.", now="Choose a smaller one.")
