"""A log as it leaves this machine: its worst entries, with everything private replaced."""

from __future__ import annotations

import json
from collections.abc import Collection
from typing import Any

from convoy_core.log import Log
from convoy_core.log.private import Redaction
from convoy_core.log.wire import entry_as_json

MOST_ENTRIES = 1_000
MOST_BYTES = 600_000
"""Of one log: what a site takes in one call is several times that."""

MOST_LINES = 40
LONGEST = 2_000
"""Characters of one line."""


def as_told(log: Log, new: Collection[int], redaction: Redaction) -> list[dict[str, Any]]:
    """Rows as `log.wire` has them, each with `new`. `new`: places of entries that the last good start had not."""
    rows, size = [], 0
    for at, entry in log.worst(MOST_ENTRIES):
        row = {**entry_as_json(entry), "new": at in new}
        # Keys go over several lines, and are known as such only together.
        text = redaction.of("\n".join([entry.text, *entry.lines[:MOST_LINES]]))[0].split("\n")
        row["text"], *row["lines"] = (line[:LONGEST] for line in text)
        row["origin"] = redaction.of(entry.origin)[0][:200]
        size += len(json.dumps(row))
        if size > MOST_BYTES:
            break
        rows.append((at, row))
    return [row for _, row in sorted(rows, key=lambda each: each[0])]
