"""A wanted line that cannot go together with the others: a need is missing or has a wrong version, or something
breaks.
"""

from __future__ import annotations

from ..words.model import misfit
from .finding import Finding, Severity
from .subject import NoBuild, Subject


def check(subject: Subject) -> list[Finding]:
    return [
        Finding(
            "unsettled",
            Severity.BLOCKER,
            (mod,),
            f"{line.name}{_of(mod, subject)} has no build in this draft.",
            line.why,
            "Take another build, switch the line off, remove it, or change the base.",
            mod,
            ways=(*line.ways, *subject.ways_without(mod)),
        )
        for mod, line in subject.unsettled.items()
        if not line.refused and not (line.nearest is not None and does_not_fit(line, subject))
    ]


def _of(mod: str, subject: Subject) -> str:
    theirs = subject.collection_of(mod)
    return f", a line of {theirs.name}," if theirs else ""


def does_not_fit(line: NoBuild, subject: Subject) -> str:
    """Why the newest build of a line does not fit the base, where that is all that stands against it."""
    return "" if line.ways or line.nearest is None else misfit(line.nearest, subject.base)
