"""A ZIP that is made while it is sent: nothing of it lies on a disk, and no member is in memory whole."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import IO, cast

from .bags import DATE


@dataclass(frozen=True, slots=True)
class Streamed:
    """One member. `blocks`: its content."""

    path: str
    blocks: Iterator[bytes]


class _Out:
    """What `zipfile` writes to: it can neither seek nor tell, so that sizes come after each member."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def write(self, data: bytes) -> int:
        self._parts.append(bytes(data))
        return len(data)

    def flush(self) -> None: ...

    def taken(self) -> bytes:
        parts, self._parts = b"".join(self._parts), []
        return parts


def streamed_zip(members: Iterable[Streamed]) -> Iterator[bytes]:
    """Stored, not squeezed: what is large in it is packed already."""
    out = _Out()
    with zipfile.ZipFile(cast(IO[bytes], out), "w", zipfile.ZIP_STORED) as packed:
        for member in members:
            # Larger than 4 GB, or not: nobody knows before it was read.
            with packed.open(zipfile.ZipInfo(member.path, DATE), "w", force_zip64=True) as place:
                for block in member.blocks:
                    place.write(block)
                    yield out.taken()
            yield out.taken()
    yield out.taken()
