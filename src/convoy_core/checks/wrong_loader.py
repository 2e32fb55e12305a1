"""A line whose builds are for another loader; the counterpart that does its job here, where one exists."""

from __future__ import annotations

from ..words.model import Build
from .finding import Finding, Severity, Way
from .subject import Subject
from .unsettled import does_not_fit


def check(subject: Subject) -> list[Finding]:
    found = []
    for mod, line in subject.unsettled.items():
        if line.refused or not does_not_fit(line, subject) or not _is_for_another(line.nearest, subject.base.loader):
            continue
        taking = tuple(
            Way(f"Take {name} in its place", ({"do": "remove", "mod": mod}, {"do": "add", "mod": other}))
            for other, name in line.counterparts.items()
        )
        now = "Take its counterpart, or leave it out." if taking else "Leave it out, or change the base."
        found.append(
            Finding(
                "wrong-loader",
                Severity.BLOCKER,
                (mod,),
                f"{line.name} is for another loader.",
                line.why,
                now,
                mod,
                ways=(*taking, *subject.ways_without(mod)),
            )
        )
    return found


def _is_for_another(build: Build | None, loader: str) -> bool:
    return build is not None and bool(build.loaders) and loader not in build.loaders
