"""Patterns of paths: `*` stands for anything but a slash, `**` for anything. Letter case does not count.

They come from profiles and releases, which strangers write: no pattern may take long, whatever it is held against.
Between two `**` the first place that fits is as good as any later one, so it is never given up again (`(?>…)`); what
is left is at most the square of a path's length for each `**`.
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


def checked_patterns(patterns: Iterable[str], where: str) -> tuple[str, ...]:
    """The patterns themselves. Raises MalformedInput for too many, or for one that no path can match."""
    found = tuple(patterns)
    if len(found) > MAX_PATTERNS:
        raise MalformedInput(f"“{where}” has {len(found)} patterns.", f"{MAX_PATTERNS} is the most.", field=where)
    for at, one in enumerate(found):
        if not one or len(one) > MAX_PATTERN_LENGTH or one.startswith("/") or "\\" in one or ".." in one.split("/"):
            raise MalformedInput(
                f"The pattern “{one[:60]}” cannot be used.",
                f"It must be a path below the game's folder, with forward slashes, of at most {MAX_PATTERN_LENGTH} "
                "characters.",
                "“*” stands for anything but a slash, “**” for anything.",
                field=f"{where}[{at}]",
            )
    return found


@lru_cache(maxsize=256)
def matcher(patterns: Sequence[str]) -> re.Pattern[str]:
    """One expression for all patterns, to be held against whole paths (`fullmatch`)."""
    return re.compile("|".join(_translated(pattern) for pattern in patterns), re.IGNORECASE | re.DOTALL)


def _translated(pattern: str) -> str:
    *pieces, last = re.split(r"\*\*+", pattern)
    if not pieces:
        return _piece(last, is_last=True)
    first, *middle = (_piece(piece, is_last=False) for piece in pieces)
    return first + "".join(f"(?>.*?{piece})" for piece in middle) + ".*" + _piece(last, is_last=True)


def _piece(text: str, is_last: bool) -> str:
    """What stands between two `**`: after a `*` the first place that fits, but at the pattern's end, where the path
    has to end with it.
    """
    first, *rest = (re.escape(part) for part in text.split("*"))
    ending = [f"[^/]*{rest.pop()}"] if is_last and rest else []
    return "".join([first, *(f"(?>[^/]*?{part})" for part in rest), *ending])
