"""All that changes from one release to another: what a change log tells, and what the pack demands of a machine."""

from __future__ import annotations

from typing import Any

from ..machine.memory import MB, Needed, gigabytes
from .change_log import change_log, set_rows
from .recipe import Recipe

STEP = 2**30 // 10
"""Bytes."""


def whole_log(before: Recipe | None, after: Recipe) -> tuple[dict[str, Any], ...]:
    """Rows as `change_log` gives them, demands last. `before` of None: nothing was there, and nobody asks what changed
    in its demands.
    """
    rows = change_log(before.lock if before else None, after.lock)
    return (*rows, *(demand_changes(before.needed, after.needed) if before else ()))


def demand_changes(before: Needed, after: Needed) -> tuple[dict[str, Any], ...]:
    return set_rows(_demands(before), _demands(after))


def _demands(needed: Needed) -> dict[str, str]:
    told = {
        "demand: memory at least": gigabytes(needed.minimum) if needed.minimum else "",
        "demand: memory recommended": gigabytes(needed.recommended) if needed.recommended else "",
        # In steps of a tenth: every release moves it by some bytes, and nobody makes room for those.
        "demand: disk": gigabytes(-(-needed.disk // STEP) * STEP // MB) if needed.disk else "",
        "demand: runtime": needed.runtime,
    }
    return {name: value for name, value in told.items() if value}
