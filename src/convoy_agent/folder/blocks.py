"""Files of one content that several installations of a machine hold lie on the disk once, where its system can do that.

Where a file system lets two files share their blocks until one is written to (reflinks), a copied game and a file that
another installation holds take no room of their own. Hard links would do the same, and are not used: a game that writes
into its file would write into the other installation's. Source: docs/rules.md, "The job" 10; docs/rules.md, "Sync".
"""

from __future__ import annotations

import sys
from functools import cached_property
from pathlib import Path

from convoy_core.words.errors import ConvoyError

from ..storage import disk
from ..storage.files import inside, sha256_of
from ..storage.store import Store
from .folder import Folder

_FICLONE = 0x40049409
"""Linux's request to share another file's blocks."""


def clone_blocks(source: Path, target: Path) -> bool:
    """Makes `target` a file that shares all blocks of `source`; says whether the system could."""
    if sys.platform != "linux":
        return False
    import fcntl

    with source.open("rb") as there, target.open("wb") as here:
        try:
            fcntl.ioctl(here.fileno(), _FICLONE, there.fileno())
        except OSError:
            return False
    return True


class Siblings:
    """The other installations of this machine, and what of theirs can be shared. One for one sync."""

    def __init__(self, folder: Folder, store: Store) -> None:
        self._folder, self._store = folder, store
        self._able = self._can_share()

    def share(self, sha256: str, to: Path) -> bool:
        """Makes `to` a file of this content out of another installation's; says whether there was one. Verified."""
        place = self._places.get(sha256) if self._able else None
        if place is None:
            return False
        try:
            if clone_blocks(place, to) and sha256_of(to) == sha256:
                return True
        except OSError:
            pass  # It went, or its disk did, since its agent recorded it: then this file is unpacked like any other.
        disk.remove(to)
        return False

    def _can_share(self) -> bool:
        """Tried on a file of one byte, so that nothing more is looked at where the answer is no, as it mostly is."""
        if not self._others:
            return False
        probe, twin = (self._folder.staging / name for name in ("probe", "twin"))
        probe.write_bytes(b"?")
        able = clone_blocks(probe, twin)
        for file in (probe, twin):
            disk.remove(file)
        return able

    @cached_property
    def _others(self) -> list[Folder]:
        disk = self._folder.root.stat().st_dev
        known = (Folder(root) for root in self._store.installations() if root != self._folder.root)
        return [one for one in known if one.root.stat().st_dev == disk]

    @cached_property
    def _places(self) -> dict[str, Path]:
        found: dict[str, Path] = {}
        for one in self._others:
            for path, sha256 in one.record().hashes().items():
                try:
                    found[sha256] = inside(one.root, path)
                except ConvoyError:
                    continue
        return found
