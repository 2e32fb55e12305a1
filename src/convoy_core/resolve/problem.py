"""What goes into the resolver."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from ..words.model import Base, Build
from ..words.ranges import Range
from ..words.versions import Version


class Library(Protocol):
    """The builds to choose from. Asked once per mod and problem; only mods that the search comes to are asked for."""

    def builds_of(self, mod: str) -> Sequence[Build]:
        """Every build of a mod, in any order; empty when there is none."""

    def providers_of(self, mod: str) -> Sequence[str]:
        """Other mods of which some build provides this one, sorted."""


class Shelves:
    """A library of builds that are all at hand."""

    def __init__(self, builds: Iterable[Build]) -> None:
        self._builds: dict[str, list[Build]] = {}
        self._providers: dict[str, list[str]] = {}
        self.add(builds)

    def add(self, builds: Iterable[Build]) -> None:
        """More mods, with all their builds. What was worked out before stays so only where none of them stands in for a
        mod that was asked for.
        """
        providers: dict[str, set[str]] = {}
        for build in builds:
            self._builds.setdefault(build.mod, []).append(build)
            for provided in build.provides:
                if provided != build.mod:
                    providers.setdefault(provided, set()).add(build.mod)
        for mod, others in providers.items():
            self._providers[mod] = sorted(others.union(self._providers.get(mod, ())))

    def builds_of(self, mod: str) -> Sequence[Build]:
        return self._builds.get(mod, ())

    def providers_of(self, mod: str) -> Sequence[str]:
        return self._providers.get(mod, ())


@dataclass(frozen=True, slots=True)
class Problem:
    """`keep`: versions of the current lock; `refresh`: mods of it that are being updated, and so need not be kept."""

    base: Base
    library: Library
    want: Mapping[str, Range]
    keep: Mapping[str, Version] = field(default_factory=dict)
    refresh: frozenset[str] = frozenset()
    names: Mapping[str, str] = field(default_factory=dict)
    """Mod id to the name by which sentences call it; ids that are missing stand for themselves."""

    def name(self, mod: str) -> str:
        return self.names.get(mod, mod)
