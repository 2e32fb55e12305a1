"""What differs between two profiles of one game, so that a change is read before it is kept.

Releases carry what they need of a profile, so no change reaches what is published; drafts are settled anew with it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..words.log_shape import LogShape
from ..words.profile import GameProfile, Loader, StartHints


class Changed(StrEnum):
    ADDED = "added"
    REMOVED = "removed"
    CHANGED = "changed"


@dataclass(frozen=True, slots=True)
class ProfileChange:
    """`subject`: what it is about, as people say it ("version 2.2", "Bosun 5.3.1", "where a scenario goes").
    `before` and `after` are texts; empty where there is none.
    """

    what: Changed
    subject: str
    before: str = ""
    after: str = ""


def changes_between(old: GameProfile, new: GameProfile) -> list[ProfileChange]:
    """Every difference, versions first."""
    return list(_changes(old, new))


def _changes(old: GameProfile, new: GameProfile) -> Iterator[ProfileChange]:
    yield from _compared(
        {str(one.version): f"{one.label}, {one.channel}, runtime {one.runtime or 'any'}" for one in old.versions},
        {str(one.version): f"{one.label}, {one.channel}, runtime {one.runtime or 'any'}" for one in new.versions},
        "version {}",
    )
    loaders = {one.id: one for one in old.loaders}, {one.id: one for one in new.loaders}
    names = {one.id: one.name for one in (*old.loaders, *new.loaders)}
    for loader in dict.fromkeys((*loaders[1], *loaders[0])):
        there = [side.get(loader) for side in loaders]
        if not (there[0] and there[1]):
            what = Changed.ADDED if there[1] else Changed.REMOVED
            yield ProfileChange(what, f"loader {names[loader]}")
        if there[1]:
            yield from _compared(_runs(there[0]), _runs(there[1]), names[loader] + " {}")
    yield from _compared(_kinds(old), _kinds(new), "where a {} goes")
    yield from _compared(_plain(old), _plain(new), "{}")


def _runs(loader: Loader | None) -> dict[str, str]:
    found = loader.versions if loader else ()
    return {str(one.version): f"for {one.games.text}{', recommended' if one.recommended else ''}" for one in found}


def _kinds(profile: GameProfile) -> dict[str, str]:
    return {
        str(kind): f"{one.place or 'the game’s folder'}{f', marked by {one.marker}' if one.marker else ''}"
        for kind, one in profile.kinds.items()
    }


def _plain(profile: GameProfile) -> dict[str, str]:
    memory = [f"{profile.memory.base} MB"] + [
        f"{kind} {one.each:g} MB and {one.per_mb:g} per MB" for kind, one in sorted(profile.memory.estimates.items())
    ]
    start, log = profile.start, profile.log
    found = {
        "the name": profile.name,
        "the summary": profile.summary,
        "managed folders": _listed(profile.managed),
        "settings files": _listed(profile.settings),
        "data files": _listed(profile.data),
        "patterns for comments": _listed(profile.comments),
        "worlds": _listed(profile.worlds),
        "memory": "; ".join(memory),
        "how it is started": _listed(_started(start)) if start else "",
        "its log": _listed(_said(log)) if log else "",
        "messages that are known": _listed([f"{one.id}: {one.line}" for one in log.known]) if log else "",
    }
    return {name: text for name, text in found.items() if text}


def _started(start: StartHints) -> list[str]:
    lists = (start.arguments, start.plain, start.memory, start.window, start.server)
    return [*start.files.values(), *(argument for one in lists for argument in one)]


def _said(log: LogShape) -> list[str]:
    words = [f"{severity}: {word}" for severity, found in sorted(log.severities.items()) for word in found]
    single = (log.place, log.line, log.main_screen, log.closed, log.loaded)
    return [one for one in (*single, *log.crash, *log.continues, *words, *log.reports) if one]


def _listed(texts: Sequence[str]) -> str:
    return ", ".join(texts)


def _compared(old: Mapping[str, str], new: Mapping[str, str], subject: str) -> Iterator[ProfileChange]:
    for name in dict.fromkeys((*new, *old)):
        before, after = old.get(name, ""), new.get(name, "")
        if before != after:
            what = Changed.CHANGED if before and after else Changed.ADDED if after else Changed.REMOVED
            yield ProfileChange(what, subject.format(name), before, after)
