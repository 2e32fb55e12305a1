"""A piece of a log: whole lines as rows, of which those that go on are put into the row that they belong to."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Set

from .beginning import Beginning, Row

MOST_LINES = 80
"""Lines that are kept of one entry: a stack's top tells, not its bottom."""

LONGEST_ENTRY = 2**20
"""Characters of one entry that are waited for: what goes on for longer is cut there."""

FEW = 12
"""Rows that are looked for one by one: of more it is quicker to go through all once."""


class Piece:
    """`rows` has one place for each line, with nothing where a line went into the row above."""

    def __init__(self, text: str, begins: Beginning) -> None:
        self.text, self._begins = text, begins
        heads = begins.rows(text)
        self.rows: list[Row | None] = list(heads)
        self._ends: dict[int, int] = {}
        """Which rows have lines that go on, and where the last of them is."""
        self._gather(heads)

    def hold_back(self) -> str:
        """Takes out the last entry, as it may go on in the next piece, and gives its text; none that is too long."""
        if not self.rows:
            return ""
        last = next(at for at in range(len(self.rows) - 1, -1, -1) if self.rows[at])
        held = _last_lines(self.text, len(self.rows) - last)
        if len(held) > LONGEST_ENTRY:
            return ""
        del self.rows[last:]
        return held

    def first(self, rows: Collection[Row]) -> dict[Row, tuple[str, int, int]]:
        """Of each its time, and its first and last line, counted from 0, where it is met first."""
        if not rows:
            return {}
        lines = self.text.split("\n")
        if len(rows) <= FEW:
            places: dict[Row | None, int] = {row: self.rows.index(row) for row in rows}
        else:
            places = dict(zip(reversed(self.rows), range(len(self.rows) - 1, -1, -1), strict=True))
        return {
            row: (self._begins.time(lines[at]), at, self._ends.get(at, at)) for row in rows for at in (places[row],)
        }

    def last(self, rows: Set[Row]) -> tuple[int, Row]:
        """Which of these, of which one at least is here, comes last, and its line."""
        back = enumerate(reversed(self.rows), 1)
        return next((len(self.rows) - at, row) for at, row in back if row is not None and row in rows)

    def last_of_each(self, words: Mapping[Row, str]) -> set[Row]:
        """Of some rows with the words of their severities: for each word the last row that has it."""
        found: dict[str, Row] = {}
        missing = set(words.values())
        rows = reversed(self.rows)
        while missing:
            row = next(rows)
            if row is not None and words.get(row) in missing:
                found[words[row]] = row
                missing.remove(words[row])
        return set(found.values())

    def _gather(self, heads: list[Row]) -> None:
        """What nothing stands before is an entry of its own."""
        rows, head, more = self.rows, -1, list[str]()
        for at in [at for at, row in enumerate(heads) if "\n" in row]:
            rest = heads[at]
            if at == 0 or not self._begins.goes_on(rest):
                rows[at] = self._begins.alone(rest[:-1])
                continue
            if self._ends.get(head) != at - 1:
                self._join(head, more)
                head, more = at - 1, []
            more.append(rest[:-1])
            rows[at] = None
            self._ends[head] = at
        self._join(head, more)

    def _join(self, head: int, more: list[str]) -> None:
        row = self.rows[head] if more else None
        if row:
            over = len(more) - MOST_LINES
            kept = [*more[:MOST_LINES], *([f"… and {over} more lines"] if over > 0 else [])]
            if kept != [""]:
                # An empty line behind an entry says nothing.
                self.rows[head] = "\n".join((row, *kept))


def _last_lines(text: str, count: int) -> str:
    """The last lines of a text that ends with a line end."""
    at = len(text) - 1
    for _ in range(count):
        at = text.rfind("\n", 0, max(at, 0))
    return text[at + 1 :]
