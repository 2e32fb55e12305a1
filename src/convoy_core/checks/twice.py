"""The same mod twice under two names: the same archive, or one that stands in for the other while both are there."""

from __future__ import annotations

from ..lock.lock import LockedBuild
from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for one, other in _pairs(subject):
        found.append(
            Finding(
                "twice",
                Severity.WARNING,
                tuple(sorted((one.mod, other.mod))),
                f"{one.name} and {other.name} are the same mod.",
                _why_same(subject, one, other),
                "Keep one of them.",
                other.mod,
                evidence=(f"{one.mod} {one.version}", f"{other.mod} {other.version}"),
                ways=(*subject.ways_without(other.mod), *subject.ways_without(one.mod)),
            )
        )
    return found


def _pairs(subject: Subject) -> list[tuple[LockedBuild, LockedBuild]]:
    """Two at a time, in order: by archive, and by who provides whom."""
    first: dict[str, LockedBuild] = {}
    found: dict[frozenset[str], tuple[LockedBuild, LockedBuild]] = {}
    for build, _ in subject.layers:
        other = first.setdefault(build.archive.sha256, build)
        if other is not build:
            found[frozenset((other.mod, build.mod))] = (other, build)
    order = {build.mod: at for at, (build, _) in enumerate(subject.layers)}
    for mod, core in subject.cores.items():
        for provided in core.provides:
            if provided == mod or provided not in order:
                continue
            one, two = sorted((mod, provided), key=order.__getitem__)
            found.setdefault(frozenset((one, two)), (subject.builds[one], subject.builds[two]))
    return list(found.values())


def _why_same(subject: Subject, one: LockedBuild, other: LockedBuild) -> str:
    if one.archive.sha256 == other.archive.sha256:
        return "They come in the very same archive."
    first, second = (one, other) if other.mod in subject.cores[one.mod].provides else (other, one)
    return f"{first.name} says that it stands in for {second.name}."
