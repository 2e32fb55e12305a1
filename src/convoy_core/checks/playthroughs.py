"""What an open playthrough forbids of the draft: laid down with a reason it is an exception, which members read.

Source: docs/rules.md, "Playthroughs".
"""

from __future__ import annotations

from ..lock.playthroughs import Breach, breaches
from .finding import Finding, Severity, Way
from .subject import Playing, Subject

PLAYTHROUGH = "playthrough"


def said_of(name: str, what: str) -> str:
    """What a playthrough forbids, in one sentence: a release that comes out all the same carries it."""
    return f"{name} is being played: {what}."


def check(subject: Subject) -> list[Finding]:
    if subject.drafted is None:
        return []
    return [
        _found(one, breach, subject)
        for one in subject.playing
        for breach in breaches(one.rule, one.now, subject.drafted)
    ]


def _found(one: Playing, breach: Breach, subject: Subject) -> Finding:
    ways: tuple[Way, ...] = ()
    if breach.before and breach.about in subject.builds:
        stays = {"do": "hold", "mod": breach.about, "version": breach.before, "because": f"keeps {one.name}"[:200]}
        ways = (Way(f"Stay at {breach.before}", (stays,)),)
    elif breach.about in subject.builds and breach.about in subject.lines:
        ways = subject.ways_without(breach.about)
    return Finding(
        PLAYTHROUGH,
        Severity.BLOCKER,
        (one.id, breach.about),
        said_of(one.name, breach.what),
        breach.why,
        "Leave it as it is, make an exception with a reason, or end the playthrough.",
        breach.about if breach.about in subject.builds else "",
        evidence=(breach.what,),
        ways=ways,
    )
