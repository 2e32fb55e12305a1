"""What a member may ask of their installation's agent on its page. Source: docs/rules.md, "The job" 10 to 12."""

from __future__ import annotations

from collections.abc import Mapping
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
    SET_BACK = "set back"
    SET_OWN = "set own"
    CALL_FOR_HELP = "call for help"
    PLAY = "play"
    LEAVE = "leave"
    COPY_WORLD = "copy world"
    RENAME_WORLD = "rename world"
    HAND_ON = "hand on"


class Allowance(StrEnum):
    """What takes files away that somebody may miss, writes what no release has, or starts a program. A site's page may
    ask for it only where it was allowed on the machine itself: whoever holds the site holds no member's machine.
    """

    LEAVE = "leave"
    RESTORE = "restore"
    BACK = "back"
    SETTINGS = "settings"
    PLAY = "play"


NEEDS_ALLOWANCE: Mapping[OrderKind, Allowance] = {
    OrderKind.LEAVE: Allowance.LEAVE,
    OrderKind.RESTORE: Allowance.RESTORE,
    OrderKind.DROP_BACKUP: Allowance.RESTORE,
    OrderKind.UNDO: Allowance.BACK,
    OrderKind.SET_OWN: Allowance.SETTINGS,
    OrderKind.PLAY: Allowance.PLAY,
}
"""Orders of the page that need one. A sync that goes back to an earlier release needs BACK, too."""

ASKED_FOR: Mapping[Allowance, str] = {
    Allowance.LEAVE: "to leave the pack, which takes its files away",
    Allowance.RESTORE: "to put back or drop a backup, which takes away what lies there now",
    Allowance.BACK: "to go back to an earlier release",
    Allowance.SETTINGS: "to set settings otherwise than the pack has them",
    Allowance.PLAY: "to start the game",
}
"""What the page asks for, as a sentence goes on after “The site's page asks”."""
