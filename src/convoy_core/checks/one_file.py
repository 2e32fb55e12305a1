"""Paths of two builds that are one file on some systems: by letter case, or by how an accent is written."""

from __future__ import annotations

from ..lock.lock import OVERLAY
from .finding import Finding, Severity, Way
from .parting import without
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for paths in subject.of_all_files("twins", (), lambda: _twins(subject)):
        there = sorted((path, subject.laid.holder[path]) for path in paths if path in subject.laid.holder)
        if len(there) < 2:
            continue
        (one, first), (other, second) = there[:2]
        found.append(
            Finding(
                "one-file",
                Severity.BLOCKER,
                (one, other),
                f"{subject.name(first)} and {subject.name(second)} spell one path in two ways.",
                "Some systems take both for one file: members on them could not match the others.",
                "Set one of the two aside.",
                second,
                evidence=(f"{one} ({subject.name(first)})", f"{other} ({subject.name(second)})"),
                ways=_ways(subject, {one: first, other: second}),
            )
        )
    return found


def _twins(subject: Subject) -> list[list[str]]:
    """Paths that are spelled in several ways, sorted."""
    spelled: dict[str, str] = {}
    twins: dict[str, set[str]] = {}
    for files in subject.files.values():
        for folded in files.folded.keys() & spelled.keys():
            if files.folded[folded] != spelled[folded]:
                twins.setdefault(folded, {spelled[folded]}).add(files.folded[folded])
        spelled.update(files.folded)
    return sorted(sorted(paths) for paths in twins.values())


def _ways(subject: Subject, paths: dict[str, str]) -> tuple[Way, ...]:
    """Patterns know no letter case, so that one of the two is left out of its build, not set aside in the pack."""
    return tuple(
        Way(f"Leave {subject.name(mod)}'s out", (without(subject, mod, paths=[path]),), is_choice=True)
        for path, mod in paths.items()
        if mod != OVERLAY
    )
