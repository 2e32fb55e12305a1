"""A line that is switched off, and stays all the same, as others need its mod."""

from __future__ import annotations

from ..words.wording import listed
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for mod, line in subject.lines.items():
        if line.on or mod not in subject.builds:
            continue
        askers = [build.name for build, _ in subject.layers if mod in build.needs]
        needs = f"{listed(askers[:4])} {'needs' if len(askers) == 1 else 'need'} it." if askers else "It is needed."
        found.append(
            Finding(
                "off-but-needed",
                Severity.ADVICE,
                (mod,),
                f"{line.name} is switched off and stays.",
                needs,
                "Switch it on, or switch off what needs it.",
                mod,
                evidence=tuple(askers),
                ways=(Way(f"Switch {line.name} on", ({"do": "switch", "mod": mod, "on": True},), is_choice=True),),
            )
        )
    return found
