"""Thousands of patterns against hundreds of thousands of paths: which is the first that catches a path?

Every pattern but a few has something firm that each path has which it catches: the whole of it, a folder, a name, how
a name begins or ends. By the rarest of these it is looked up; only then, where that does not settle it, is it held
against the path. Source: docs/rules.md, "Parts, set aside, own files".
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from enum import IntEnum
from functools import lru_cache

from .patterns import matcher

MOST_ALIKE = 50
"""Patterns that nothing firm tells apart: each of them is held against every path that has what they share."""


class Firm(IntEnum):
    """What is firm about a pattern; of equally rare ones the first is taken."""

    WHOLE = 0
    NAME = 1
    """Of the file."""
    ENDING = 2
    """What follows the last dot of its name, dot included."""
    FOLDER = 3
    """The path of a folder above it, from the top."""
    SEGMENT = 4
    """The name of some folder above it, or its own."""
    END = 5
    """How some name ends."""
    BEGINNING = 6


Handle = tuple[Firm, str]
ANYTHING: Handle = (Firm.BEGINNING, "")
"""Of patterns with nothing firm."""


class Catcher:
    def __init__(self, patterns: Sequence[str]) -> None:
        self._patterns = patterns
        self._compiled: dict[int, re.Pattern[str]] = {}
        self._by: dict[Firm, dict[str, list[int]]] = {}
        self._sure: set[int] = set()
        """Those that catch whatever has their handle."""
        self.crowded: tuple[int, ...] = ()
        """Places in the list of patterns beyond MOST_ALIKE that share what they are looked up by."""
        firm = [_handles_of(pattern.lower()) for pattern in patterns]
        rarity = Counter(handle for handles, _ in firm for handle in handles)
        held: Counter[Handle] = Counter()
        crowded: list[int] = []
        for at, (handles, is_sure) in enumerate(firm):
            kind, text = min(handles, key=lambda handle: (rarity[handle], handle[0]), default=ANYTHING)
            self._by.setdefault(kind, {}).setdefault(text, []).append(at)
            if is_sure:
                self._sure.add(at)
            else:
                held[kind, text] += 1
                crowded += [at] if held[kind, text] > MOST_ALIKE else []
        self.crowded = tuple(crowded)

    def catches(self, path: str) -> bool:
        return self.first(path) is not None

    def first(self, path: str) -> int | None:
        """The place in the list of the first pattern that catches `path`; None where none does."""
        return next((at for _, at in self.caught((path,))), None)

    def caught(self, paths: Iterable[str]) -> Iterator[tuple[str, int]]:
        """Those of `paths` that any pattern catches, in their order, each with the place of the first that does."""
        looks = [(_look_for(kind, by), by) for kind, by in self._by.items()]
        for path in paths:
            pointed: list[int] = []
            lower = path.lower()
            for look, by in looks:
                for text in look(lower):
                    if text in by:
                        pointed += by[text]
            if pointed:
                if len(pointed) > 1:
                    pointed = sorted(set(pointed))
                for at in pointed:
                    if at in self._sure or self._fits(at, path):
                        yield path, at
                        break

    def _fits(self, at: int, path: str) -> bool:
        if at not in self._compiled:
            self._compiled[at] = matcher((self._patterns[at],))
        return self._compiled[at].fullmatch(path) is not None


@lru_cache(maxsize=64)
def catcher(patterns: tuple[str, ...]) -> Catcher:
    """Kept for lists that are asked for again and again."""
    return Catcher(patterns)


def _handles_of(pattern: str) -> tuple[list[Handle], bool]:
    """All that is firm about a pattern, and whether its one handle settles it."""
    if "*" not in pattern:
        return [(Firm.WHOLE, pattern)], True
    folder = pattern.split("*", 1)[0].rpartition("/")[0]
    if folder and pattern == f"{folder}/**":
        return [(Firm.FOLDER, folder)], True
    *above, name = pattern.split("/")
    is_anywhere = above == ["**"]
    if "*" not in name:
        if is_anywhere:
            return [(Firm.NAME, name)], True
        found = [(Firm.NAME, name)]
    else:
        ending = f".{name.rpartition('.')[2]}" if "." in name.rpartition("*")[2] else ""
        if is_anywhere and ending and name == f"*{ending}":
            return [(Firm.ENDING, ending)], True
        found = [(Firm.ENDING, ending)] if ending else []
        found += _of_segment(name)
    found += [(Firm.FOLDER, folder)] if folder else []
    for segment in above:
        found += [(Firm.SEGMENT, segment)] if "*" not in segment else _of_segment(segment)
    return found, False


def _of_segment(segment: str) -> list[Handle]:
    """How a name with wildcards begins and ends. One with `**` may be several names: the first begins so, the last ends
    so.
    """
    beginning, end = segment.split("*", 1)[0], segment.rpartition("*")[2]
    return [(kind, text) for kind, text in ((Firm.END, end), (Firm.BEGINNING, beginning)) if text]


def _whole(path: str) -> tuple[str]:
    return (path,)


def _name(path: str) -> tuple[str]:
    return (path.rpartition("/")[2],)


def _ending(path: str) -> tuple[str, ...]:
    dot = path.rfind(".")
    return (path[dot:],) if dot > path.rfind("/") else ()


def _folders(path: str) -> Iterator[str]:
    at = path.find("/")
    while at > 0:
        yield path[:at]
        at = path.find("/", at + 1)


Look = Callable[[str], Iterable[str]]
"""What a path, in small letters, has of one kind."""

LOOKS: dict[Firm, Look] = {
    Firm.WHOLE: _whole,
    Firm.NAME: _name,
    Firm.ENDING: _ending,
    Firm.FOLDER: _folders,
    Firm.SEGMENT: lambda path: path.split("/"),
}


def _look_for(kind: Firm, wanted: Collection[str]) -> Look:
    """`wanted`: what is looked up; of beginnings and ends only those of a length that somebody asks for."""
    if kind in LOOKS:
        return LOOKS[kind]
    lengths = sorted({len(text) for text in wanted})
    if kind is Firm.BEGINNING:
        return lambda path: [name[:length] for name in path.split("/") for length in lengths]
    return lambda path: [name[-length:] for name in path.split("/") for length in lengths]
