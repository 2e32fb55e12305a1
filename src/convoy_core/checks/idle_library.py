"""A library that somebody chose, and that nothing in the draft needs any more."""

from __future__ import annotations

from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    needed = {mod for build, _ in subject.layers for mod in build.needs}
    return [
        Finding(
            "idle-library",
            Severity.ADVICE,
            (mod,),
            f"Nothing needs {line.name} any more.",
            "It is a library: by itself it does nothing in the game.",
            "Remove it; it comes back by itself when something needs it.",
            mod,
            ways=(Way(f"Remove {line.name}", ({"do": "remove", "mod": mod},)),),
        )
        for mod, line in subject.lines.items()
        if line.is_library and line.on and mod in subject.builds and mod not in needed
    ]
