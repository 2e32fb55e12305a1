"""Patterns of paths: `*` is anything but a slash, `**/` any number of folders (also none), `**` elsewhere anything.
Letter case does not count.

They come from profiles, releases and pasted lists, which strangers write: no pattern may take long, whatever it is held
against. Between two `**` the first place that fits is as good as any later one, so it is never given up again
(`(?>…)`); what is left is at most the square of a path's length for each `**`.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

from ..words.errors import MalformedInput

MAX_PATTERNS = 400
"""Of one kind in one profile or release: ten times what a game needs."""

MAX_PATTERN_LENGTH = 200
"""Characters; paths have 220 at most."""

HOW = (
    f"It must be a path below the game's folder, with forward slashes, of at most {MAX_PATTERN_LENGTH} characters.",
    "“*” stands for anything but a slash, “**” for anything.",
)


def checked_patterns(patterns: Iterable[str], where: str, most: int = MAX_PATTERNS) -> tuple[str, ...]:
    """The patterns themselves. Raises MalformedInput for too many, or for one that no path can match."""
    found = tuple(patterns)
    if len(found) > most:
        raise MalformedInput(f"“{where}” has {len(found)} patterns.", f"{most} is the most.", field=where)
    for at, one in enumerate(found):
        if not is_pattern(one):
            raise MalformedInput(f"The pattern “{one[:60]}” cannot be used.", *HOW, field=f"{where}[{at}]")
    return found


def is_pattern(text: str) -> bool:
    """Whether any path can match it."""
    odd = text.startswith("/") or "\\" in text or ".." in text.split("/") or any(ord(char) < 32 for char in text)
    return 0 < len(text) <= MAX_PATTERN_LENGTH and not odd


@lru_cache(maxsize=256)
def matcher(patterns: Sequence[str]) -> re.Pattern[str]:
    """One expression for all patterns, to be held against whole paths (`fullmatch`)."""
    return re.compile("|".join(_translated(pattern) for pattern in patterns), re.IGNORECASE | re.DOTALL)


ANYTHING, FOLDERS = ".*", "(?:[^/]*/)*"
GLUE = re.compile(r"((?:^|(?<=/))\*\*+/|\*\*+)")


def _translated(pattern: str) -> str:
    """Pieces without `**`, and between them what a `**` stands for."""
    first, *rest = GLUE.split(pattern)
    if not rest:
        return _piece(first, is_last=True)
    glues = (FOLDERS if glue.endswith("/") else ANYTHING for glue in rest[::2])
    *middle, (glue, last) = zip(glues, rest[1::2], strict=True)
    between = "".join(f"(?>{glue}?{_piece(piece, is_last=False)})" for glue, piece in middle)
    return _piece(first, is_last=False) + between + glue + _piece(last, is_last=True)


def _piece(text: str, is_last: bool) -> str:
    """What stands between two `**`: after a `*` the first place that fits, but at the pattern's end, where the path
    has to end with it.
    """
    first, *rest = (re.escape(part) for part in text.split("*"))
    ending = [f"[^/]*{rest.pop()}"] if is_last and rest else []
    return "".join([first, *(f"(?>[^/]*?{part})" for part in rest), *ending])


class Catcher:
    """Thousands of patterns against hundreds of thousands of paths: which is the first that catches a path?

    Most lines of a real list are a path, a folder, or a name or an ending anywhere. Those are looked up; only what a
    look-up points at, and what begins and ends with a wildcard, is held against the path.
    """

    def __init__(self, patterns: Sequence[str]) -> None:
        self._patterns = patterns
        self._compiled: dict[int, re.Pattern[str]] = {}
        self._by: dict[str, list[int]] = {}
        self._anywhere: list[int] = []
        self._sure: set[int] = set()
        """Those that catch whatever their look-up finds."""
        for at, pattern in enumerate(patterns):
            handle, is_sure = _handle(pattern.lower())
            (self._by.setdefault(handle, []) if handle else self._anywhere).append(at)
            if is_sure:
                self._sure.add(at)

    def first(self, path: str) -> int | None:
        """The place in the list of the first pattern that catches `path`; None where none does."""
        by = self._by
        pointed = list(self._anywhere)
        for handle in _handles(path.lower()):
            if handle in by:
                pointed += by[handle]
        if len(pointed) > 1:
            pointed.sort()
        return next((at for at in pointed if at in self._sure or self._fits(at, path)), None)

    def _fits(self, at: int, path: str) -> bool:
        if at not in self._compiled:
            self._compiled[at] = matcher((self._patterns[at],))
        return self._compiled[at].fullmatch(path) is not None


def _handle(pattern: str) -> tuple[str, bool]:
    """What every path that a pattern catches has: the whole of it, a folder above (`data/`), a name (`/name`) or an
    ending (`*.old`), or nothing; and whether the pattern catches all that have it.
    """
    if "*" not in pattern:
        return f"={pattern}", True
    folder = pattern.split("*", 1)[0].rpartition("/")[0]
    if folder:
        return f"{folder}/", pattern == f"{folder}/**"
    name = pattern.rpartition("/")[2]
    if name and name != pattern and "*" not in name:
        return f"/{name}", pattern == f"**/{name}"
    tail = name.rpartition("*")[2]
    if "." in tail:
        ending = f"*.{tail.rpartition('.')[2]}"
        return ending, pattern == f"**/{ending}"
    return "", False


def _handles(path: str) -> list[str]:
    folder, _, name = path.rpartition("/")
    found = [f"={path}", f"/{name}"]
    if "." in name:
        found.append(f"*.{name.rpartition('.')[2]}")
    while folder:
        found.append(f"{folder}/")
        folder = folder.rpartition("/")[0]
    return found
