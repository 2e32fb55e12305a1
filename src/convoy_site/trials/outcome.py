"""A trial's outcome and its log, as they are kept, held against the last good trial."""

import gzip
import json
from dataclasses import dataclass, field, replace
from typing import Any

from convoy_core.log import Log, compared
from convoy_core.log.entries import Ended, Entry
from convoy_core.log.wire import entry_as_json
from convoy_core.words.log_shape import EntrySeverity
from convoy_io.judging import Outcome

MOST_ENTRIES = 4_000
"""Entries of a log that are kept of a trial, worst first where there are more."""


@dataclass(frozen=True)
class Kept:
    """A log as it is kept: its entries as `log.wire` has them, each with whether the last good run had it not."""

    entries: list[dict[str, Any]] = field(default_factory=list)

    def as_bytes(self) -> bytes:
        return gzip.compress(json.dumps({"entries": self.entries}, ensure_ascii=False).encode(), 6, mtime=0)


def read_kept(data: bytes) -> Kept:
    return Kept(json.loads(gzip.decompress(data))["entries"])


def rows_of(log: Log) -> list[dict[str, Any]]:
    """Its entries as they are kept, the worst where there are too many."""
    return [entry_as_json(one) for _, one in sorted(log.worst(MOST_ENTRIES), key=lambda row: row[0])]


def against(outcome: Outcome, rows: list[dict[str, Any]], before: Kept | None, trial: str) -> tuple[Outcome, Kept]:
    """Held against the last good trial's log: what is new is marked, and counted. `before` of None: there is none."""
    if before is None:
        return outcome, Kept([{**row, "new": False} for row in rows])
    log = _as_log(rows)
    found = compared(_as_log(before.entries), log)
    new = {id(one) for one in found.new}
    marked = [{**row, "new": id(entry) in new} for row, entry in zip(rows, log.entries, strict=True)]
    return replace(outcome, against=trial, new=len(found.new), gone=len(found.gone)), Kept(marked)


def _as_log(rows: list[dict[str, Any]]) -> Log:
    """Enough of a log to be held against another."""
    entries = tuple(
        Entry(one["at"], EntrySeverity(one["severity"]), one["origin"], one["text"], 0, 0, one["count"]) for one in rows
    )
    return Log(entries, 0, Ended.CLOSED, None, 0, {}, {})
