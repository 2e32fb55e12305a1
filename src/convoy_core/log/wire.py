"""A log as JSON (docs/formats.md, *A log*)."""

from __future__ import annotations

from typing import Any

from .entries import Entry, Log


def log_as_json(log: Log) -> dict[str, Any]:
    cause = log.cause
    return {
        "entries": [entry_as_json(one) for one in log.entries],
        "main_screen": bool(log.main_screen),
        "ended": str(log.ended),
        "cause": cause and {
            "entry": cause.entry, "mod": cause.mod, "other": cause.other, "known": cause.known,
            "mend": cause.mend and str(cause.mend), "sentence": cause.sentence,
        },
        "loaded": dict(log.loaded),
        "lines": log.lines,
        "left_out": {str(severity): count for severity, count in log.left_out.items()},
    }  # fmt: skip


def entry_as_json(entry: Entry) -> dict[str, Any]:
    return {
        "at": entry.at, "severity": str(entry.severity), "origin": entry.origin, "mod": entry.mod, "text": entry.text,
        "lines": list(entry.lines), "from_line": entry.from_line, "to_line": entry.to_line, "count": entry.count,
        "known": entry.known.id if entry.known else None,
    }  # fmt: skip
