"""The files of one build, with what checks ask of them again and again: worked out once, and kept with them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from ..lock.lock import PlacedFile
from ..outside.paths import fold
from ..outside.patterns import matcher

PACKED = (".zip", ".7z", ".rar", ".tar", ".tar.gz", ".tgz", ".tar.xz")
"""How names of archives end."""


class FileSet(tuple[PlacedFile, ...]):
    """Whoever keeps builds' files from check to check keeps these: what they say of themselves does not change with an
    edit of the draft.
    """

    @cached_property
    def hashes(self) -> Mapping[str, str]:
        """Path to sha256."""
        return {file.path: file.sha256 for file in self}

    @cached_property
    def sizes(self) -> Mapping[str, int]:
        return {file.path: file.size for file in self}

    @cached_property
    def folded(self) -> Mapping[str, str]:
        """What systems may take a path for that do not tell spellings apart, to the path."""
        return {fold(file.path): file.path for file in self}

    @cached_property
    def packed(self) -> tuple[str, ...]:
        """Paths of archives."""
        return tuple(file.path for file in self if file.path.lower().endswith(PACKED))

    @cached_property
    def _astray(self) -> dict[tuple[tuple[str, ...], tuple[str, ...]], tuple[str, ...]]:
        return {}

    def outside(self, tops: tuple[str, ...], patterns: tuple[str, ...]) -> tuple[str, ...]:
        """Paths that lie neither below one of these folders nor where a pattern says. Kept for the game it was asked
        for.
        """
        found = self._astray.get((tops, patterns))
        if found is None:
            read = matcher(patterns) if patterns else None
            below = tuple(f"{top}/" for top in tops)
            paths = (file.path for file in self if not file.path.startswith(below))
            found = tuple(path for path in paths if read is None or not read.fullmatch(path))
            self._astray[tops, patterns] = found
        return found
