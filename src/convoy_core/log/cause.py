"""Why a log ended as it did: the first entry that a known message explains, else the last error before the end."""

from __future__ import annotations

from collections.abc import Callable

from .entries import Cause, Entry

LONGEST = 240
"""Characters of an entry that are told in a sentence."""

LAST = "Nothing known explains it. The last error before the end"


def known_cause(entry: Entry, at: int | None, name: Callable[[str], str], ids: Callable[[str], str | None]) -> Cause:
    """`name`: how people call what a message names; `ids`: which mod it is."""
    assert entry.known is not None
    told = {place: name(said) for place, said in entry.named.items()}
    other = entry.named.get("other")
    sentence = entry.known.says.format(**told)
    return Cause(at, entry.mod, other and (ids(other) or other), entry.known.id, entry.known.mend, sentence)


def likely_cause(entry: Entry, at: int | None, name: Callable[[str], str]) -> Cause:
    said = entry.text if len(entry.text) <= LONGEST else f"{entry.text[:LONGEST]}…"
    who = f"Likely {name(entry.mod)}: the last error before the end is its own" if entry.mod else LAST
    return Cause(at, entry.mod, None, None, None, f"{who}: “{said}”")
