"""What every format offers: a file's keys, where each stands in the text, and the splices that change some of them.

Nothing is ever written anew: a change is a list of splices of the text, and what lies between them stays as it is, to
the byte. Source: docs/rules.md, "Settings files".
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from ...words.errors import ConvoyError

Key = tuple[str, ...]
"""Where a value stands: section, table or element names, then the key's own."""

Value = Any
"""Text, number, truth, nothing, or a list of these, in the format's own types. Compared with `same`."""

Span = tuple[int, int]
"""Of a text: where something begins, and where it ends."""

MAX_DEPTH = 100
"""Tables within each other: no settings file that people write comes near, and parsers call themselves."""

MAX_BITS = 1000
"""Of a whole number: some 300 digits. No floating point reaches longer ones, and Python refuses to print them."""


class UnreadableSettings(ConvoyError):
    """A settings file that cannot be parsed, or not be changed as is wanted. It is never rewritten."""

    code = "unreadable"


@dataclass(frozen=True, slots=True)
class Splice:
    """The text from `start` to `end` becomes `text`."""

    start: int
    end: int
    text: str


class Parsed(Protocol):
    """One settings file, read."""

    @property
    def values(self) -> Mapping[Key, Value]:
        """In the order of the file."""

    @property
    def places(self) -> Mapping[Key, Span]:
        """Where each value stands that can be set in place."""

    @property
    def comments(self) -> list[Span]:
        """Every comment, in the order of the text; one of several lines may come as one, or line by line."""

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        """What changes the text so. Raises UnreadableSettings where it cannot be said in this file."""


def same(one: Value, other: Value) -> bool:
    """Equal, and of one type: 1, 1.0 and true are three different settings."""
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(same(a, b) for a, b in zip(one, other, strict=True))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(same(one[key], other[key]) for key in one)
    # What is no number equals nothing, itself neither.
    return type(one) is type(other) and bool(one == other or (one != one and other != other))


def flattened(tree: Any, above: Key = ()) -> dict[Key, Value]:
    """Leaves of nested mappings by their path. An empty mapping says nothing."""
    found: dict[Key, Value] = {}
    walk = [(above, iter(tree.items()))]
    while walk:
        key, items = walk[-1]
        for name, value in items:
            below = (*key, str(name))
            if isinstance(value, dict):
                walk.append((below, iter(value.items())))
                break
            found[below] = value
        else:
            walk.pop()
    return found


def refuse_absurd(path: str, values: Iterable[Value]) -> None:
    """Raises UnreadableSettings for what nobody writes and what trips whoever looks at it later: lists and tables too
    deep within each other, as comparing calls itself once for each; numbers of more digits than are printed.
    """
    pending = [(value, 1) for value in values if isinstance(value, int | list | dict)]
    while pending:
        value, depth = pending.pop()
        if isinstance(value, int):
            if value.bit_length() > MAX_BITS:
                raise UnreadableSettings(f"{path} cannot be read.", "A number in it has hundreds of digits.", path=path)
            continue
        if depth > MAX_DEPTH:
            raise UnreadableSettings(f"{path} cannot be read.", "Its lists lie too deep within each other.", path=path)
        parts = value.values() if isinstance(value, dict) else value
        pending += ((part, depth + 1) for part in parts if isinstance(part, int | list | dict))


def stuck(key: Key, why: str) -> UnreadableSettings:
    return UnreadableSettings(f"“{'.'.join(key)}” cannot be set.", why, key=list(key))


def newline_at(text: str, place: int) -> str:
    """The line end that is used about a place: that of its own line, else of the one before it, else a plain one."""
    for end in (text.find("\n", place), text.rfind("\n", 0, place)):
        if end >= 0:
            return "\r\n" if text[end - 1 : end] == "\r" else "\n"
    return "\r" if "\r" in text else "\n"


def past(blank: re.Pattern[str], text: str, at: int) -> int:
    """The place after what `blank` finds there; the place itself where it finds nothing."""
    found = blank.match(text, at)
    return found.end() if found else at


def line_start(text: str, place: int) -> int:
    return text.rfind("\n", 0, place) + 1


def line_end(text: str, place: int) -> int:
    """Where the line ends that a place is in: before its line end."""
    end = text.find("\n", place)
    end = len(text) if end < 0 else end
    return end - 1 if end > place and text[end - 1] == "\r" else end


def after_line(text: str, place: int) -> int:
    """Where the next line begins."""
    end = text.find("\n", place)
    return len(text) if end < 0 else end + 1


def gap_at_end(text: str, newline: str) -> str:
    """What sets a new section off from the end of a text: one blank line."""
    tail = text[-4:].replace("\r\n", "\n").replace("\r", "\n")
    if not text or tail.endswith("\n\n"):
        return ""
    return newline if tail.endswith("\n") else newline * 2
