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

Row = tuple[str, str, str, str]
"""Severity's word, origin and text where a line begins an entry; else the whole line, with its end."""


class Beginning:
    """The rows of a text, by a log's shape."""

    def __init__(self, shape: LogShape) -> None:
        self._continues = shape.continues
        self.words = {"": EntrySeverity.INFORMATION}
        """Each word that a line may name its severity by; none is information."""
        for severity, words in (*COMMON_WORDS.items(), *shape.severities.items()):
            for word in words:
                for spelled in (word.lower(), word.upper(), word.capitalize(), word):
                    self.words[spelled] = severity
        groups = [name for _, name, _, _ in string.Formatter().parse(shape.line) if name in _WANTED]
        self._order = tuple(groups.index(part) if part in groups else -1 for part in _WANTED)
        self._is_plain = groups == list(_WANTED)
        begins, self._time = self._line(shape.line, timed=False), re.compile(self._line(shape.line, timed=True))
        if self._continues:
            begins = f"(?!{'|'.join(map(re.escape, self._continues))}){begins}"
        # With its end, a line is never empty: there is no second row in it, and none behind the last.
        self._row = re.compile(rf"^(?:{begins}\n|(.*\n))", re.MULTILINE)

    def severity(self, word: str) -> EntrySeverity:
        return self.words[word]

    def goes_on(self, line: str) -> bool:
        """Whether a line that begins no entry belongs to the one above."""
        return not self._continues or line.startswith(self._continues)

    def time(self, line: str) -> str:
        """The time with which a line begins, as it is written; empty for none."""
        found = self._time.match(line)
        return found["time"] if found and "time" in found.groupdict() else ""

    def rows(self, text: str) -> list[Row]:
        """A row for each line of a text that ends with a line end."""
        rows = self._row.findall(text)
        if self._is_plain:
            return rows
        if self._row.groups == 1:
            rows = [(row,) for row in rows]
        return [(*(row[at] if at >= 0 else "" for at in self._order), row[-1]) for row in rows]

    def _line(self, line: str, timed: bool) -> str:
        # Those in capitals are the common ones; where one begins as another does, what follows decides.
        words = sorted(filter(None, self.words), key=lambda word: (not word.isupper(), word))
        shapes = {**_SHAPES, "severity": f"({'|'.join(map(re.escape, words))})"}
        if not timed:
            shapes["time"] = shapes["time"].replace("?P<time>", "?:")
        return "".join(
            re.escape(said) + shapes.get(name or "", "") for said, name, _, _ in string.Formatter().parse(line)
        )
