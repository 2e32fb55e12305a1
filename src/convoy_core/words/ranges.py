"""Ranges of versions: comparator lists. `>=1.2, <2`, `=1.4.1`, `!=1.5.0`, `*`; comma is "and", `||` is "or".

Nothing else is a range. Source: docs/rules.md, "Versions and ranges". Ranges follow the order of versions alone:
`<2` holds `2.0.0-beta.1`.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

from .errors import MalformedInput
from .versions import Version, parse_version

MAX_RANGE_LENGTH = 500
"""Characters. No hand-written range comes near; a longer one is an attack on the parser."""

_COMPARATOR = re.compile(r"\s*(>=|<=|!=|>|<|=)\s*([^\s,|<>=!]+)\s*")
_OPERATORS: dict[str, Callable[[Any, Any], bool]] = {
    ">=": operator.ge,
    "<=": operator.le,
    "!=": operator.ne,
    ">": operator.gt,
    "<": operator.lt,
    "=": operator.eq,
}


@dataclass(frozen=True, slots=True)
class Range:
    """A set of versions. `any_of` holds alternatives, each a tuple of (comparator, version) that must all hold."""

    text: str
    any_of: tuple[tuple[tuple[str, Version], ...], ...]

    def holds(self, version: Version) -> bool:
        # Keys are compared, in plain loops: the resolver asks this some hundred thousand times.
        key = version.key
        for all_of in self.any_of:
            for sign, bound in all_of:
                if not _OPERATORS[sign](key, bound.key):
                    break
            else:
                return True
        return False

    def names(self, version: Version) -> bool:
        """Whether the range asks for exactly this version with `=`, which lets a beta or alpha in."""
        return any(sign == "=" and bound == version for all_of in self.any_of for sign, bound in all_of)

    def __str__(self) -> str:
        return self.text

    def in_words(self) -> str:
        """The range as a person says it: "3 or newer", "1.2 or newer, below 2"."""
        return " or ".join(", ".join(_words(sign, bound) for sign, bound in all_of) for all_of in self.any_of) or "any"


ANY_VERSION: Final = Range("*", ((),))


def both(one: Range, other: Range) -> Range:
    """What both ranges hold: as many alternatives as they have together, multiplied."""
    if one.text == other.text or other.text == "*":
        return one
    if one.text == "*":
        return other
    pairs = [(a, b) for a in one.any_of for b in other.any_of]
    spelled = (", ".join(f"{sign}{bound}" for sign, bound in (*a, *b)) or "*" for a, b in pairs)
    return Range(" || ".join(spelled), tuple((*a, *b) for a, b in pairs))


@lru_cache(maxsize=65_536)
def parse_range(text: str) -> Range:
    """Read a range. Raises MalformedInput, with the part that is none, for anything else than comparator lists."""
    if len(text) > MAX_RANGE_LENGTH:
        raise MalformedInput("A version range is too long.", f"It has {len(text)} characters.", range=text[:60])
    if text.strip() == "*":
        return ANY_VERSION
    return Range(text.strip(), tuple(_parse_all_of(part, text) for part in text.split("||")))


def _parse_all_of(part: str, whole: str) -> tuple[tuple[str, Version], ...]:
    if part.strip() == "*":
        return ()
    comparators = []
    for piece in part.split(","):
        match = _COMPARATOR.fullmatch(piece)
        if match is None:
            raise MalformedInput(
                f"“{whole[:60]}” is no version range.",
                f"“{piece.strip()[:60]}” is not a comparator with a version.",
                "Write for example >=1.2, <2.",
                range=whole,
            )
        comparators.append((match[1], _bound(match[1], match[2], whole)))
    return tuple(comparators)


_FAMILY = re.compile(r"v?(\d{1,9}(?:\.\d{1,9})*)(?:\.[xX*])+", re.ASCII)
"""`1.x`, `2.3.*`: written elsewhere for all versions that begin so."""

_NO_VERSION = frozenset({"*", "x", "any", "latest", "newest", "current", "stable", "recent"})
"""Words that stand for a version elsewhere and would be a text like any other here."""


def _bound(sign: str, text: str, whole: str) -> Version:
    """A comparator's version. Raises MalformedInput for what would be read as something that nobody means by it."""
    if family := _FAMILY.fullmatch(text):
        raise MalformedInput(
            f"“{sign}{text[:40]}” is no comparator.",
            f"{text[:40]} is no version but all that begin so.",
            f"Write {_meant(sign, family[1])} instead.",
            range=whole,
        )
    bound = parse_version(text)
    if text.casefold() in _NO_VERSION or "*" in text:
        raise MalformedInput(
            f"“{sign}{text[:40]}” is no comparator.",
            f"{text[:40]} is no version.",
            "Write * for any; the newest that fits is taken anyway.",
            range=whole,
        )
    if not bound.is_version and sign not in ("=", "!="):
        raise MalformedInput(
            f"“{sign}{text[:40]}” means nothing.",
            f"{text[:40]} is no number, so that nothing is above or below it.",
            f"Write ={text[:40]} for exactly that one.",
            range=whole,
        )
    return bound


def _meant(sign: str, first: str) -> str:
    """What `=1.x` and its like are meant to say."""
    head, _, last = first.rpartition(".")
    above = f"{head}.{int(last) + 1}" if head else str(int(last) + 1)
    return {"=": f">={first}, <{above}", "!=": f"<{first} || >={above}", "<=": f"<{above}", ">": f">={above}"}.get(
        sign, f"{sign}{first}"
    )


def _words(sign: str, bound: Version) -> str:
    return {
        ">=": f"{bound} or newer",
        "<=": f"{bound} or older",
        "!=": f"not {bound}",
        ">": f"newer than {bound}",
        "<": f"below {bound}",
        "=": f"exactly {bound}",
    }[sign]
