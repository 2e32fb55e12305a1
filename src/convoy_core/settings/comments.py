"""What is said of each key in a settings file's own comments: those right above it, and the one behind it on its line.

A blank line parts a comment from a key. What the words mean is `knowledge`'s to say, by the game's patterns.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass

from .formats import Document, Key

MOST_LINES = 30
"""Lines above a key that are taken for a word about it."""

LONGEST = 800
"""Characters that are kept of what is said of one key."""

_SIGNS = re.compile(r"^\s*(?:<!--+|/\*+|//+|[#;!]+|\*(?!/))?[ \t]?|\s*(?:--+>|\*+/)?\s*$")
_HAS_WORDS = re.compile(r"\w")


@dataclass(frozen=True, slots=True)
class Comment:
    """`above`: lines joined by line ends, their signs taken off. `behind`: what follows on the key's own line."""

    above: str = ""
    behind: str = ""


def comments_of(document: Document) -> Mapping[Key, Comment]:
    """Only keys of which something is said."""
    lines = _Lines(document)
    found = {}
    taken: set[int] = set()
    for key, (start, end) in document.parsed.places.items():
        line = lines.of_key(start)
        # Of several keys on one line the first has what stands above it.
        above = "" if line in taken else lines.above(line)
        taken.add(line)
        behind = lines.behind.get(lines.number(end), "")
        if above or behind:
            found[key] = Comment(above[:LONGEST], behind[:LONGEST])
    return found


class _Lines:
    """A text's lines, and which of them are comments alone."""

    def __init__(self, document: Document) -> None:
        text = document.text
        self._starts = [0, *(found.end() for found in re.finditer(r"\r\n|\n|\r", text))]
        self._text = text
        self.behind: dict[int, str] = {}
        """Line to the comment at its end."""
        self._alone: dict[int, tuple[int, str]] = {}
        """Last line of a comment that stands alone to its first line, and what it says."""
        for start, end in document.parsed.comments:
            first, last = self.number(start), self.number(end)
            said = "\n".join(filter(_HAS_WORDS.search, (_SIGNS.sub("", one) for one in text[start:end].splitlines())))
            if text[self._starts[first] : start].strip():
                self.behind[first] = said
            else:
                self._alone[last] = (first, said)

    def number(self, place: int) -> int:
        return bisect_right(self._starts, place) - 1

    def of_key(self, place: int) -> int:
        """The line of a key whose value begins here: a list on lines of its own begins below it."""
        line = self.number(place)
        before = self._text[self._starts[line] : place].strip()
        while line and (not before or before == "-"):
            line -= 1
            before = "" if line in self._alone else self._text[self._starts[line] : self._starts[line + 1]].strip()
        return line

    def above(self, line: int) -> str:
        said: list[str] = []
        while line and line - 1 in self._alone and len(said) < MOST_LINES:
            line, words = self._alone[line - 1]
            said.insert(0, words)
        return "\n".join(filter(None, said))
