"""Plain words with places in braces, found in a text: `{mod} needs {other}`.

A place takes what stands before the next words, up to PLACE characters; the last one takes the rest of its line.
Nothing is tried twice, so that no text, however made, takes longer than its length.
"""

from __future__ import annotations

import string

PLACE = 120
"""Characters that a place may take: names, versions, paths; not a paragraph."""


class Pattern:
    """`text`: as the profile has it, checked by its reader."""

    def __init__(self, text: str) -> None:
        parts = list(string.Formatter().parse(text))
        words = [part[0] for part in parts]
        self._places = [part[1] for part in parts if part[1] is not None]
        if parts and parts[-1][1] is not None:
            words.append("")
        self._words = words
        self.probe = max(words, key=len, default="")
        """What a text must hold for the pattern to be found in it."""

    def find(self, text: str) -> dict[str, str] | None:
        """What its places take in the first of the text's lines in which all of it is found."""
        if self.probe not in text:
            return None
        for line in text.split("\n"):
            if self.probe in line and (found := self._in_line(line)) is not None:
                return found
        return None

    def _in_line(self, line: str) -> dict[str, str] | None:
        first, *others = self._words
        at = line.find(first)
        if at < 0:
            return None
        at += len(first)
        found = {}
        for name, words in zip(self._places, others, strict=True):
            end = line.find(words, at) if words else len(line)
            taken = line[at:end].strip()
            if end < 0 or not 0 < len(taken) <= PLACE:
                return None
            found[name] = taken
            at = end + len(words)
        return found
