"""Times in signed documents: ISO 8601 in UTC to the second, `2026-11-26T20:00:00+00:00`."""

from __future__ import annotations

from datetime import UTC, datetime

from ..words.errors import MalformedInput


def write_time(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat(timespec="seconds")


def read_time(text: str) -> datetime:
    """Raises MalformedInput for what is no time, or one without a zone."""
    try:
        moment = datetime.fromisoformat(text)
        if moment.tzinfo is not None:
            return moment.astimezone(UTC)
    except (ValueError, OverflowError) as error:
        raise MalformedInput(f"“{text[:40]}” is no time.", "Times are ISO 8601 with their zone.") from error
    raise MalformedInput(f"“{text[:40]}” has no zone.", "Times are ISO 8601 with their zone.")
