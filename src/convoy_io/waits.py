"""How long a source asks to be left alone."""

from __future__ import annotations

from datetime import UTC, datetime
from email.utils import parsedate_to_datetime

import httpx


def asked_wait(reply: httpx.Response, now: datetime | None = None) -> float:
    """Seconds for which a source asks to be left alone (Retry-After, as seconds or as a date); 0 where it says nothing
    that can be read. A date is meant by the source's own clock, where it tells it.
    """
    asked = reply.headers.get("retry-after", "").strip()
    if asked.isascii() and asked.isdecimal() and len(asked) < 8:
        return float(asked)
    until = _moment(asked)
    if until is None:
        return 0
    there = _moment(reply.headers.get("date", "")) or now or datetime.now(UTC)
    return max(0.0, (until - there).total_seconds())


def _moment(text: str) -> datetime | None:
    try:
        found = parsedate_to_datetime(text)
    except (ValueError, TypeError, IndexError, OverflowError):
        return None
    return found if found.tzinfo else found.replace(tzinfo=UTC)
