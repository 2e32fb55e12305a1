"""The bench's archives: fetched once from where any program may fetch, checked, and kept for the next trial."""

import os
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path

import httpx
from django.conf import settings

from convoy_core.handing_out.places import open_addresses
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_io.open_network import ClosedAddress

from .. import kept_files
from ..catalogue import reaching
from ..catalogue.fetching import NotRead, fetch_archive
from ..packs import own_files
from ..releases.as_files.packing import Subject, kept_of

MOST_KEPT = 20 * 2**30
"""Bytes of archives that the bench keeps; the longest unused go first."""

AWAY = "Its source did not give it just now."
PERSONS = "Only a person may fetch it."


def folder() -> Path:
    found = Path(settings.DATA) / "bench" / "archives"
    found.mkdir(parents=True, exist_ok=True)
    return found


def place_of(sha256: str) -> Path:
    return folder() / f"{sha256}.zip"


def gather(subject: Subject, came: Callable[[int], None]) -> dict[str, str]:
    """Has every archive of a lock lie here that can be had. Gives the mods whose archives cannot, each with the reason.
    `came`: told of every block's size; what it raises ends it.
    """
    lock = subject.recipe.lock
    missing: dict[str, str] = {}
    own = kept_of(subject.pack, [build.archive.sha256 for build in lock.builds])
    with reaching.client() as client:
        for build in lock.builds:
            place = place_of(build.archive.sha256)
            is_draft_own = build.mod == OVERLAY and subject.release is None
            addresses = open_addresses(build, subject.sources)
            if build.archive.sha256 not in own and not is_draft_own and not addresses:
                # It may lie here for another crew, whose own it is: that is no reason to hand it on.
                missing[build.mod] = PERSONS
            elif place.is_file():
                os.utime(place)
                came(build.archive.size)
            elif build.archive.sha256 in own:
                _copy(own[build.archive.sha256].place, place)
                came(build.archive.size)
            elif is_draft_own:
                _write(place, own_files.archive_of(subject.pack.draft))
            else:
                missing |= _fetch(client, build, addresses, place, came)
    return missing


def _fetch(
    client: httpx.Client, build: LockedBuild, addresses: Sequence[str], place: Path, came: Callable[[int], None]
) -> dict[str, str]:
    beside = place.with_name(f"{place.stem}.{os.getpid()}-{time.monotonic_ns()}.part")
    try:
        fetch_archive(client, addresses, build.archive, beside, came)
        beside.replace(place)
    except (NotRead, ClosedAddress, httpx.InvalidURL):
        return {build.mod: AWAY}
    finally:
        beside.unlink(missing_ok=True)
    return {}


def _copy(kept: str, place: Path) -> None:
    _write(place, b"".join(kept_files.blocks(kept)))


def _write(place: Path, data: bytes) -> None:
    beside = place.with_name(f"{place.stem}.{os.getpid()}-{time.monotonic_ns()}.part")
    beside.write_bytes(data)
    beside.replace(place)


def sweep() -> None:
    """Drops the longest unused archives above MOST_KEPT, and halves of killed fetches."""
    found = []
    for one in folder().iterdir():
        with suppress(OSError):
            told = one.stat()
            if one.suffix == ".part" and time.time() - told.st_mtime > 24 * 3600:
                one.unlink()
            else:
                found.append((told.st_mtime, told.st_size, one))
    left = sum(size for _, size, _ in found)
    for _, size, one in sorted(found):
        if left <= MOST_KEPT:
            return
        with suppress(OSError):
            one.unlink()
            left -= size
