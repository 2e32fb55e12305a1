"""A wanted line that has no build: it does not fit the base, or cannot go together with the others."""

from __future__ import annotations

from .finding import Finding, Severity, Subject


def check(subject: Subject) -> list[Finding]:
    return [
        Finding(
            "unsettled",
            Severity.BLOCKER,
            mod,
            f"{name} has no build in this draft.",
            why,
            "Take another build, switch the line off, remove it, or change the base.",
        )
        for mod, (name, why) in subject.unsettled.items()
    ]
