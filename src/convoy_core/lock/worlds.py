"""What a change from one lock to another means for saved worlds. Source: docs/rules.md, "Sync"."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..words.model import Reach
from ..words.wording import listed
from .change_log import What, changes
from .in_worlds import worlds_of
from .lock import Lock, LockedBuild


@dataclass(frozen=True, slots=True)
class WorldChange:
    """Something that happens to saved worlds. `note`: what to know before. `what`, `before`, `after`: of the build of
    `mod`, where it moves at all.
    """

    mod: str
    what: What | None
    sentence: str
    note: str
    before: str = ""
    after: str = ""


def world_changes(before: Lock | None, target: Lock) -> tuple[WorldChange, ...]:
    """What happens to *save* builds between two locks, and what that means for worlds; then, of two machines' shares,
    what comes into a world or leaves it.
    """
    told = []
    for change in changes(before, target).mods:
        was = before.by_mod.get(change.mod) if before else None
        now = target.by_mod.get(change.mod)
        builds = [build for build in (was, now) if build]
        if any(build.reach is Reach.SAVE for build in builds):
            note = WORLD_NOTES[change.what].format(note=was.on_removal if was else "").strip()
            told.append(
                WorldChange(change.mod, change.what, change.sentence(), note, change.before or "", change.after or "")
            )
    return (*told, *_comings(before, target))


def _comings(before: Lock | None, target: Lock) -> Iterator[WorldChange]:
    """Content that comes into single worlds, is another build in them, or leaves them."""
    lay = worlds_of(before) if before else {}
    comes = worlds_of(target)
    for mod, worlds in comes.items():
        build, had = target.by_mod[mod], lay.get(mod, set())
        old = before.by_mod[mod] if before and had else build
        if new := worlds - had:
            yield _into(build, new, "comes into", WORLD_NOTES[What.ADDED])
        if old.version != build.version and build.reach is not Reach.SAVE and (stays := worlds & had):
            yield _into(build, stays, "takes the earlier build’s place in", "")
    for mod, had in lay.items():
        if before and (gone := had - comes.get(mod, set())):
            build = before.by_mod[mod]
            yield _into(build, gone, "leaves", WORLD_NOTES[What.REMOVED].format(note=build.on_removal).strip())


def _into(build: LockedBuild, worlds: set[str], verb: str, note: str) -> WorldChange:
    names = [f"“{world.rpartition('/')[2]}”" for world in sorted(worlds)]
    return WorldChange(build.mod, None, f"{build.name} {build.version} {verb} {listed(names)}", note)


WORLD_NOTES = {
    What.ADDED: "Worlds that are played with it depend on it from then on.",
    What.UPDATED: "Worlds that are opened with the newer build may not open with the older one again.",
    What.TAKEN_BACK: "Worlds that were saved with the newer build may not open, or lose what it added.",
    What.REMOVED: "What it added to worlds is lost there. {note}",
}
