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

MAX_PATTERN_LENGTH = 220
"""Characters, as of a path: whatever lies somewhere can be named."""

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
