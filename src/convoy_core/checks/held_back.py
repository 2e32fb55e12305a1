"""A held build that keeps others back: newer builds fit the base, and do not go together with what is held."""

from __future__ import annotations

from ..resolve import why_not
from ..words.wording import counted, listed
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for mod, line in subject.lines.items():
        if not line.held or mod not in subject.cores:
            continue
        others = {one: build for one, build in subject.cores.items() if one != mod}
        back = [
            newer
            for one, newer in subject.newest.items()
            if one != mod and why_not(newer, subject.base, subject.cores) and not why_not(newer, subject.base, others)
        ]
        if back:
            names = listed([subject.name(one.mod) for one in back[:4]])
            found.append(
                Finding(
                    "held-back",
                    Severity.ADVICE,
                    (mod,),
                    f"{line.name}, held at {line.held}, keeps {names} back.",
                    f"{counted(len(back), 'newer build')} would come if it were let go.",
                    "Let it go, or leave it: a hold has its reason.",
                    mod,
                    evidence=tuple(f"{subject.name(one.mod)} {one.version}" for one in back),
                    ways=(Way(f"Let {line.name} go", ({"do": "hold", "mod": mod, "version": ""},), is_choice=True),),
                )
            )
    return found
