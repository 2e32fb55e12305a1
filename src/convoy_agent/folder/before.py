"""What lay in a folder before the pack came, and is of the pack: files that somebody had put there by hand.

They are the member's. `list.json` names each path with the sha256 of what lay there; when the pack puts another file
in its place, what lay there moves to `.convoy/before/SHA256`. Leaving puts it back. Source: docs/rules.md, "The job"
10; docs/rules.md, "Sync".
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path

from ..storage import disk, sealed
from ..storage.files import copy_beside, move, sha256_of


class Before:
    """What lay in one folder before joining. `own` is the agent's folder there. The caller holds the folder."""

    def __init__(self, own: Path) -> None:
        self.place = own / "before"
        self._list = self.place / "list.json"

    @cached_property
    def files(self) -> dict[str, str]:
        """Path to the sha256 of what lay there. Raises Damaged when both copies of the list are."""
        try:
            return sealed.read(self._list, lambda told: {str(path): str(one) for path, one in told.items()}, twin=True)
        except FileNotFoundError:
            return {}

    def add(self, adopted: Mapping[str, str]) -> None:
        """Notes files that lie there and were put there by no sync. What is noted of a path last stands: an earlier
        note may be of a time before somebody left and came back. What was kept by it stays kept, by its content.
        """
        new = {path: sha256 for path, sha256 in adopted.items() if self.files.get(path) != sha256}
        if new:
            self.files.update(new)
            self.place.mkdir(exist_ok=True)
            sealed.write(self._list, self.files, twin=True)

    def is_original(self, path: str, sha256: str) -> bool:
        """Whether what lies at a path is what lay there before the pack came."""
        return self.files.get(path) == sha256

    def take(self, file: Path, sha256: str) -> None:
        """Moves such a file out of the pack's way. Its content is known to be `sha256`."""
        kept = self.content(sha256)
        if kept.is_file() and sha256_of(kept) == sha256:
            disk.remove(file)
            return
        move(file, kept)

    def copy(self, file: Path, sha256: str) -> None:
        """The same for a file that stays and is about to be changed."""
        kept = self.content(sha256)
        if not (kept.is_file() and sha256_of(kept) == sha256):
            self.place.mkdir(exist_ok=True)
            copy_beside(file, kept)

    def content(self, sha256: str) -> Path:
        return self.place / sha256
