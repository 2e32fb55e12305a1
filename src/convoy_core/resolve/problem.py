"""What goes into the resolver and what comes out of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..model import Base, Build
from ..ranges import Range
from ..versions import Version


@dataclass(frozen=True, slots=True)
class Problem:
    """`keep`: versions of the current lock; `refresh`: mods of it that are being updated, and so need not be kept."""

    base: Base
    builds: Sequence[Build]
    want: Mapping[str, Range]
    keep: Mapping[str, Version] = field(default_factory=dict)
    refresh: frozenset[str] = frozenset()
    names: Mapping[str, str] = field(default_factory=dict)
    """Mod id to the name by which sentences call it; ids that are missing stand for themselves."""

    def name(self, mod: str) -> str:
        return self.names.get(mod, mod)


@dataclass(frozen=True, slots=True)
class Solved:
    """One build per mod, by mod id in alphabetical order."""

    picks: Mapping[str, Build]


@dataclass(frozen=True, slots=True)
class Impossible:
    """Why no lock exists: `core` is a smallest set of wanted mods that cannot go together, `because` says it."""

    because: tuple[str, ...]
    core: tuple[str, ...]


Answer = Solved | Impossible
