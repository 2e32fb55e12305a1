"""The one door to what is kept as files: on this machine's disk, or in an S3-compatible store (`CONVOY_FILES`).

A file's place follows from its content, so that keeping it twice is keeping it once. A store that is away is told as
such; whatever was being done is taken back by its transaction.
"""

import posixpath
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, Any

from botocore.exceptions import BotoCoreError, ClientError
from django.conf import settings
from django.core.files.base import ContentFile, File
from django.core.files.storage import default_storage

from convoy_core.words.errors import ConvoyError

CHUNK = 256 * 1024


class StorageAway(ConvoyError):
    """Where files are kept cannot be reached, or takes none."""

    code = "storage-away"


def is_kept(place: str) -> bool:
    with _told():
        return default_storage.exists(place)


def keep(place: str, content: "bytes | IO[bytes]") -> None:
    """Keeps a file, unless it is kept already. Raises StorageAway."""
    with _told():
        if not default_storage.exists(place):
            kept = default_storage.save(place, ContentFile(content) if isinstance(content, bytes) else File(content))
            if kept != place:
                # Two at once: the other one was first, and has the same content.
                default_storage.delete(kept)


def forget(place: str) -> None:
    with _told():
        default_storage.delete(place)


def read(place: str) -> bytes:
    with _told(), default_storage.open(place) as file:
        return bytes(file.read())


def signed_address(place: str) -> str:
    """Where whoever may have the file fetches it from the store itself; empty where it goes through the site."""
    return str(default_storage.url(place)) if settings.FILES_DIRECT and _bucket() is not None else ""


def blocks(place: str, start: int = 0) -> Iterator[bytes]:
    """A file from a byte on. Its first block is read at once, so that a store that is away is told of in time."""
    with _told():
        source = _opened(place, start)
        first = source.read(CHUNK)
    return _rest(source, first)


def _rest(source: Any, block: bytes) -> Iterator[bytes]:
    try:
        while block:
            yield block
            block = source.read(CHUNK)
    finally:
        source.close()


def _opened(place: str, start: int) -> Any:
    bucket = _bucket()
    if bucket is not None:
        # The package would fetch the whole before giving the first byte; the store itself knows ranges.
        name = posixpath.join(getattr(default_storage, "location", ""), place)
        return bucket.Object(name).get(Range=f"bytes={start}-")["Body"]
    file = default_storage.open(place)
    file.seek(start)
    return file


def _bucket() -> Any:
    """The S3 bucket, where there is one."""
    return getattr(default_storage, "bucket", None)


@contextmanager
def _told() -> Iterator[None]:
    try:
        yield
    except FileNotFoundError:
        raise
    except (OSError, BotoCoreError, ClientError) as error:
        raise StorageAway(
            "Where the site keeps files cannot be reached just now.",
            f"{type(error).__name__}.",
            "Nothing was changed. Try again in a moment.",
        ) from error
