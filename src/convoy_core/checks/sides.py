"""A mod of both sides that needs one of a single side: on the other side it stands there without what it needs."""

from __future__ import annotations

from ..words.model import Side
from .finding import Finding, Severity
from .subject import Subject

SIDES = {Side.PLAYER: "players' machines", Side.SERVER: "the server"}


def check(subject: Subject) -> list[Finding]:
    found = []
    for build, _ in subject.layers:
        for mod in build.needs:
            needed = subject.builds.get(mod)
            if needed is None:
                continue
            for place, where in SIDES.items():
                if build.side.goes_to(place) and not needed.side.goes_to(place):
                    found.append(
                        Finding(
                            "sides",
                            Severity.BLOCKER,
                            (build.mod, mod, place),
                            f"{build.name} goes to {where}, and {needed.name}, which it needs, does not.",
                            f"{needed.name} is for {SIDES[needed.side]} alone.",
                            "Say on which side they belong, or leave the one out that needs it.",
                            build.mod,
                            evidence=(f"{build.name}: {build.side}", f"{needed.name}: {needed.side}"),
                            ways=subject.ways_without(build.mod),
                        )
                    )
    return found
