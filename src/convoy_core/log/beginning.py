"""How the lines of a log are told apart: which begin an entry, and which belong to the one above.

A profile's shape becomes one expression that is held against a whole text at once, as that is many times quicker than
line by line. Every part of it is bounded, so that no line keeps it busy.
"""

from __future__ import annotations

import re
import string
from collections.abc import Collection, Mapping, Sequence

from ..words.log_shape import COMMON_WORDS, EntrySeverity, LogShape

_PARTS = {"time": r"\S{1,40}(?: \S{1,20}){0,3}?", "origin": r"[^\n]{0,80}?", "text": r"[^\n]*"}
_WANTED = ("severity", "origin", "text")
_BETWEEN = "\x00"
"""Parts what a row is put together of: in no line that was made readable."""

Part = tuple[str, str]
"""Of a shape: plain words, and the part behind them, if any."""

Row = str
"""What equal entries have in common, as one text, which is quicker to count than its parts are: an entry's first line
without its time, then the lines that belong to it.
"""


class Beginning:
    """The rows of a text, by a log's shape."""

    def __init__(self, shape: LogShape) -> None:
        self._continues = shape.continues
        self.words = {"": EntrySeverity.INFORMATION}
        """Each word that a line may name its severity by; none is information."""
        for severity, called in (*COMMON_WORDS.items(), *shape.severities.items()):
            for word in called:
                for spelled in (word.lower(), word.upper(), word.capitalize(), word):
                    self.words[spelled] = severity
        # Those in capitals are the common ones; where one begins as another does, what follows decides.
        words = sorted(filter(None, self.words), key=lambda word: (not word.isupper(), word))
        parts = {**_PARTS, "severity": "|".join(map(re.escape, words))}
        pieces = [(said, name or "") for said, name, _, _ in string.Formatter().parse(shape.line)]
        names = [name for _, name in pieces if name]
        groups = [name for name in names if name in _WANTED]
        self._order = tuple(groups.index(part) if part in groups else -1 for part in _WANTED)
        self._has_time = "time" in names
        self._time = re.compile(_expression(pieces, parts, "time"))
        unless = f"(?!{'|'.join(map(re.escape, self._continues))})" if self._continues else ""
        self._is_cut = names[:1] == ["time"] and bool(groups)
        if self._is_cut:
            (before, _), *rest = pieces
            self._head = re.compile(_expression(rest, parts, *_WANTED))
            self._word = _word_alone(rest, parts)
            self._around = _around_text(rest)
            # What is text in any case need not be looked at to know that it is.
            ahead = (_expression(rest, parts) + r"\n").removesuffix(rf"(?:{parts['text']})\n")
            # A line that no time was taken from is kept with its end.
            time = f"{unless}{re.escape(before)}{parts['time']}(?={ahead})"
            self._row = re.compile(rf"^(?:{time})?((?<![^\n]).*\n|.+)", re.MULTILINE)
        else:
            self._word, self._around = None, (2 * _BETWEEN, "")
            # With its end, a line is never empty: there is no second row in it, and none behind the last.
            self._row = re.compile(rf"^(?:{unless}{_expression(pieces, parts, *_WANTED)}\n|(.*\n))", re.MULTILINE)

    def severity(self, word: str) -> EntrySeverity:
        return self.words[word]

    def goes_on(self, line: str) -> bool:
        """Whether a line that begins no entry belongs to the one above."""
        return not self._continues or line.startswith(self._continues)

    def time(self, line: str) -> str:
        """The time with which a line begins, as it is written; empty for none."""
        found = self._time.match(line) if self._has_time else None
        return found[1] if found else ""

    def rows(self, text: str) -> list[Row]:
        """A row for each line of a text of whole lines: those that begin no entry as they are, with their end."""
        found = self._row.findall(text)
        if self._is_cut:
            return found
        if self._row.groups == 1:
            found = [(row,) for row in found]
        return [row[-1] or _BETWEEN.join(row[at] if at >= 0 else "" for at in self._order) for row in found]

    def alone(self, line: str) -> Row:
        """The row of a line that begins no entry and belongs to none: an entry of its own, without severity."""
        return line.join(self._around)

    def parts(self, row: Row) -> tuple[str, str, str, str]:
        """Severity's word, origin, text, and the lines that belong to it."""
        if row[:1] == "\n":
            text, _, more = row[1:].partition("\n")
            return "", "", text, more
        head, _, more = row.partition("\n")
        if not self._is_cut:
            word, origin, text = head.split(_BETWEEN)
            return word, origin, text, more
        found = self._head.match(head)
        assert found is not None
        word, origin, text = (found[at + 1] if at >= 0 else "" for at in self._order)
        return word, origin, text, more

    def words_of(self, rows: Collection[Row]) -> list[str]:
        """Of each its severity's word."""
        if self._word is None:
            return [self.parts(row)[0] for row in rows]
        return self._word.findall(_BETWEEN + _BETWEEN.join(rows))


def _expression(pieces: Sequence[Part], parts: Mapping[str, str], *taken: str) -> str:
    """Of a shape, or the end of one: each part in a group, of which those that are taken can be had."""
    return "".join(
        re.escape(said) + (f"({'' if name in taken else '?:'}{parts[name]})" if name else "") for said, name in pieces
    )


def _word_alone(rest: Sequence[Part], parts: Mapping[str, str]) -> re.Pattern[str] | None:
    """Finds a row's severity without what stands behind it: where that comes first, and no word has what ends it."""
    said, name = rest[0]
    ends = rest[1][0] if len(rest) > 1 else ""
    if name != "severity" or not ends or ends[0] in parts[name]:
        return None
    return re.compile(f"{_BETWEEN}(?:{re.escape(said)}({parts[name]}){re.escape(ends)})?")


def _around_text(rest: Sequence[Part]) -> tuple[str, str]:
    """What makes a row of a text that is alone. Where no entry names its severity it may say what one with a time says;
    elsewhere none says the same, and it has a line end before it.
    """
    names = [name for _, name in rest]
    if "severity" in names or "text" not in names:
        return "\n", ""
    at = names.index("text") + 1
    return "".join(said for said, _ in rest[:at]), "".join(said for said, _ in rest[at:])
