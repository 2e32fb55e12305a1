"""Files of a build that fall outside every place of the game: it never looks there."""

from __future__ import annotations

from ..lock.lock import OVERLAY
from ..words.wording import counted
from .finding import Finding, Severity, Way
from .parting import without
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    profile = subject.profile
    tops, patterns = (*profile.managed, *profile.worlds), (*profile.settings, *profile.data)
    astray = {
        mod: paths
        for mod, files in subject.files.items()
        if mod != OVERLAY and (paths := subject.held(mod, files.outside(tops, patterns)))
    }
    found = []
    for mod, paths in astray.items():
        edit = without(subject, mod, paths=paths[:200])
        found.append(
            Finding(
                "astray",
                Severity.ADVICE,
                (mod,),
                f"{counted(len(paths), 'file')} of {subject.name(mod)} would lie where the game does not look.",
                f"It looks in {', '.join(profile.managed)} and where its settings lie.",
                "Leave them out, or keep them where a person reads them.",
                mod,
                evidence=tuple(paths[:60]),
                ways=(Way("Leave them out", (edit,), is_choice=True),) if len(paths) <= 200 else (),
            )
        )
    return found
