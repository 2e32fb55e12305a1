"""Fetches one archive from wherever its source has it: bounded by its size, and kept only where its hash is right."""

import hashlib
from collections.abc import Callable, Iterable
from pathlib import Path

import httpx

from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Archive

from .. import kept_files


class NotRead(ConvoyError):
    """An archive that could not be had, or is not what its source says."""

    code = "not-read"


def fetch_archive(
    client: httpx.Client,
    addresses: Iterable[str],
    archive: Archive,
    path: Path,
    came: Callable[[int], None] = lambda _: None,
) -> None:
    """Tries one address after the other. `came`: told of every block's size; what it raises ends the fetching.

    Raises NotRead, and what reaching a source raises beside HTTP's own errors.
    """
    trouble = "It names no place."
    for address in addresses:
        try:
            with client.stream("GET", address) as answer, path.open("wb") as out:
                answer.raise_for_status()
                digest, left = hashlib.sha256(), archive.size
                for block in answer.iter_bytes(kept_files.CHUNK):
                    left -= len(block)
                    if left < 0:
                        break
                    digest.update(block)
                    out.write(block)
                    came(len(block))
        except httpx.HTTPError as error:
            trouble = f"{type(error).__name__} at {httpx.URL(address).host}."
            continue
        if left == 0 and digest.hexdigest() == archive.sha256:
            return
        trouble = "What came is not the archive that its source lists."
    raise NotRead(f"{archive.name} cannot be read.", trouble)
