"""A smallest part of something that is still impossible: by halves, so that few culprits cost few tries."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

Item = TypeVar("Item")


def smallest(items: Sequence[Item], impossible: Callable[[Sequence[Item]], bool]) -> list[Item]:
    """A part of `items` that is impossible, and of which no item can be spared (QuickXplain, Junker 2004).

    `impossible` is monotone: what is added to an impossible part leaves it so. The whole must be impossible.
    """

    def part(base: list[Item], items: list[Item], base_grew: bool) -> list[Item]:
        if base_grew and impossible(base):
            return []
        if len(items) == 1:
            return items
        middle = len(items) // 2
        first, second = items[:middle], items[middle:]
        of_second = part(base + first, second, bool(first))
        of_first = part(base + of_second, first, bool(of_second))
        return of_first + of_second

    return part([], list(items), False) if items and not impossible([]) else []
