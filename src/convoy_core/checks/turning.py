"""What another order would turn round, said before it is asked for. Source: docs/rules.md, "Order and conflicts"."""

from __future__ import annotations

from .subject import Subject


def turned_by(subject: Subject, one: str, other: str) -> dict[str, str]:
    """Paths at which something else would lie if `other` were laid down just before `one`, which is earlier now; each
    with the mod whose file it would be.

    By that it only loses, and only to what lies between the two.
    """
    order = {mod: at for at, mod in enumerate(subject.builds)}
    found = {}
    for meeting in subject.laid.meetings:
        if meeting.winner != other or subject.is_decided(meeting.path):
            continue
        now = max((mod for mod in meeting.by if mod != other), key=order.__getitem__)
        if order[now] >= order[one] and subject.hashes[now][meeting.path] != subject.hashes[other][meeting.path]:
            found[meeting.path] = now
    return found
