"""What `convoy` ends with: one table, for the code, the help and the documentation."""

from __future__ import annotations

from convoy_core.words.errors import ConvoyError

from ..errors import FetchFailed, SiteAway

DONE, LEFT, REFUSED, AWAY, STOPPED = 0, 1, 2, 3, 130

EXITS = {
    DONE: "done, or in step",
    LEFT: "something differs, is behind, or is left to do",
    REFUSED: "refused, or input that cannot be read: a sentence says what, why, and what now",
    AWAY: "the site or a source cannot be reached, or sends what it should not: later it may",
    STOPPED: "stopped with Ctrl-C; how things stand is said",
}
"""Exit code to what it means."""


def exit_of(error: ConvoyError) -> int:
    return AWAY if isinstance(error, SiteAway | FetchFailed) else REFUSED


def as_help() -> str:
    """The table as the help ends with it."""
    return "Exit codes: " + "; ".join(f"{code} {meaning}" for code, meaning in EXITS.items()) + "."
