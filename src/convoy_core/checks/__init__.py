"""Checks over a draft and its lock. Each check is one small module with one rule; `ALL` is the table of them."""

from collections.abc import Callable

from . import errands, overlap, unsettled
from .finding import Finding, Severity, Subject

ALL: tuple[Callable[[Subject], list[Finding]], ...] = (unsettled.check, overlap.check, errands.check)


def run_checks(subject: Subject) -> list[Finding]:
    """Every finding of every check, gravest first, then in the order of the table."""
    found = [finding for check in ALL for finding in check(subject)]
    return sorted(found, key=lambda finding: list(Severity).index(finding.severity))


__all__ = ["ALL", "Finding", "Severity", "Subject", "run_checks"]
