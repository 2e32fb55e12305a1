"""The search: which set to try next, and what follows from how it went.

It is a generator: it yields the mods of the next try and is sent the outcome, so that a bench, a command and a person
who answers tomorrow are served alike; the same outcomes lead to the same tries.

Units stand in a row, needs before what needs them. The shortest beginning of the row that fails ends with a culprit,
found by halving. With that culprit and its needs kept in, the shortest beginning before it that fails ends with the
next one, until the culprits alone fail. For one culprit among n that takes log2 n tries and four; each further one as
many again. Where leaving mods out never makes a set fail that worked, no culprit of the outcome can be spared; where it
does, each is tried without in the end.
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass
from enum import StrEnum
from math import ceil, log, log2

from .suspects import Suspects

SURE = 0.995
"""How sure the outcome is to be where a set that fails does so only at times."""

ELSEWHERE = 6
"""Other places that are tried where one could not be decided."""


class Outcome(StrEnum):
    WORKS = "works"
    FAILS = "fails"
    UNDECIDED = "undecided"


@dataclass(frozen=True, slots=True)
class Found:
    """`fails`: all mods together do; else there is nothing to be found. `culprits`: with what they need, they fail, and
    none of them can be spared; none where it fails with nothing at all. `without_it_works`: everything that can be
    there without them works; None where that could not be decided. `sure`: the chance that all this is so.
    """

    culprits: tuple[str, ...]
    tries: int
    without_it_works: bool | None
    sure: float
    fails: bool = True


Search = Generator[tuple[str, ...], Outcome, Found]
"""Yields sets to try; ends with what was found."""

_Answer = Generator[tuple[str, ...], Outcome, bool | None]


def tries_for_one(mods: int, chance: float = 1.0) -> int:
    """About how many tries finding one culprit takes, said beforehand."""
    levels = ceil(log2(max(mods, 1)))
    if chance >= 1:
        return levels + 4
    # Of two halves one fails, sooner or later; that nothing works, and all but the culprit, is tried again and again.
    return ceil(levels * (2 / chance - 0.5) + 2 * _repeats(mods, chance) + 2 / chance)


def _repeats(mods: int, chance: float) -> int:
    """How often a set has to work before it is taken to."""
    if chance >= 1:
        return 1
    decisions = ceil(log2(max(mods, 2))) + 4
    return ceil(log((1 - SURE) / decisions) / log(1 - chance))


def narrow(suspects: Suspects, chance: float = 1.0) -> Search:
    """`chance`: with which a set that fails does so in one try, above 0."""
    return _Narrowing(suspects, chance).search()


class _Narrowing:
    def __init__(self, suspects: Suspects, chance: float) -> None:
        self._suspects, self._chance = suspects, chance
        self._repeats = _repeats(len(suspects.mods), chance)
        self._known: dict[frozenset[int], bool | None] = {}
        self._tries = 0
        self._sure = 1.0

    def search(self) -> Search:
        suspects = self._suspects
        everything = frozenset(range(len(suspects.units)))
        if not (yield from self._fails(everything)):
            return Found((), self._tries, None, self._sure, fails=False)
        if (yield from self._fails(frozenset())):
            return Found((), self._tries, False, self._sure)
        culprits: list[int] = []
        row = list(range(len(suspects.units)))
        while not culprits or not (yield from self._fails(suspects.closed(culprits))):
            if not row:
                break
            row = yield from self._shortest(suspects.closed(culprits), row)
            culprits.append(row.pop())
        culprits = yield from self._spared(culprits)
        rest = yield from self._fails(suspects.without(culprits))
        named = tuple(suspects.units[one][0] for one in sorted(culprits))
        return Found(named, self._tries, None if rest is None else not rest, self._sure)

    def _shortest(self, kept: frozenset[int], row: list[int]) -> Generator[tuple[str, ...], Outcome, list[int]]:
        """The shortest beginning of a row that fails together with `kept`; the whole of it does."""
        works = 0
        while len(row) - works > 1:
            if (smaller := (yield from self._half(kept, row, works))) is not None:
                row, works = smaller, 0
                continue
            for at in _places(works, len(row)):
                answer = yield from self._fails(kept | frozenset(row[:at]))
                if answer is not None:
                    row, works = (row[:at], works) if answer else (row, at)
                    break
            else:
                # Nothing in between can be decided: the last one is held to be it.
                self._sure *= 1 / (len(row) - works)
                return row
        return row

    def _half(
        self, kept: frozenset[int], row: list[int], works: int
    ) -> Generator[tuple[str, ...], Outcome, list[int] | None]:
        """Where failing is a matter of chance, the later half with its needs, if that is seen to fail: both halves are
        tried by turns, as one that fails says more than many that work. None where the earlier half is decided.
        """
        middle = (works + len(row)) // 2
        earlier = kept | frozenset(row[:middle])
        later = kept | self._suspects.closed(row[middle:])
        if self._chance >= 1 or earlier in self._known or 4 * len(later - kept) > 3 * len(row):
            return None
        worked = 0
        for _ in range(2 * self._repeats):
            outcome = yield from self._try(earlier)
            worked += outcome is Outcome.WORKS
            if outcome is Outcome.FAILS or worked >= self._repeats:
                self._decide(earlier, outcome is Outcome.FAILS, worked)
                return None
            if (yield from self._try(later)) is Outcome.FAILS:
                self._decide(later, True, 0)
                return sorted(later - kept)
        return None

    def _spared(self, culprits: list[int]) -> Generator[tuple[str, ...], Outcome, list[int]]:
        left = list(culprits)
        for one in culprits if len(culprits) > 1 else ():
            others = [other for other in left if other != one]
            if (yield from self._fails(self._suspects.closed(others))):
                left = others
        return left

    def _fails(self, units: frozenset[int]) -> _Answer:
        """Whether a set fails; None where nobody can say. Of one that fails at times, working says little: it is tried
        until it fails, or often enough.
        """
        if units in self._known:
            return self._known[units]
        works = 0
        for _ in range(2 * self._repeats):
            outcome = yield from self._try(units)
            works += outcome is Outcome.WORKS
            if outcome is Outcome.FAILS or works >= self._repeats:
                return self._decide(units, outcome is Outcome.FAILS, works)
            if self._chance >= 1:
                break
        self._known[units] = None
        return None

    def _try(self, units: frozenset[int]) -> Generator[tuple[str, ...], Outcome, Outcome]:
        self._tries += 1
        return (yield self._suspects.mods_of(units))

    def _decide(self, units: frozenset[int], fails: bool, works: int) -> bool:
        self._known[units] = fails
        if not fails and self._chance < 1:
            missed: float = (1 - self._chance) ** works
            self._sure *= 1 / (1 + missed)
        return fails


def _places(works: int, fails: int) -> list[int]:
    """The middle first, then places beside it, nearest first."""
    middle = (works + fails) // 2
    beside = [middle + step for distance in range(1, ELSEWHERE + 1) for step in (distance, -distance)]
    return [middle, *(at for at in beside if works < at < fails)][: ELSEWHERE + 1]
