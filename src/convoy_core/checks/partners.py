"""A patch whose partners are not all present: useless, even harmful, without them."""

from __future__ import annotations

from ..words.wording import listed
from .finding import Finding, Severity, Way
from .subject import Subject


def _is(many: list[str]) -> str:
    return "is" if len(many) == 1 else "are"


def check(subject: Subject) -> list[Finding]:
    found = []
    for build, _ in subject.layers:
        missing = [mod for mod in build.claims.partners if mod not in subject.builds]
        if not missing:
            continue
        names = listed([subject.name(mod) for mod in missing])
        off = [mod for mod in missing if mod in subject.lines]
        back = tuple({"do": "switch", "mod": mod, "on": True} for mod in off)
        fresh = tuple({"do": "add", "mod": mod} for mod in missing if mod not in subject.lines)
        found.append(
            Finding(
                "partners",
                Severity.WARNING,
                (build.mod,),
                f"{build.name} joins mods that are not all here: {names} {_is(missing)} missing.",
                "A patch does nothing, or harm, without both of what it joins.",
                f"Add {names}, or leave the patch out.",
                build.mod,
                evidence=tuple(
                    f"{subject.name(mod)}: {'there' if mod in subject.builds else 'missing'}"
                    for mod in build.claims.partners
                ),
                ways=(Way(f"Bring {names} in", (*back, *fresh)), *subject.ways_without(build.mod)),
            )
        )
    return found
