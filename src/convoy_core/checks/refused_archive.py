"""A line whose archives cannot be used: a climbing path, no marker, more than one root, absurd compression."""

from __future__ import annotations

from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    return [
        Finding(
            "refused-archive",
            Severity.BLOCKER,
            (mod,),
            f"The archive of {line.name} is refused.",
            line.refused,
            "Remove it, or wait for a build that is whole.",
            mod,
            ways=subject.ways_without(mod),
        )
        for mod, line in subject.unsettled.items()
        if line.refused
    ]
