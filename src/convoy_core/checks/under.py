"""A collection whose release was withdrawn, or says that it does not suit the base. Of one that does not go together
with the pack each line that cannot come in is a finding of its own (`unsettled`). Source: docs/rules.md, "Collections".
"""

from __future__ import annotations

from .finding import Finding, Severity, Way, drop
from .subject import Subject, Under


def check(subject: Subject) -> list[Finding]:
    return [_found(one, why) for one in subject.under if (why := _why(one))]


def _why(one: Under) -> str:
    if one.withdrawn:
        return f"This release of it was withdrawn: {one.withdrawn}"
    return f"By its own word it is {one.misfit}." if one.misfit else ""


def _found(one: Under, why: str) -> Finding:
    moves = {"do": "take up", "collection": one.id, "release": one.newer}
    ways = (Way(f"Take {one.newer}", (moves,)),) if one.newer else ()
    return Finding(
        "collection",
        Severity.WARNING,
        (one.id, one.number),
        f"{one.name} {one.number} should not be under this pack.",
        why,
        "Take another release of it, drop it, or make its lines your own.",
        ways=(*ways, drop(one.id, one.name)),
    )
