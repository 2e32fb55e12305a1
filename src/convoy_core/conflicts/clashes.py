"""What is lost where several layers carry one path: the keys that clash, and the keys that only losers set. Source:
docs/rules.md, "Order and conflicts"; formats.md, "Conflicts, logs, narrowing on the command line".

One file still replaces the others, so a key that the winner does not set is lost whatever its value.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..settings.formats import Key, Value
from ..settings.formats.base import same
from .laying import Meeting

Tree = Mapping[Key, Value]
"""A readable file: its keys, in the file's order, with their values."""


@dataclass(frozen=True, slots=True)
class Clash:
    """One key that several layers set, not all to the same value. `values`: mod to value, first layer to last."""

    key: Key
    values: Mapping[str, Value]


@dataclass(frozen=True, slots=True)
class Lost:
    """One key that the winner's file does not have, and a loser's does."""

    key: Key
    mod: str


@dataclass(frozen=True, slots=True)
class Compared:
    """A meeting of readable files, key by key; keys in the order of the winner's file, then of the others."""

    meeting: Meeting
    clashes: tuple[Clash, ...]
    lost: tuple[Lost, ...]


def compare(meeting: Meeting, trees: Mapping[str, Tree]) -> Compared:
    """`trees`: mod to its file's keys, for every one of `meeting.by`."""
    in_order = {meeting.winner: None} | dict.fromkeys(meeting.by)
    keys = dict.fromkeys(key for mod in in_order for key in trees[mod])
    winners = trees[meeting.winner]
    clashes, lost = [], []
    for key in keys:
        values = {mod: trees[mod][key] for mod in meeting.by if key in trees[mod]}
        first, *others = values.values()
        if not all(same(first, other) for other in others):
            clashes.append(Clash(key, values))
        if key not in winners:
            lost += [Lost(key, mod) for mod in values]
    return Compared(meeting, tuple(clashes), tuple(lost))
