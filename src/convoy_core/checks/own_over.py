"""The pack's own files lie over files of builds. Meant so, most often: said once, with whose files."""

from __future__ import annotations

from ..lock.lock import OVERLAY
from ..words.wording import counted
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    over = [one for one in subject.laid.meetings if one.winner == OVERLAY]
    if not over:
        return []
    evidence = tuple(f"{one.path}: over {subject.name(mod)}" for one in over for mod in one.by if mod != OVERLAY)
    paths = [one.path for one in over]
    return [
        Finding(
            "own-over",
            Severity.ADVICE,
            (OVERLAY,),
            f"Own files of the pack lie over {counted(len(over), 'file')} of its mods.",
            "What is laid over everything wins everywhere.",
            "Nothing, where that is meant.",
            evidence=evidence,
            ways=(Way("Take those own files away", ({"do": "own files", "remove": paths},), is_choice=True),),
        )
    ]
