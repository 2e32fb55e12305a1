"""What an installation's history says: which sync a taking back takes back. Source:

Source: docs/rules.md, "Sync"; "The job" 12.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any


def to_take_back(entries: Iterable[Mapping[str, Any]]) -> Mapping[str, Any] | None:
    """The newest sync that was not taken back yet; None when there is none, or nothing lay there before it.

    `entries`: oldest first, each with `from` (the release before it, empty for the first) and `undoes`.
    """
    standing: list[Mapping[str, Any]] = []
    for entry in entries:
        if entry.get("damaged"):
            # Whether it took something back is not known any more: nothing before it can be taken back by itself.
            standing = []
        elif not entry.get("undoes"):
            standing.append(entry)
        elif standing:
            standing.pop()
    return standing[-1] if standing and standing[-1].get("from") else None
