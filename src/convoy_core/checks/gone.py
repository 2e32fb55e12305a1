"""A build that its source does not list any more: who has it keeps it, and nobody else gets it."""

from __future__ import annotations

from .finding import Finding, Severity, Way
from .subject import Subject


def _take(mod: str, version: str) -> Way:
    return Way(f"Take {version}", ({"do": "take", "mod": mod, "version": version},))


def check(subject: Subject) -> list[Finding]:
    found = []
    for mod in sorted(subject.gone):
        build = subject.builds.get(mod)
        if build is None:
            continue
        other = subject.newest.get(mod)
        found.append(
            Finding(
                "gone",
                Severity.WARNING,
                (mod, build.version),
                f"The source of {build.name} does not list {build.version} any more.",
                "It was withdrawn, or the source is gone. Members who have it keep it; others may not get it.",
                "Take another build, or leave it out.",
                mod,
                ways=(*(() if other is None else (_take(mod, other.version.text),)), *subject.ways_without(mod)),
            )
        )
    return found
