"""Builds that may not travel inside a file: the pack is a recipe for them, and members fetch them themselves."""

from __future__ import annotations

from ..lock.lock import OVERLAY
from ..words.licences import meaning
from ..words.model import Pickup
from ..words.wording import counted
from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    builds = (build for build, _ in subject.layers if build.mod != OVERLAY)
    kept_out = [build for build in builds if not meaning(build.licence).may_be_carried]
    found = []
    if kept_out:
        found.append(
            Finding(
                "licences",
                Severity.ADVICE,
                ("pack",),
                f"{counted(len(kept_out), 'mod')} may not travel inside a file.",
                "Their licences forbid passing them on, or nothing is known of them.",
                "Nothing: members fetch them from their sources.",
                evidence=tuple(f"{build.name}: {build.licence or 'no licence named'}" for build in kept_out),
            )
        )
    found += [
        Finding(
            "licence",
            Severity.WARNING,
            (build.mod,),
            f"The crew hands out {build.name}, which its licence does not allow.",
            meaning(build.licence).sentence,
            "Take it from its own page, or ask its author.",
            build.mod,
            ways=subject.ways_without(build.mod),
        )
        for build in kept_out
        if build.pickup is Pickup.OURS
    ]
    return found
