"""What a log comes to: its entries, folded, and what it said of the whole."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from ..words.log_shape import EntrySeverity, KnownMessage, Mend


class Ended(StrEnum):
    """How a log ends. *running* is one that says nothing of an end."""

    RUNNING = "running"
    CLOSED = "closed"
    CRASHED = "crashed"
    CUT_OFF = "cut off"


class Mark(StrEnum):
    """What an entry says of the whole, each time that it is said."""

    BAD = "bad"
    CLOSED = "closed"
    CRASHED = "crashed"


NO_MARKS: frozenset[Mark] = frozenset()


@dataclass(slots=True)
class Entry:
    """One message, with all that are equal to it. `at` is the time as the log wrote it, of the first; `from_line` to
    `to_line` are the first one's, from 1. `lines` that belong to it follow its `text`.
    """

    at: str
    severity: EntrySeverity
    origin: str
    text: str
    from_line: int
    to_line: int
    count: int = 1
    lines: tuple[str, ...] = ()
    mod: str | None = None
    known: KnownMessage | None = None
    named: Mapping[str, str] = field(default_factory=dict)
    """What the known message names."""
    marks: frozenset[Mark] = NO_MARKS

    @property
    def whole(self) -> str:
        return "\n".join((self.text, *self.lines))


@dataclass(frozen=True, slots=True)
class Cause:
    """`entry`: where it stands among the log's entries; None where that one was not kept. `known`: the id of the known
    message that explains it; without one it is only likely.
    """

    entry: int | None
    mod: str | None
    other: str | None
    known: str | None
    mend: Mend | None
    sentence: str


@dataclass(frozen=True, slots=True)
class Log:
    """`entries` in the order in which each was first said. `left_out`: by severity, how many entries were counted and
    not kept, as there was no room. `loaded`: mods that came up, with their versions as the game said them.
    `main_screen`: the line in which it was reached, counted from 1; 0 where it was not.
    """

    entries: tuple[Entry, ...]
    main_screen: int
    ended: Ended
    cause: Cause | None
    lines: int
    loaded: Mapping[str, str]
    left_out: Mapping[EntrySeverity, int]

    def worst(self, most: int) -> list[tuple[int, Entry]]:
        """So many of its entries, the worst first, each with its place among all."""
        order = {severity: at for at, severity in enumerate(reversed(EntrySeverity))}
        return sorted(enumerate(self.entries), key=lambda row: (order[row[1].severity], row[0]))[:most]

    def by_severity(self) -> dict[EntrySeverity, int]:
        """How many were said of each severity, repeated ones counted, and those that were not kept."""
        found = {severity: self.left_out.get(severity, 0) for severity in EntrySeverity}
        for entry in self.entries:
            found[entry.severity] += entry.count
        return found
