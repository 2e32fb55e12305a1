"""Small helpers for sentences."""

from __future__ import annotations

from collections.abc import Sequence


def listed(words: Sequence[str]) -> str:
    """`a`, `a and b`, `a, b and c`."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def counted(number: int, one: str, many: str = "") -> str:
    """`1 line`, `2 lines`."""
    return f"{number} {one if number == 1 else many or one + 's'}"


def printable(text: str) -> str:
    """Without what could steer a terminal, or cannot be written at all: such signs become `?`."""
    return "".join(char if char.isprintable() or char == "\n" else "?" for char in text)
