"""What a line of a draft is: the one model of its state, and what may be said of it. Source: docs/rules.md, "Words"."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum


class LineState(StrEnum):
    SETTLED = "settled"
    """On, and it has a build."""
    UNSETTLED = "unsettled"
    """On, and it has none."""
    KEPT = "kept"
    """Off, and its build stays all the same, because others need it."""
    OFF = "off"


def state_of(on: bool, has_build: bool) -> LineState:
    """The state of a line. One that was brought in is on: it would not be there otherwise."""
    if on:
        return LineState.SETTLED if has_build else LineState.UNSETTLED
    return LineState.KEPT if has_build else LineState.OFF


Place = tuple[int, int]
"""Where a line stands: the collection that it is of, counted from 0, and its place there. The pack's own come after all
collections.
"""


def in_order(places: Mapping[str, Place], mods: Iterable[str]) -> list[str]:
    """The order in which builds are laid down; on one path the later wins. Brought-in ones first, by id; then the lines
    of collections, then the pack's own, by their `places`: what was chosen wins over what came along.
    """
    return sorted(mods, key=lambda mod: (mod in places, places.get(mod, (0, 0)), mod))
