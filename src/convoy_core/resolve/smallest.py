"""A smallest part of something that is still impossible, and always the same one."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import TypeVar

Item = TypeVar("Item")


def smallest(items: Sequence[Item], blamed: Callable[[Sequence[Item]], Collection[Item] | None]) -> list[Item]:
    """What is left of `items` when, from the last on, each goes that can be spared: impossible, and none can.

    `blamed`: None for a part that is possible, else some of it that is impossible already. Which ones it names spares
    tries, and does not change what is found: that hangs on the order of `items` alone.
    """
    named = blamed(items)
    core = set(named or ())
    left, needed = list(items) if core else [], list[Item]()
    while left:
        one = left.pop()
        if one not in core:
            continue
        named = blamed([*left, *needed])
        if named is None:
            needed.append(one)
        else:
            core = set(named)
    return needed[::-1]
