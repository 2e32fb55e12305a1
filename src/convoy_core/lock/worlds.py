"""What a change from one lock to another means for saved worlds. Source: docs/rules.md, "Sync"."""

from __future__ import annotations

from dataclasses import dataclass

from ..words.model import Reach
from .change_log import Change, What, changes
from .lock import Lock


@dataclass(frozen=True, slots=True)
class WorldChange:
    """A *save* build that changes: worlds depend on it. `note`: what to know before."""

    change: Change
    note: str


def world_changes(before: Lock | None, target: Lock) -> tuple[WorldChange, ...]:
    """What happens to *save* builds between two locks, and what that means for worlds."""
    told = []
    for change in changes(before, target).mods:
        was = before.by_mod.get(change.mod) if before else None
        now = target.by_mod.get(change.mod)
        builds = [build for build in (was, now) if build]
        if any(build.reach is Reach.SAVE for build in builds):
            told.append(WorldChange(change, _WORLD_NOTES[change.what].format(note=was.on_removal if was else "")))
    return tuple(told)


_WORLD_NOTES = {
    What.ADDED: "Worlds that are played with it depend on it from then on.",
    What.UPDATED: "Worlds that are opened with the newer build may not open with the older one again.",
    What.TAKEN_BACK: "Worlds that were saved with the newer build may not open, or lose what it added.",
    What.REMOVED: "What it added to worlds is lost there. {note}",
}
