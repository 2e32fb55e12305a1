"""A line whose builds are for another game version, with no verdict that one works all the same."""

from __future__ import annotations

from .finding import Finding, Severity, Way
from .subject import Subject
from .unsettled import does_not_fit


def check(subject: Subject) -> list[Finding]:
    found = []
    base = subject.base
    for mod, line in subject.unsettled.items():
        nearest = line.nearest
        if line.refused or nearest is None or not does_not_fit(line, subject):
            continue
        if nearest.loaders and base.loader not in nearest.loaders:
            continue
        said = nearest.verdict_on(base)
        older = not nearest.games.holds(base.version)
        works = Way(
            f"It works on {base.version}: keep that as a verdict",
            ({"do": "verdict", "mod": mod, "version": nearest.version.text, "works": True},),
            is_choice=True,
        )
        found.append(
            Finding(
                "wrong-version",
                Severity.BLOCKER,
                (mod,),
                f"{line.name} is {'said not to work here' if said else 'made for another version'}.",
                line.why,
                "A build that was made for another version often works: only trying tells.",
                mod,
                evidence=(f"{nearest.version}: {nearest.games.in_words() if older else line.why}",),
                ways=(works, *subject.ways_without(mod)),
            )
        )
    return found
