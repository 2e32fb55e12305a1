"""The one door to what is kept as files: on this machine's disk, or in an S3-compatible store (`CONVOY_FILES`).

A file's place follows from its content, so that keeping it twice is keeping it once. A store that is away is told as
such; whatever was being done is taken back by its transaction.
"""

import hashlib
import os
import posixpath
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any

from botocore.exceptions import BotoCoreError, ClientError
from django.conf import settings
from django.core.files.base import ContentFile, File
from django.core.files.storage import default_storage
from django.utils import timezone

from convoy_core.words.errors import ConvoyError

CHUNK = 256 * 1024

UNFINISHED = "unfinished"
"""Where files lie until they have been read again."""


class StorageAway(ConvoyError):
    """Where files are kept cannot be reached, or takes none."""

    code = "storage-away"


def is_kept(place: str) -> bool:
    with told():
        return default_storage.exists(place)


def keep(place: str, content: "bytes | IO[bytes]", sha256: str) -> None:
    """Keeps a file of this hash. What lies there already is looked at, and replaced where it is another; what is
    written is written beside its place, read again, and only then called what it is. Raises StorageAway.
    """
    with told():
        if default_storage.exists(place) and _hash_of(place) == sha256:
            return
        made = ContentFile(content) if isinstance(content, bytes) else File(content)
        beside = default_storage.save(f"{UNFINISHED}/{uuid.uuid4().hex}", made)
        try:
            if _hash_of(beside) != sha256:
                raise OSError("what was written is not what lies there")
            _move(beside, place)
        except BaseException:
            with suppress(Exception):
                default_storage.delete(beside)
            raise


def _hash_of(place: str) -> str:
    digest = hashlib.sha256()
    for block in blocks(place):
        digest.update(block)
    return digest.hexdigest()


def _move(beside: str, place: str) -> None:
    bucket = _bucket()
    if bucket is None:
        final = Path(default_storage.path(place))
        final.parent.mkdir(parents=True, exist_ok=True)
        _synced(Path(default_storage.path(beside)))
        Path(default_storage.path(beside)).replace(final)
        return
    # A store of objects has no renaming: it copies within itself, and the copy is whole or not there.
    location = getattr(default_storage, "location", "")
    source, target = posixpath.join(location, beside), posixpath.join(location, place)
    bucket.Object(target).copy_from(CopySource={"Bucket": bucket.name, "Key": source})
    default_storage.delete(beside)


def _synced(place: Path) -> None:
    with place.open("rb") as file:
        os.fsync(file.fileno())


def sweep_unfinished(older_than: float) -> int:
    """Takes away what was begun and never kept, by its age in seconds; gives how many."""
    gone = 0
    with told():
        names = default_storage.listdir(UNFINISHED)[1] if _has_unfinished() else []
        for name in names:
            place = f"{UNFINISHED}/{name}"
            age = (timezone.now() - default_storage.get_modified_time(place)).total_seconds()
            if age > older_than:
                default_storage.delete(place)
                gone += 1
    return gone


def _has_unfinished() -> bool:
    return _bucket() is not None or default_storage.exists(UNFINISHED)


@contextmanager
def as_path(place: str, beside: Path) -> Iterator[Path]:
    """A kept file as one of this machine's, for what reads here and there in it; `beside`: where a copy may lie.
    Raises StorageAway.
    """
    with told():
        if _bucket() is None:
            yield Path(default_storage.path(place))
            return
        with tempfile.NamedTemporaryFile(dir=beside) as copy:
            for block in blocks(place):
                copy.write(block)
            copy.flush()
            yield Path(copy.name)


def forget(place: str) -> None:
    with told():
        default_storage.delete(place)


def read(place: str) -> bytes:
    with told(), default_storage.open(place) as file:
        return bytes(file.read())


def signed_address(place: str) -> str:
    """Where whoever may have the file fetches it from the store itself; empty where it goes through the site."""
    return str(default_storage.url(place)) if settings.FILES_DIRECT and _bucket() is not None else ""


def blocks(place: str, start: int = 0) -> Iterator[bytes]:
    """A file from a byte on. Its first block is read at once, so that a store that is away is told of in time."""
    with told():
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
def told() -> Iterator[None]:
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
