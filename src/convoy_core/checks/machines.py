"""The pack against each machine that follows it: memory, disk, runtime, and what a machine lacks now."""

from __future__ import annotations

from ..machine.verdict import judge
from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for follower in subject.followers:
        verdict = judge(subject.needed, follower.machine)
        if verdict.obstacles:
            found.append(
                Finding(
                    "machine",
                    Severity.WARNING,
                    (follower.name,),
                    f"{follower.name} could not run this.",
                    "; ".join(one.what for one in verdict.obstacles) + ".",
                    " ".join(one.to_do for one in verdict.obstacles),
                    evidence=tuple(one.what for one in verdict.obstacles),
                )
            )
        if follower.lacks:
            found.append(
                Finding(
                    "lacks",
                    Severity.ADVICE,
                    (follower.name,),
                    f"{follower.name} is not as its release has it.",
                    "; ".join(follower.lacks[:3]),
                    "The roll call says what its person has to do.",
                    evidence=follower.lacks,
                )
            )
    return found
