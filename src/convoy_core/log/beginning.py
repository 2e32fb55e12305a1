"""How the lines of a log are told apart: which begin an entry, and which belong to the one above.

A profile's shape becomes one expression that is held against a whole text at once, as that is many times quicker than
line by line. Every part of it is bounded, so that no line keeps it busy.
"""

from __future__ import annotations

import re
import string

from ..words.log_shape import COMMON_WORDS, EntrySeverity, LogShape

_SHAPES = {"time": r"(?P<time>\S{1,40}(?: \S{1,20}){0,3}?)", "origin": r"([^\n]{0,80}?)", "text": r"([^\n]*)"}
_WANTED = ("severity", "origin", "text")

Row = tuple[str, str, str, str, str]
"""Severity's word, origin and text where a line begins an entry; else the line that goes on, or stands alone."""


NOTHING: Row = ("", "", "", "", "")


class Beginning:
    """The rows of a text, by a log's shape."""

    def __init__(self, shape: LogShape) -> None:
        self._severities: dict[str, EntrySeverity] = {}
        for severity, words in (*COMMON_WORDS.items(), *shape.severities.items()):
            for word in words:
                for spelled in (word.lower(), word.upper(), word.capitalize(), word):
                    self._severities[spelled] = severity
        groups = [name for _, name, _, _ in string.Formatter().parse(shape.line) if name in _WANTED]
        self._order = tuple(groups.index(part) if part in groups else -1 for part in _WANTED)
        self._is_plain = groups == list(_WANTED)
        goes_on = "|".join(map(re.escape, shape.continues))
        begins, self._time = self._line(shape.line, timed=False), re.compile(self._line(shape.line, timed=True))
        apart = rf"(?!{goes_on}){begins}$|((?:{goes_on}).*\n)|(.*\n)" if goes_on else rf"{begins}$|(.*\n)|(\Z.)"
        self._row = re.compile(f"^(?:{apart})", re.MULTILINE)

    def severity(self, word: str) -> EntrySeverity:
        return self._severities.get(word, EntrySeverity.INFORMATION)

    def time(self, line: str) -> str:
        """The time with which a line begins, as it is written; empty for none."""
        found = self._time.match(line)
        return found["time"] if found and "time" in found.groupdict() else ""

    def rows(self, text: str) -> list[Row | None]:
        """A row for each line of a text that ends with a line end; none of them is None as yet."""
        rows = self._row.findall(text)
        if self._is_plain:
            return rows
        return [
            (*(row[at] if at >= 0 else "" for at in self._order), *row[-2:])
            for row in rows
        ]  # fmt: skip

    def _line(self, line: str, timed: bool) -> str:
        # Those in capitals are the common ones; where one begins as another does, what follows decides.
        words = sorted(self._severities, key=lambda word: (not word.isupper(), word))
        shapes = {**_SHAPES, "severity": f"({'|'.join(map(re.escape, words))})"}
        if not timed:
            shapes["time"] = shapes["time"].replace("?P<time>", "?:")
        return "".join(
            re.escape(said) + shapes.get(name or "", "") for said, name, _, _ in string.Formatter().parse(line)
        )
