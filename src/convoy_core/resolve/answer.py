"""What comes out of the resolver: a lock's builds, or why there is none and what would free it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from ..words.model import Base, Build
from ..words.ranges import Range


class Freeing(StrEnum):
    OTHER_VERSION = "other version"
    TEST_BUILD = "test build"
    OTHER_BASE = "other base"
    LEAVE_OUT = "leave out"


@dataclass(frozen=True, slots=True)
class WayOut:
    """One change that was tried and makes all the wanted lines possible."""

    freeing: Freeing
    text: str
    mod: str = ""
    range: Range | None = None
    base: Base | None = None


@dataclass(frozen=True, slots=True)
class Solved:
    """One build per mod, by mod id in alphabetical order."""

    picks: Mapping[str, Build]
    proven: bool = True
    """Whether it was proven to be the best by the preference order; not when the search for better was cut off."""


@dataclass(frozen=True, slots=True)
class Impossible:
    """Why no lock exists: `core` is a smallest set of wanted mods that cannot go together, `because` says it."""

    because: tuple[str, ...]
    core: tuple[str, ...]
    ways_out: tuple[WayOut, ...] = ()
    """Changes that would free it, each tried."""


Answer = Solved | Impossible
