"""The list of what a pack sets aside, as text: one pattern a line, `#` comments. Source: docs/rules.md, "Parts, set
aside, own files".
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..outside.catcher import MOST_ALIKE, catcher
from ..outside.patterns import HOW, MAX_PATTERN_LENGTH, is_pattern, matcher

MAX_LINES = 5_000
"""Hundreds of parts are usual; an imported list may hold thousands."""


ANYWHERE = ("\x01", "\x01/\x01", "\x01/\x01/\x01.\x01")
"""Paths that no file has: what catches them all catches everything."""


@dataclass(frozen=True, slots=True)
class ListLine:
    """One line of the list that is no comment. `number` counts from 1; `trouble`: why it is no pattern."""

    number: int
    pattern: str
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Caught:
    """What a line catches that no line before it did."""

    files: int = 0
    size: int = 0


def read_list(text: str) -> list[ListLine]:
    """The patterns of a list with what speaks against each. Never raises: a list is pasted from anywhere."""
    found: list[ListLine] = []
    for number, line in enumerate(text.splitlines(), 1):
        pattern = line.strip()
        if not pattern or pattern.startswith("#"):
            continue
        if len(found) == MAX_LINES:
            found.append(ListLine(number, pattern[:MAX_PATTERN_LENGTH], f"{MAX_LINES} lines are the most."))
            break
        found.append(ListLine(number, pattern, _trouble(pattern)))
    usable = [at for at, line in enumerate(found) if not line.trouble]
    for place in catcher(tuple(found[at].pattern for at in usable)).crowded:
        at = usable[place]
        told = (
            f"More than {MOST_ALIKE} lines differ in nothing but what stands between wildcards. Name folders or files."
        )
        found[at] = ListLine(found[at].number, found[at].pattern, told)
    return found


def _trouble(pattern: str) -> str:
    if not is_pattern(pattern):
        return HOW[0]
    if not pattern.strip("*/") and all(matcher((pattern,)).fullmatch(path) for path in ANYWHERE):
        return "It would set everything aside."
    return ""


def caught_by(patterns: Sequence[str], sizes: Mapping[str, int]) -> list[Caught]:
    """What each pattern catches of some files (path to bytes), in the order of the patterns: a file counts for the
    first that catches it, so that the figures add up. One pass over the files, whatever the number of patterns.
    """
    files, bytes_ = [0] * len(patterns), [0] * len(patterns)
    for path, at in catcher(tuple(patterns)).caught(sizes):
        files[at] += 1
        bytes_[at] += sizes[path]
    return [Caught(*pair) for pair in zip(files, bytes_, strict=True)]
