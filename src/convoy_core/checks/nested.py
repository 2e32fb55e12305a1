"""An archive inside an archive: what the game wants lies packed within, or somebody forgot it there."""

from __future__ import annotations

from ..lock.lock import OVERLAY
from .finding import Finding, Severity, Way
from .parting import without
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    packed = {
        mod: paths
        for mod, files in subject.files.items()
        if mod != OVERLAY and (paths := subject.held(mod, files.packed))
    }
    found = []
    for mod, paths in packed.items():
        edit = without(subject, mod, paths=paths[:200])
        found.append(
            Finding(
                "nested",
                Severity.ADVICE,
                (mod,),
                f"{subject.name(mod)} carries an archive inside its archive.",
                "The game reads what is laid down as it is, and does not unpack it.",
                "Leave it out, or take a build that is packed once.",
                mod,
                evidence=tuple(paths),
                ways=(Way("Leave it out", (edit,), is_choice=True),),
            )
        )
    return found
