"""The papers of a saved world: which releases it was played with, and what playing it with another one means.

They say it in words and versions, and need no release at hand: a world goes from machine to machine. Source:
docs/rules.md, "Worlds".
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from ..outside.fields import Fields
from ..words.errors import ConvoyError, MalformedInput
from ..words.model import Reach
from ..words.versions import parse_version
from ..words.wording import listed
from .change_log import What
from .lock import Lock, LockedBuild
from .worlds import WORLD_NOTES, WorldChange

PROGRESS = "progress"
"""What a build touches that changes rewards and progress: the name, and every name below it."""

MOST_PLAYED, MOST_MODS = 60, 2_000
"""Releases in one world's papers, the first and the newest of them; and builds in one entry."""


@dataclass(frozen=True, slots=True)
class Carried:
    """A build that a world was played with. `version`: empty where only the mod is known."""

    mod: str
    name: str
    version: str

    def __str__(self) -> str:
        return f"{self.name} {self.version}".strip()


@dataclass(frozen=True, slots=True)
class Played:
    """One release that a world was played with. `saves`: builds that it depends on; `progress`: those that change
    progress; `others`: what else lay there, by name, where no release says what it was. `since`, `until`: ISO 8601.
    """

    pack: str
    name: str
    number: str
    sha256: str
    base: str
    since: str
    until: str
    saves: tuple[Carried, ...] = ()
    progress: tuple[Carried, ...] = ()
    others: tuple[str, ...] = ()

    def __str__(self) -> str:
        return f"{self.name} {self.number}".strip()

    def as_data(self) -> dict[str, Any]:
        told: dict[str, Any] = {name: getattr(self, name) for name in _TEXTS}
        for name in ("saves", "progress"):
            told[name] = [[one.mod, one.name, one.version] for one in getattr(self, name)]
        return {**told, "others": list(self.others)}


Papers = tuple[Played, ...]
"""Oldest first; empty: nobody knows."""

_TEXTS = ("pack", "name", "number", "sha256", "base", "since", "until")


def read_papers(told: Any) -> Papers:
    """From a file that may come from anybody. Raises MalformedInput."""
    rows = list(Fields({"played": told}).items("played"))
    if len(rows) > MOST_PLAYED:
        raise MalformedInput("A world's papers name more releases than it can have been played with.", field="played")
    return tuple(_read(row) for row in rows)


def _read(row: Fields) -> Played:
    pack, name, number, sha256, base, since, until = (row.text(each, "", longest=300) for each in _TEXTS)
    others = tuple(one[:300] for one in row.strings("others")[:MOST_MODS])
    saves, progress = _carried(row, "saves"), _carried(row, "progress")
    return Played(pack, name, number, sha256, base, since, until, saves, progress, others)


def _carried(row: Fields, name: str) -> tuple[Carried, ...]:
    found = row.plain(name) if row.has(name) else []
    if not isinstance(found, list) or len(found) > MOST_MODS:
        raise MalformedInput("A world's papers cannot be read.", f"“{name}” is no list of builds.", field=name)
    for one in found:
        if not (isinstance(one, list) and len(one) == 3 and all(isinstance(part, str) for part in one)):
            raise MalformedInput("A world's papers cannot be read.", f"“{name}” names what is no build.", field=name)
    return tuple(Carried(*(part[:300] for part in one)) for one in found)


def changes_progress(build: LockedBuild) -> bool:
    return any(name == PROGRESS or name.startswith(f"{PROGRESS}.") for name in build.claims.touches)


def progress_in(lock: Lock) -> tuple[LockedBuild, ...]:
    return tuple(build for build in lock.builds if changes_progress(build))


def played_with(lock: Lock, pack: str, name: str, number: str, sha256: str, at: str) -> Played:
    saves = tuple(_as_carried(build) for build in lock.builds if build.reach is Reach.SAVE)
    progress = tuple(map(_as_carried, progress_in(lock)))
    return Played(pack, name, number, sha256, lock.base.as_text(), at, at, saves, progress)


def _as_carried(build: LockedBuild) -> Carried:
    return Carried(build.mod, build.name, build.version)


def with_play(papers: Papers, now: Played) -> Papers:
    """Papers after one more evening: with the release that they end with, or with another one."""
    if papers and (papers[-1].pack, papers[-1].sha256) == (now.pack, now.sha256):
        return (*papers[:-1], replace(now, since=papers[-1].since))
    made = (*papers, now)
    return made if len(made) <= MOST_PLAYED else (made[0], *made[-MOST_PLAYED + 1 :])


def progress_of(papers: Papers) -> tuple[Carried, ...]:
    """Everything that changed a world's progress, each mod once, in the build that it was last played with."""
    return tuple({one.mod: one for played in papers for one in played.progress}.values())


def apart(world: str, papers: Papers, target: Lock) -> tuple[WorldChange, ...]:
    """What keeps a world apart from a release: that other mods change progress there. Nothing for a world of which
    nobody knows what it was played with.
    """
    if not papers:
        return ()
    told = []
    theirs, here = progress_of(papers), {build.mod: build for build in progress_in(target)}
    if gone := [str(one) for one in theirs if one.mod not in here]:
        verb = "which change" if len(gone) > 1 else "which changes"
        told.append(_apart(f"“{world}” was played with {listed(gone)}, {verb} progress; this release has none of it"))
    last = {one.mod for one in papers[-1].progress}
    if new := [f"{one.name} {one.version}" for mod, one in here.items() if mod not in last]:
        verb = "change" if len(new) > 1 else "changes"
        told.append(_apart(f"{listed(new)} {verb} progress, and “{world}” was last played without"))
    return tuple(told)


def _apart(sentence: str) -> WorldChange:
    note = "What was earned in it does not mean the same: play on with a copy, or keep the world for the other pack."
    return WorldChange("", None, sentence, note)


def against(world: str, papers: Papers, target: Lock) -> tuple[WorldChange, ...]:
    """Everything that opening a world with a release may do to it: what the release lacks of what the world was last
    played with, or has in another build; another base; and what keeps it apart.
    """
    if not papers:
        return ()
    return (*_against_last(world, papers[-1], target), *apart(world, papers, target))


def _against_last(world: str, last: Played, target: Lock) -> Iterator[WorldChange]:
    if last.base and last.base != target.base.as_text():
        sentence = f"“{world}” was last played on {last.base}; this is {target.base.as_text()}"
        yield WorldChange("", None, sentence, "A world may not open on another base, or not on the old one again.")
    for one in last.saves:
        build = target.by_mod.get(one.mod)
        if build is None:
            sentence = f"“{world}” was played with {one}, which is not here"
            yield WorldChange(one.mod, What.REMOVED, sentence, WORLD_NOTES[What.REMOVED].format(note="").strip())
        elif not one.version:
            note = "It may not open with this one, or not with the other again."
            yield WorldChange(one.mod, None, f"{one.name} lay there in another build than {build.version}", note)
        elif one.version != build.version:
            what = What.UPDATED if _is_newer(build.version, one.version) else What.TAKEN_BACK
            sentence = f"“{world}” was played with {one}; here is {build.version}"
            yield WorldChange(one.mod, what, sentence, WORLD_NOTES[what], one.version, build.version)
    if last.others:
        shown = [f"“{name}”" for name in last.others[:5]]
        more = f" and {len(last.others) - 5} more" if len(last.others) > 5 else ""
        sentence = f"Beside “{world}” lay {listed(shown)}{more}, of which this pack knows nothing"
        yield WorldChange("", None, sentence, "What they added to the world, if they did, is lost.")


def _is_newer(here: str, there: str) -> bool:
    """Papers may hold anything as a version: what is none is older than any."""
    try:
        return parse_version(here) > parse_version(there)
    except ConvoyError:
        return True
