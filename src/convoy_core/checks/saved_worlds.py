"""A *save* mod that leaves, or moves, since the release that members have: what that does to worlds, and what to do."""

from __future__ import annotations

from ..lock.change_log import What
from ..lock.lock import Lock
from ..lock.worlds import world_changes
from .finding import Finding, Severity, Way, add
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    if subject.before is None:
        return []
    now = Lock(subject.base, tuple(build for build, _ in subject.layers), ())
    found = []
    for one in world_changes(subject.before, now):
        if one.what is None or one.what is What.ADDED:
            continue
        back: tuple[Way, ...] = ()
        if one.what is What.REMOVED and one.mod not in subject.lines:
            back = (add(one.mod, subject.before.by_mod[one.mod].name),)
        elif one.what is not What.REMOVED:
            edit = {"do": "hold", "mod": one.mod, "version": one.before, "because": "worlds depend on it"}
            back = (Way(f"Hold {one.before}", (edit,), is_choice=True),)
        found.append(
            Finding(
                "saved-worlds",
                Severity.WARNING if one.what is not What.UPDATED else Severity.ADVICE,
                (one.mod,),
                f"{one.sentence}: saved worlds depend on it.",
                one.note,
                "Worlds are copied before each member's next sync.",
                one.mod,
                evidence=(f"since the last release: {one.before or 'not there'} to {one.after or 'not there'}",),
                ways=back,
            )
        )
    return found
