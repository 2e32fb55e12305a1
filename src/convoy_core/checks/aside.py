"""What is set aside: lines that catch nothing any more, and what must not be missing and is caught."""

from __future__ import annotations

from ..conflicts.set_aside import caught_by
from ..lock.lock import OVERLAY
from ..words.wording import counted
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    if not subject.set_aside:
        return []
    found = [*_missing_markers(subject)]
    sizes = {path: size for files in subject.files.values() for path, size in files.sizes.items()}
    caught = caught_by(subject.set_aside, sizes)
    idle = [pattern for pattern, one in zip(subject.set_aside, caught, strict=True) if not one.files]
    if idle:
        found.append(
            Finding(
                "aside-idle",
                Severity.ADVICE,
                ("list",),
                f"{counted(len(idle), 'line')} of what is set aside catch{'es' if len(idle) == 1 else ''} nothing.",
                "The files have gone, or an earlier line catches them.",
                "Take those lines out, or leave them for later.",
                evidence=tuple(idle[:60]),
                ways=(_shortened(subject, set(idle), "Take those lines out"),),
            )
        )
    return found


def _missing_markers(subject: Subject) -> list[Finding]:
    found = []
    for build, _ in subject.layers:
        layout = subject.profile.kinds.get(build.kind)
        marker = layout.marker_at(build.mod) if layout and build.mod != OVERLAY else ""
        if marker and marker in subject.laid.set_aside.get(build.mod, ()):
            lines = {one for one in subject.set_aside if caught_by([one], {marker: 0})[0].files}
            found.append(
                Finding(
                    "aside-marker",
                    Severity.BLOCKER,
                    (build.mod,),
                    f"What is set aside catches the marker of {build.name}.",
                    "The game does not see a mod without it.",
                    "Take the line out, or switch the mod off.",
                    build.mod,
                    evidence=(marker, *sorted(lines)),
                    ways=(_shortened(subject, lines, "Take the line out"), *subject.ways_without(build.mod)),
                )
            )
    return found


def _shortened(subject: Subject, without: set[str], text: str) -> Way:
    kept = [line for line in subject.set_aside_text.splitlines() if line.strip() not in without]
    return Way(text, ({"do": "set aside", "text": "\n".join(kept)},))
