"""A winner that was named for a path or folder, and carries nothing there any more."""

from __future__ import annotations

from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    return [
        Finding(
            "idle-winner",
            Severity.ADVICE,
            (place,),
            f"{subject.name(mod)} was to win at {place}, and carries nothing there.",
            "It left, or its build has changed.",
            "Let the order decide again.",
            mod if mod in subject.builds else "",
            evidence=(place,),
            ways=(Way("Let the order decide", ({"do": "winner", "places": [place], "mod": ""},)),),
        )
        for place, mod in subject.laid.idle.items()
    ]
