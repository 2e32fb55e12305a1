"""Builds that no program may fetch: every member has to bring them by hand."""

from __future__ import annotations

from ..words.model import Pickup
from .finding import Finding, Severity
from .subject import Subject

WHY = {
    Pickup.CLICK: "Its source wants a person to confirm each file.",
    Pickup.BY_HAND: "It is offered on its own page only.",
    Pickup.WITHHELD: "Its source refuses files to other programs.",
}


def check(subject: Subject) -> list[Finding]:
    return [
        Finding(
            "errand",
            Severity.ADVICE,
            (build.mod,),
            f"Each member has to fetch {build.name} by hand.",
            WHY[build.pickup],
            "Nothing, if that is acceptable: the agent names the page and recognises the file.",
            build.mod,
            (build.archive.name, build.page),
        )
        for build, _ in subject.layers
        if not build.pickup.is_automatic
    ]
