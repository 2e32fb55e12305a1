"""What a newer build's settings file has otherwise than the older one's: told before the build is taken.

A key that goes and one that comes are taken for one that was renamed where they are of one type and said to do the
same; that is likely, and said so. Source: docs/rules.md, "Settings".
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import StrEnum

from .formats import Key, Value
from .formats.base import same
from .readings import Reading

ALIKE = 0.6
"""How much of what is said of two keys has to be the same, of 1: a reworded sentence comes to more."""

MOST_COMPARED = 200
"""Keys that go, and that come, which are held against each other: more is another file altogether."""


class SettingsWhat(StrEnum):
    NEW = "new"
    GONE = "gone"
    RENAMED = "renamed"
    DEFAULT = "other default"


@dataclass(frozen=True, slots=True)
class SettingsChange:
    """`key`: the older one's, of what is new its own. `now`: what a renamed one is called."""

    what: SettingsWhat
    key: Key
    before: Value = None
    after: Value = None
    now: Key = ()


def settings_changes(before: Reading, after: Reading) -> list[SettingsChange]:
    """Renamed first, as what the pack sets would be lost; then gone, other defaults, new, each in the file's order."""
    old, new = before.keys, after.keys
    gone = [key for key in old if key not in new]
    come = [key for key in new if key not in old]
    renamed = _renamed(before, after, gone[:MOST_COMPARED], come[:MOST_COMPARED])
    found = [SettingsChange(SettingsWhat.RENAMED, key, old[key], new[now], now) for key, now in renamed.items()]
    found += [SettingsChange(SettingsWhat.GONE, key, old[key]) for key in gone if key not in renamed]
    both = [key for key in old if key in new and not same(old[key], new[key])]
    found += [SettingsChange(SettingsWhat.DEFAULT, key, old[key], new[key]) for key in both]
    taken = set(renamed.values())
    return found + [SettingsChange(SettingsWhat.NEW, key, None, new[key]) for key in come if key not in taken]


def _renamed(before: Reading, after: Reading, gone: Iterable[Key], come: Iterable[Key]) -> dict[Key, Key]:
    pairs = [
        (likeness, key, now)
        for key in gone
        for now in come
        if type(before.keys[key]) is type(after.keys[now])
        and (key[:-1] == now[:-1] or key[-1] == now[-1])
        and (likeness := _likeness(before, after, key, now)) >= ALIKE
    ]
    found: dict[Key, Key] = {}
    for _, key, now in sorted(pairs, key=lambda pair: -pair[0]):
        if key not in found and now not in found.values():
            found[key] = now
    return found


def _likeness(before: Reading, after: Reading, key: Key, now: Key) -> float:
    """By what is said of both; where nothing is, one name in another table, or one value under another name."""
    old, new = before.comments.get(key), after.comments.get(now)
    if old and new and old.above and new.above:
        return SequenceMatcher(None, old.above, new.above, autojunk=False).ratio()
    if old or new:
        return 0.0
    return 1.0 if key[-1] == now[-1] else ALIKE if same(before.keys[key], after.keys[now]) else 0.0
