"""Merging a member's settings file with a release's, key by key. Source: docs/rules.md, "Sync".

Three inputs: the file as the previous release rendered it, as the member has it now, as the new release renders it.
Comments, order, spacing and line ends of the member's file survive. A file that cannot be parsed is never rewritten.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from .formats import Key, Value, open_settings
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
    although the release says otherwise; `overruled`: enforced ones.
    """

    data: bytes
    changed: tuple[Key, ...]
    kept: tuple[KeyMerge, ...]
    overruled: tuple[KeyMerge, ...]


_ABSENT = object()


def merge(path: str, before: bytes, mine: bytes, new: bytes, enforced: Collection[Key] = ()) -> Merged:
    """Merges one file. Raises UnreadableSettings when one of them cannot be parsed, or the outcome not read back."""
    documents = [open_settings(path, data) for data in (before, mine, new)]
    was, now, then = (document.values for document in documents)
    changed: list[Key] = []
    kept: list[KeyMerge] = []
    overruled: list[KeyMerge] = []
    sets: dict[Key, Value] = {}
    removes: list[Key] = []
    for key in [*then, *(key for key in was if key not in then)]:
        old, own, other = (values.get(key, _ABSENT) for values in (was, now, then))
        if _same(own, other):
            continue
        touched = not _same(own, old)
        told = KeyMerge(key, _told(own), _told(other), key in enforced)
        if touched and key not in enforced:
            if not _same(other, old):
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
    document = documents[1]
    data = document.changed(sets, removes) if sets or removes else mine
    return Merged(data, tuple(changed), tuple(kept), tuple(overruled))


def _same(one: object, other: object) -> bool:
    return one is other if one is _ABSENT or other is _ABSENT else same(one, other)


def _told(value: object) -> Value:
    return None if value is _ABSENT else value
