"""Versions as they occur in the wild, and a total order over them.

SemVer 2.0 rules with any number of numeric parts: numeric parts compare as numbers, missing ones as 0, a
pre-release sorts before its release, build metadata is ignored. A leading `v` is dropped; `2024-05-01` is read as the
three numbers of a date. Text that is no version sorts before every version, by date, then by text.
Source: docs/rules.md, "Versions and ranges"; formats.md, "How the rules are read here".
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache, total_ordering

MAX_VERSION_LENGTH = 128
"""Characters. Longer text is no version: it stands for itself and sorts by date."""

_NUMERIC = re.compile(r"v?(?P<numbers>\d{1,18}(?:\.\d{1,18})*)(?P<rest>.*)", re.IGNORECASE | re.ASCII)
_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})", re.ASCII)
_WORD = re.compile(r"[0-9A-Za-z-]+(?:\.[0-9A-Za-z-]+)*", re.ASCII)

Identifier = tuple[int, int, str]
"""One dot-separated part, comparable: (0, number, "") for numeric, (1, 0, text) for others; numbers come first."""


@total_ordering
@dataclass(frozen=True, slots=True, eq=False)
class Version:
    """A version: `text` as written, `key` by which it compares. Equal keys are equal versions (`1.0` = `1.0.0`)."""

    text: str
    key: tuple[object, ...] = field(repr=False)
    is_version: bool = True

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self.key == other.key

    def __lt__(self, other: Version) -> bool:
        return self.key < other.key

    def __hash__(self) -> int:
        return hash(self.key)

    def __str__(self) -> str:
        return self.text


@lru_cache(maxsize=65_536)
def parse_version(text: str, date: str = "") -> Version:
    """Read any text as a version; never fails. `date` (ISO, optional) orders texts that are no version."""
    key = _key_of(text.strip())
    if key is None:
        return Version(text, (0, date, text), is_version=False)
    return Version(text, key)


def _key_of(text: str) -> tuple[object, ...] | None:
    """(1, numbers without trailing zeros, 1 release | 0 pre-release, pre-release identifiers) or None."""
    if not text or len(text) > MAX_VERSION_LENGTH:
        return None
    if date := _DATE.fullmatch(text):
        return (1, _trimmed([int(part) for part in date.groups()]), 1, ())
    text = text.split("+", 1)[0]
    match = _NUMERIC.fullmatch(text)
    if match is None:
        return None
    numbers = _trimmed([int(part) for part in match["numbers"].split(".")])
    rest = match["rest"]
    if not rest:
        return (1, numbers, 1, ())
    rest = rest[1:] if rest[0] in "-_." else rest
    if not _WORD.fullmatch(rest):
        return None
    return (1, numbers, 0, tuple(_identifier(part) for part in rest.split(".")))


def _trimmed(numbers: list[int]) -> tuple[int, ...]:
    while numbers and numbers[-1] == 0:
        numbers.pop()
    return tuple(numbers)


def _identifier(part: str) -> Identifier:
    return (0, int(part), "") if part.isdigit() else (1, 0, part)
