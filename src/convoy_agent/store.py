"""The store: archives by their sha256, shared by all installations of a machine. What lies in it was verified."""

from __future__ import annotations

import shutil
from pathlib import Path

import platformdirs

from .files import sha256_of


class Store:
    """A folder of archives. `partial` holds what is being fetched; it is no part of the store until verified."""

    def __init__(self, root: Path | None = None) -> None:
        self.root = root or Path(platformdirs.user_data_dir("true-convoy")) / "store"
        self.partial = self.root / "partial"
        self.partial.mkdir(parents=True, exist_ok=True)

    def path(self, sha256: str) -> Path:
        return self.root / sha256[:2] / sha256

    def __contains__(self, sha256: object) -> bool:
        return isinstance(sha256, str) and self.path(sha256).is_file()

    def take_in(self, file: Path, sha256: str) -> bool:
        """Moves a file of this machine's into the store when its content is what it must be; says whether it was."""
        if sha256_of(file) != sha256:
            return False
        self.adopt(file, sha256)
        return True

    def adopt(self, verified: Path, sha256: str) -> None:
        """Swaps a file in whose content was hashed while it was written."""
        place = self.path(sha256)
        place.parent.mkdir(exist_ok=True)
        verified.replace(place)

    def copy_in(self, file: Path, sha256: str) -> None:
        """Copies a member's own file in, leaving theirs where it is. The caller has hashed it."""
        beside = self.partial / f"{sha256}.copy"
        shutil.copyfile(file, beside)
        self.take_in(beside, sha256)

    def drop(self, sha256: str) -> None:
        """Forgets an archive that turned out damaged."""
        self.path(sha256).unlink(missing_ok=True)
