"""Who meets whom in a draft: the picture of overlap, and two mods side by side."""

from dataclasses import dataclass, field
from typing import Any

from convoy_core.checks import Subject
from convoy_core.checks.overlap import concerned_by
from convoy_core.checks.rebuilds import declared_by
from convoy_core.checks.turning import turned_by
from convoy_core.conflicts.laying import Meeting
from convoy_core.conflicts.wire import as_json
from convoy_core.lock.canonical import canonical_json
from convoy_core.lock.lock import OVERLAY

from ..people.rights import NotFound

MOST_PATHS, MOST_KEYS = 200, 400
"""Of a pair side by side: more is counted, not shown."""


@dataclass
class Meets:
    """Two mods that carry the same paths with different content, or say that they change the same."""

    one: str
    other: str
    paths: list[Meeting] = field(default_factory=list)
    keys: int = 0
    lost: int = 0
    unread: int = 0
    won_by_other: int = 0
    decided: int = 0
    names: list[str] = field(default_factory=list)


def overlaps(subject: Subject) -> list[Meets]:
    """Every pair of mods that meet, first in order first."""
    order = {build.mod: at for at, (build, _) in enumerate(subject.layers)}
    found: dict[tuple[str, str], Meets] = {}
    for meeting in subject.laid.meetings:
        compared = subject.compared(meeting)
        concerned = concerned_by(compared) if compared else set(meeting.by)
        for at, one in enumerate(meeting.by):
            for other in meeting.by[at + 1 :]:
                if subject.hashes[one][meeting.path] == subject.hashes[other][meeting.path]:
                    continue
                if one not in concerned and other not in concerned:
                    continue
                pair = found.setdefault((one, other), Meets(one, other))
                pair.paths.append(meeting)
                pair.won_by_other += meeting.winner == other
                pair.decided += subject.is_decided(meeting.path)
                if compared is not None:
                    pair.keys += sum({one, other} <= clash.values.keys() for clash in compared.clashes)
                    pair.lost += sum(lost.mod in (one, other) for lost in compared.lost)
                else:
                    pair.unread += subject.is_readable(meeting.path)
    for declared in declared_by(subject):
        key = (declared.one.mod, declared.other.mod)
        found.setdefault(key, Meets(*key)).names = sorted((*declared.both, *declared.half))
    return sorted(found.values(), key=lambda pair: (order[pair.one], order[pair.other]))


def side_by_side(subject: Subject, one: str, other: str) -> dict[str, Any]:
    """Two mods: each path that both carry with different content, its keys with the value that holds and those that are
    lost. Raises NotFound.
    """
    order = [build.mod for build, _ in subject.layers]
    if one not in order or other not in order:
        raise NotFound("One of the two is not in the draft any more.", now="Look at the overlap again.")
    if order.index(one) > order.index(other):
        one, other = other, one
    meetings = [meeting for meeting in subject.laid.meetings if {one, other} <= set(meeting.by)]
    names = {build.mod: build.name for build, _ in subject.layers}
    return {
        "one": one,
        "other": other,
        "one_name": names[one],
        "other_name": names[other],
        "paths": [_path(subject, meeting) for meeting in meetings[:MOST_PATHS]],
        "more": max(0, len(meetings) - MOST_PATHS),
        **_turned(subject, one, other),
        "patches": [patch.name for patch in subject.patches if {one, other} <= set(patch.partners)],
    }


def _path(subject: Subject, meeting: Meeting) -> dict[str, Any]:
    compared = subject.compared(meeting)
    keys: list[dict[str, Any]] = []
    if compared is not None:
        trees = {mod: subject.reading(mod, meeting.path) for mod in meeting.by}
        told = dict.fromkeys([*(clash.key for clash in compared.clashes), *(lost.key for lost in compared.lost)])
        for key in list(told)[:MOST_KEYS]:
            values = {
                mod: _shown(tree.keys[key]) if tree is not None and key in tree.keys else None
                for mod, tree in trees.items()
            }
            keys.append({"key": ".".join(key), "values": values, "holds": values[meeting.winner]})
    troubles = [
        reading.trouble if reading else "not read yet"
        for mod in meeting.by
        if compared is None and subject.is_readable(meeting.path)
        if (reading := subject.reading(mod, meeting.path)) is None or reading.trouble
    ]
    return {
        "path": meeting.path,
        "by": list(meeting.by),
        "winner": meeting.winner,
        "decided": subject.is_decided(meeting.path),
        "is_readable": compared is not None,
        "trouble": troubles[0] if troubles else "",
        "keys": keys,
    }


def _shown(value: Any) -> str:
    plain = as_json(value)
    return plain if isinstance(plain, str) else canonical_json(plain).decode()


def _turned(subject: Subject, one: str, other: str) -> dict[str, Any]:
    """What laying `other` down just before `one` would turn round: paths whose holder changes, and for whom."""
    if OVERLAY in (one, other) or one not in subject.lines or other not in subject.lines:
        return {"turned": 0, "turned_with": []}
    turned = turned_by(subject, one, other)
    return {"turned": len(turned), "turned_with": sorted(subject.name(mod) for mod in {*turned.values()} - {one})}
