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
        change = one.change
        if change.what is What.ADDED:
            continue
        back: tuple[Way, ...] = ()
        if change.what is What.REMOVED and change.mod not in subject.lines:
            back = (add(change.mod, change.name),)
        elif change.what is not What.REMOVED:
            edit = {"do": "hold", "mod": change.mod, "version": change.before, "because": "worlds depend on it"}
            back = (Way(f"Hold {change.before}", (edit,), is_choice=True),)
        found.append(
            Finding(
                "saved-worlds",
                Severity.WARNING if change.what is not What.UPDATED else Severity.ADVICE,
                (change.mod,),
                f"{change.sentence()}: saved worlds depend on it.",
                one.note.strip(),
                "Worlds are copied before each member's next sync.",
                change.mod,
                evidence=(f"since the last release: {change.before or 'not there'} to {change.after or 'not there'}",),
                ways=back,
            )
        )
    return found
