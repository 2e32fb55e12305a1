"""Mods among which a fault lies, and which can be tried without which: no set that lacks a need is ever tried."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from ..words.errors import MalformedInput

MOST_MODS = 20_000


@dataclass(frozen=True)
class Suspects:
    """`needs`: by mod what it cannot be tried without. Raises MalformedInput for a need that is none of the mods."""

    mods: tuple[str, ...]
    needs: Mapping[str, Sequence[str]]

    def __post_init__(self) -> None:
        known = set(self.mods)
        if len(known) < len(self.mods) or len(known) > MOST_MODS:
            raise MalformedInput("A mod is named twice, or there are more than anybody has.", field="mods")
        for mod, wanted in self.needs.items():
            if missing := {mod, *wanted} - known:
                raise MalformedInput(f"“{min(missing)[:60]}” is none of the mods.", field="needs")

    @cached_property
    def units(self) -> tuple[tuple[str, ...], ...]:
        """Mods that need each other come together or not at all. What a unit needs stands before it, so that every
        beginning of the row can be tried; else they stand as the mods do.
        """
        found: list[tuple[str, ...]] = []
        number: dict[str, int] = {}
        lowest: dict[str, int] = {}
        stack: list[str] = []
        on_stack: set[str] = set()
        for start in self.mods:
            # Tarjan's algorithm, without recursion: chains of needs may be long.
            work = [(start, iter(self.needs.get(start, ())))] if start not in number else []
            while work:
                mod, left = work[-1]
                if mod not in number:
                    number[mod] = lowest[mod] = len(number)
                    stack.append(mod)
                    on_stack.add(mod)
                for need in left:
                    if need not in number:
                        work.append((need, iter(self.needs.get(need, ()))))
                        break
                    if need in on_stack:
                        lowest[mod] = min(lowest[mod], number[need])
                else:
                    work.pop()
                    if work:
                        above = work[-1][0]
                        lowest[above] = min(lowest[above], lowest[mod])
                    if lowest[mod] == number[mod]:
                        at = stack.index(mod)
                        unit = set(stack[at:])
                        on_stack -= unit
                        del stack[at:]
                        found.append(tuple(one for one in self.mods if one in unit) if len(unit) > 1 else (mod,))
        return tuple(found)

    @cached_property
    def unit_of(self) -> Mapping[str, int]:
        return {mod: at for at, unit in enumerate(self.units) for mod in unit}

    @cached_property
    def _closures(self) -> tuple[frozenset[int], ...]:
        made: list[frozenset[int]] = []
        for at, unit in enumerate(self.units):
            needed = {self.unit_of[need] for mod in unit for need in self.needs.get(mod, ())} - {at}
            made.append(frozenset({at}).union(*(made[one] for one in needed)))
        return tuple(made)

    def closed(self, units: Iterable[int]) -> frozenset[int]:
        """Units with all that they need."""
        return frozenset[int]().union(*(self._closures[one] for one in units))

    def without(self, units: Iterable[int]) -> frozenset[int]:
        """Everything that can be tried without some units: what needs them is left out, too."""
        gone = set(units)
        return frozenset(at for at, closure in enumerate(self._closures) if gone.isdisjoint(closure))

    def mods_of(self, units: Iterable[int]) -> tuple[str, ...]:
        """In the order in which they were named."""
        there = set(units)
        return tuple(mod for mod in self.mods if self.unit_of[mod] in there)
