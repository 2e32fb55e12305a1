"""Merging a member's settings file with a release's, key by key. Source: docs/rules.md, "Sync".

Three inputs: the file as the previous release rendered it, as the member has it now, as the new release renders it.
Comments, order, spacing and line ends of the member's file survive. A file that cannot be parsed is never rewritten.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from .formats import Document, Key, Value, open_settings
from .formats.base import same


@dataclass(frozen=True, slots=True)
class KeyMerge:
    """One key on which the release and the member do not agree. None stands for: not there."""

    key: Key
    mine: Value
    new: Value
    enforced: bool = False
    """The release's value was set, and the member's went."""


@dataclass(frozen=True, slots=True)
class Merged:
    """`data`: what is to lie there. `changed`: keys that follow the release; `kept`: where the member's value stays
    although the release says otherwise; `overruled`: enforced ones; `comments_lost`: how many comments go because they
    stand within a value that is written anew.
    """

    data: bytes
    changed: tuple[Key, ...]
    kept: tuple[KeyMerge, ...]
    overruled: tuple[KeyMerge, ...]
    comments_lost: int = 0


@dataclass(frozen=True, slots=True)
class Adjusted:
    """A key that a pack set in a file that none of its builds carries. `value`: what it set last; `earlier`: what stood
    there before the pack came, in a tuple of one; empty where nothing did.
    """

    key: Key
    value: Value
    earlier: tuple[Value, ...] = ()


_ABSENT = object()


def merge(
    path: str, before: bytes, mine: bytes, new: bytes, enforced: Collection[Key] = (), pinned: Collection[Key] = ()
) -> Merged:
    """Merges one file. `pinned`: keys that the member keeps as they are, unless they are enforced.

    Raises UnreadableSettings when one of them cannot be parsed, or the outcome not read back.
    """
    was, now, then = (open_settings(path, data) for data in (before, mine, new))
    return _merged(now, was.values, then.values, enforced, pinned)


def adjust(
    path: str,
    mine: bytes,
    sets: Mapping[Key, Value],
    before: Collection[Adjusted] = (),
    enforced: Collection[Key] = (),
    pinned: Collection[Key] = (),
) -> tuple[Merged, tuple[Adjusted, ...]]:
    """Merges keys into a file that the game or a mod wrote, and gives what to remember of it.

    `sets`: what the pack sets now; `before`: what it set last. A key that it sets for the first time counts as
    untouched; one that it sets no more says again what stood there before, unless the member changed it since. Raises
    as `merge`.
    """
    now = open_settings(path, mine)
    there: dict[Key, object] = dict(now.values)
    known = {one.key: one for one in before}
    was = {key: known[key].value if key in known else there.get(key, _ABSENT) for key in [*known, *sets]}
    then = {**{one.key: one.earlier[0] for one in before if one.earlier}, **sets}
    merged = _merged(now, was, then, enforced, pinned)
    kept = [
        Adjusted(key, value, known[key].earlier if key in known else (now.values[key],) if key in now.values else ())
        for key, value in sets.items()
    ]
    # What the member took hold of stays known: a pack that comes back to it finds it touched.
    kept += [one for one in before if one.key not in sets and not _same(there.get(one.key, _ABSENT), one.value)]
    return merged, tuple(kept)


def _merged(
    document: Document,
    was: Mapping[Key, object],
    then: Mapping[Key, object],
    enforced: Collection[Key],
    pinned: Collection[Key],
) -> Merged:
    """`document`: the member's file. Only keys of the other two are looked at; one that stands for nothing there is
    `_ABSENT`, or missing.
    """
    changed: list[Key] = []
    kept: list[KeyMerge] = []
    overruled: list[KeyMerge] = []
    sets: dict[Key, Value] = {}
    removes: list[Key] = []
    for key in [*then, *(key for key in was if key not in then)]:
        old, own, other = (values.get(key, _ABSENT) for values in (was, document.values, then))
        if _same(own, other):
            continue
        touched = key in pinned or not _same(own, old)
        told = KeyMerge(key, _told(own), _told(other), key in enforced)
        if touched and key not in enforced:
            if key in pinned or not _same(other, old):
                kept.append(told)
            continue
        if touched:
            overruled.append(told)
        else:
            changed.append(key)
        if other is _ABSENT:
            removes.append(key)
        else:
            sets[key] = other
    data, lost = document.changed_at_cost(sets, removes)
    return Merged(data, tuple(changed), tuple(kept), tuple(overruled), lost)


def _same(one: object, other: object) -> bool:
    return one is other if one is _ABSENT or other is _ABSENT else same(one, other)


def _told(value: object) -> Value:
    return None if value is _ABSENT else value
