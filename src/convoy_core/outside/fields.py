"""Reads data from outside, one checked field at a time: a wrong shape is named, never guessed at."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import date, time
from enum import StrEnum
from typing import Any, Final, TypeVar

from ..words.errors import MalformedInput

Choice = TypeVar("Choice", bound=StrEnum)
_SHA256: Final = re.compile(r"[0-9a-f]{64}")


class Fields:
    """A mapping read field by field. `where` names it in errors (`builds[3].archive`)."""

    def __init__(self, value: Any, where: str = "") -> None:
        # A plain dictionary first, here and below: that anything is a mapping is a dear question, asked very often.
        if not isinstance(value, (dict, Mapping)):
            raise _malformed(where or "the document", "a set of named fields")
        self._value: Mapping[Any, Any] = value
        self._where = where

    def text(self, name: str, default: str | None = None, longest: int = 2_000) -> str:
        return checked_text(self._get(name, default), longest, self.place(name))

    def whole(self, name: str, default: int | None = None) -> int:
        value = self._get(name, default)
        if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value < 2**53:
            raise _malformed(self.place(name), "a whole number of 0 or more")
        return value

    def number(self, name: str) -> float:
        value = self._get(name, None)
        if not isinstance(value, int | float) or isinstance(value, bool) or not 0 <= value < 2**53:
            raise _malformed(self.place(name), "a number of 0 or more")
        return float(value)

    def flag(self, name: str, default: bool | None = None) -> bool:
        value = self._get(name, default)
        if not isinstance(value, bool):
            raise _malformed(self.place(name), "true or false")
        return value

    def sha256(self, name: str) -> str:
        value = self.text(name)
        if not _SHA256.fullmatch(value):
            raise _malformed(self.place(name), "a SHA-256 in lower-case hex")
        return value

    def one_of(self, name: str, choices: type[Choice], default: Choice | None = None) -> Choice:
        value = self.text(name, default)
        try:
            return choices(value)
        except ValueError as error:
            raise _malformed(self.place(name), "one of " + ", ".join(choices)) from error

    def plain(self, name: str) -> Any:
        """A value as it stands: text, number, truth, list or mapping, never nothing."""
        return self._get(name, None)

    def mapping(self, name: str) -> Mapping[str, Any]:
        value = self._get(name, {})
        if not isinstance(value, (dict, Mapping)) or not all(isinstance(key, str) for key in value):
            raise _malformed(self.place(name), "a set of named fields")
        return value

    def texts(self, name: str) -> dict[str, str]:
        found = self.mapping(name)
        if not found:
            return {}
        fields = Fields(found, self.place(name))
        return {key: fields.text(key) for key in found}

    def flags(self, name: str) -> dict[str, bool]:
        """A table of truths; a missing one is empty."""
        found = self.mapping(name) if self.has(name) else {}
        return {key: Fields(found, self.place(name)).flag(key) for key in found}

    def fields(self, name: str) -> Fields:
        return Fields(self._get(name, None), self.place(name))

    def items(self, name: str) -> Iterator[Fields]:
        for index, item in enumerate(self.entries(name)):
            yield Fields(item, f"{self.place(name)}[{index}]")

    def strings(self, name: str) -> tuple[str, ...]:
        items = self.entries(name)
        if not all(isinstance(item, str) for item in items):
            raise _malformed(self.place(name), "a list of texts")
        return tuple(items)

    def has(self, name: str) -> bool:
        return name in self._value

    def names(self) -> list[str]:
        return [str(name) for name in self._value]

    def entries(self, name: str) -> list[Any]:
        value = self._get(name, [])
        if not isinstance(value, list):
            raise _malformed(self.place(name), "a list")
        return value

    def place(self, name: str) -> str:
        """A field's name in errors, with what it stands in: `builds[3].archive`."""
        return f"{self._where}.{name}" if self._where else name

    def _get(self, name: str, default: Any) -> Any:
        value = self._value.get(name, default)
        if value is None:
            raise _malformed(self.place(name), "present")
        return value


def checked_text(value: Any, longest: int = 2_000, where: str = "") -> str:
    """Text of a sensible length that any database can keep. Raises MalformedInput."""
    if not isinstance(value, str) or len(value) > longest or not is_clean(value):
        raise _malformed(where, f"text of at most {longest} characters")
    return value


def is_clean(text: str) -> bool:
    """Whether any database keeps it: no null, and no half of a character, as JSON can name one."""
    return "\x00" not in text and (text.isascii() or not _HALVES.search(text))


_HALVES: Final = re.compile(r"[\ud800-\udfff]")


def plain(value: Any, depth: int = 0) -> Any:
    """What can be kept as JSON of a file that somebody wrote by hand: dates as texts; numbers that are none, unclean
    texts and what nests deeper than MARKER_DEPTH as nothing.
    """
    if isinstance(value, bool):
        return value
    if isinstance(value, int | float):
        return value if -(2**53) < value < 2**53 else None
    if isinstance(value, str):
        return value if len(value) <= 2_000 and is_clean(value) else None
    if isinstance(value, date | time):
        return value.isoformat()
    if depth >= MARKER_DEPTH:
        return None
    if isinstance(value, Mapping):
        rows = list(value.items())[:MARKER_MOST]
        return {str(name)[:200]: plain(one, depth + 1) for name, one in rows if is_clean(str(name))}
    if isinstance(value, list):
        return [plain(one, depth + 1) for one in value[:MARKER_MOST]]
    return None


MARKER_DEPTH: Final = 4
MARKER_MOST: Final = 200
"""How deep a mod's marker is kept, and how many fields or entries of one list."""


def _malformed(field: str, expected: str) -> MalformedInput:
    return MalformedInput(f"“{field}” cannot be read.", f"It must be {expected}.", field=field, expected=expected)
