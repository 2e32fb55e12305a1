"""Checks over a draft and its lock. Each check is one small module with one rule; `ALL` is the table of them.

Source: docs/rules.md, "Checks".
"""

from collections.abc import Callable

from . import (
    aside,
    astray,
    errands,
    failed_trial,
    gone,
    held_back,
    idle_library,
    idle_winner,
    licences,
    machines,
    nested,
    off_but_needed,
    one_file,
    other_archive,
    overlap,
    own_over,
    partners,
    playthroughs,
    rebuilds,
    refused_archive,
    saved_worlds,
    sides,
    tweaks,
    twice,
    under,
    unread,
    unreviewed,
    unsettled,
    wrong_loader,
    wrong_version,
)  # fmt: skip
from .finding import Finding, Severity, Way
from .subject import DraftLine, Follower, NoBuild, Patch, Playing, Subject, Tried, Under, Unreviewed

ALL: tuple[Callable[[Subject], list[Finding]], ...] = (
    unsettled.check,
    under.check,
    failed_trial.check,
    wrong_loader.check,
    wrong_version.check,
    refused_archive.check,
    one_file.check,
    sides.check,
    rebuilds.check,
    aside.check,
    overlap.check,
    partners.check,
    twice.check,
    unreviewed.check,
    gone.check,
    other_archive.check,
    playthroughs.check,
    saved_worlds.check,
    tweaks.check,
    machines.check,
    held_back.check,
    off_but_needed.check,
    idle_library.check,
    idle_winner.check,
    own_over.check,
    astray.check,
    nested.check,
    licences.check,
    unread.check,
    errands.check,
)


def run_checks(subject: Subject) -> list[Finding]:
    """Every finding of every check, gravest first, then in the order of the table."""
    found = [finding for check in ALL for finding in check(subject)]
    return sorted(found, key=lambda finding: list(Severity).index(finding.severity))


__all__ = [
    "ALL",
    "DraftLine",
    "Finding",
    "Follower",
    "NoBuild",
    "Patch",
    "Playing",
    "Severity",
    "Subject",
    "Tried",
    "Under",
    "Unreviewed",
    "Way",
    "run_checks",
    "unreviewed",
]
