"""Values of settings as JSON has them, and as browsers do."""

from datetime import date, datetime, time
from typing import Any

from convoy_core.settings.formats import Value
from convoy_core.settings.readings import LARGEST

MOST_EXACT = 2**53
"""Whole numbers beyond it lose their last digits in a browser: seeds of worlds are such."""


def plain(value: Value) -> Any:
    """Dates as ISO 8601; numbers that JSON, or a browser, has no place for, or no request may hold, as text."""
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, int | float) and not -_most(value) <= value <= _most(value):
        return str(value)
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    return {name: plain(one) for name, one in value.items()} if isinstance(value, dict) else value


def exact(value: Value) -> str | None:
    """A number that `plain` gives as text, to be given back as it was typed; None for every other value."""
    is_number = isinstance(value, int | float) and not isinstance(value, bool)
    return str(value) if is_number and plain(value) != value else None


def _most(value: float) -> float:
    return MOST_EXACT if isinstance(value, int) else LARGEST
