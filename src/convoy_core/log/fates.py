"""What became of each mod in a start, by what the log says of it."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from ..words.log_shape import BAD
from .entries import Log


class Fate(StrEnum):
    """*silent*: nothing was said of it, as of one that lies at a wrong level and is passed by."""

    LOADED = "loaded"
    SILENT = "silent"
    FAILED = "failed"


def fates_of(mods: Iterable[str], log: Log) -> dict[str, Fate]:
    """A mod failed where it is the cause of the end, or where an error is its own and it was never said to have come
    up; of one that came up, an error alone says only that it complained.
    """
    named = {one for one in ((log.cause.mod, log.cause.other) if log.cause else ()) if one}
    complained = {entry.mod for entry in log.entries if entry.severity in BAD and entry.mod}
    return {
        mod: Fate.FAILED if mod in named or (mod in complained and mod not in log.loaded)
        else Fate.LOADED if mod in log.loaded
        else Fate.SILENT
        for mod in mods
    }  # fmt: skip
