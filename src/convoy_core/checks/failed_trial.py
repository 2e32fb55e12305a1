"""The bench started exactly this draft, and it did not come up."""

from __future__ import annotations

from .finding import Finding, Severity, remove
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    tried = subject.tried
    if tried is None or tried.came_up:
        return []
    named = [mod for mod in tried.named if mod in subject.lines]
    return [
        Finding(
            "failed-trial",
            Severity.WARNING,
            ("bench",),
            f"The bench started this draft, and it failed: {tried.sentence}",
            "It was exactly what stands here now, in a fresh installation.",
            "Look at what its log says; on the bench it can be narrowed down.",
            mod=named[0] if named else "",
            evidence=(
                f"Tried on {tried.on}.",
                *(f"Without {name}, which the bench could not have." for name in tried.without[:20]),
                *(f"{subject.name(mod)}: {fate}" for mod, fate in tried.worse),
            ),
            ways=tuple(remove(mod, subject.name(mod)) for mod in named),
        )
    ]
