"""What a member may ask of their installation's agent on its page. Source: docs/rules.md, "The job" 10 to 12."""

from __future__ import annotations

from enum import StrEnum


class OrderKind(StrEnum):
    LOOK = "look"
    SYNC = "sync"
    UNDO = "undo"
    PUT_BACK = "put back"
    BACK_UP = "back up"
    RESTORE = "restore"
    DROP_BACKUP = "drop backup"
    STEP = "step"
    LEAVE = "leave"
