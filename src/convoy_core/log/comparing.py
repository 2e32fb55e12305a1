"""Two logs held against each other: what one says that the other does not, and what it says more often.

Numbers differ from run to run (times, counts, addresses); entries that differ in nothing else are the same.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from .entries import Entry, Log

_NUMBERS = re.compile(r"0x[0-9a-fA-F]+|\b[0-9a-f]{8,}\b|\d+(?:[.,:]\d+)*")


@dataclass(frozen=True, slots=True)
class More:
    entry: Entry
    before: int
    after: int


@dataclass(frozen=True, slots=True)
class Compared:
    """`new`: entries of the later log that the earlier has not; `gone`: the other way; `more`: said more often now."""

    new: tuple[Entry, ...]
    gone: tuple[Entry, ...]
    more: tuple[More, ...]


def compared(earlier: Log, later: Log) -> Compared:
    before, after = _counted(earlier.entries), _counted(later.entries)
    return Compared(
        tuple(entry for key, (entry, _) in after.items() if key not in before),
        tuple(entry for key, (entry, _) in before.items() if key not in after),
        tuple(
            More(entry, before[key][1], count)
            for key, (entry, count) in after.items()
            if key in before and count > before[key][1]
        ),
    )


def _counted(entries: Iterable[Entry]) -> dict[tuple[str, ...], tuple[Entry, int]]:
    found: dict[tuple[str, ...], tuple[Entry, int]] = {}
    for entry in entries:
        key = (entry.severity, entry.origin, _NUMBERS.sub("#", entry.text))
        first, count = found.get(key, (entry, 0))
        found[key] = (first, count + entry.count)
    return found
