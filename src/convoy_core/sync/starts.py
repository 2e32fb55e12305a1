"""How a start of the game stands, as a crew is told of it around a departure. Source: docs/rules.md, "Words"."""

from __future__ import annotations

from enum import StrEnum


class StartState(StrEnum):
    STARTING = "starting"
    UP = "up"
    CLOSED = "closed"
    CRASHED = "crashed"
