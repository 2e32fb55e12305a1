"""A log that is kept, as somebody reads it: narrowed, searched, a portion at a time."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

from convoy_core.words.log_shape import BAD, EntrySeverity

from .shapes import EntryOut, LogWanted, TrialLog

PORTION = 200
"""Entries of a log that are given at once."""

_ORDER = {severity: at for at, severity in enumerate(EntrySeverity)}


def page(entries: Sequence[dict[str, Any]], wanted: LogWanted) -> TrialLog:
    """What is wanted of a log, with as many entries on either side of each as are wanted; counted are hits alone."""
    hits = [at for at, one in enumerate(entries) if _is_wanted(one, wanted)]
    around = sorted({at + step for at in hits for step in range(-wanted.around, wanted.around + 1)})
    shown = [at for at in around if 0 <= at < len(entries)] if wanted.around else hits
    are_hits = set(hits)
    whose = Counter[str]()
    for one in entries:
        if one["mod"]:
            whose[one["mod"]] += one["count"]
    first_bad = next((place for place, at in enumerate(shown) if entries[at]["severity"] in BAD), -1)
    portion = shown[wanted.first : wanted.first + PORTION]
    return TrialLog(
        found=len(hits),
        shown=len(shown),
        whole=len(entries),
        first_bad=first_bad,
        mods=[mod for mod, _ in whose.most_common(100)],
        entries=[EntryOut(number=at, beside=at not in are_hits, **entries[at]) for at in portion],
    )


def _is_wanted(entry: dict[str, Any], wanted: LogWanted) -> bool:
    if _ORDER[EntrySeverity(entry["severity"])] < _ORDER[wanted.severity]:
        return False
    if (wanted.mod and entry["mod"] != wanted.mod) or (wanted.fresh and not entry["new"]):
        return False
    words = wanted.text.casefold()
    return not words or any(words in line.casefold() for line in (entry["text"], entry["origin"], *entry["lines"]))
