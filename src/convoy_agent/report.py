"""What the agent tells the site about a folder beside its deviations: the plan, errands, backups, history, steps.

Lists are cut to what a person reads; counts are whole.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from convoy_core.lock.in_worlds import worlds_of
from convoy_core.lock.papers import progress_of
from convoy_core.sync.errands import minutes
from convoy_core.sync.plan import Act, Plan
from convoy_core.sync.undoing import to_take_back

from .folder import steps
from .folder.backups import Backups
from .folder.before import Before
from .folder.differences import Look
from .folder.folder import Folder
from .folder.machine import facts
from .folder.own_settings import own_settings, written
from .folder.worlds import WorldKept, WorldsKept
from .prospect import Prospect
from .site.head import Head
from .site.site import as_told
from .storage import sealed
from .storage.store import Store

LISTED = 200
"""Paths of one kind that are told."""

LONGEST = 300
"""Characters of one text that is told."""

ENTRIES = 30
"""Syncs of the history that are told, and backups."""


STEPS = 500
"""Of the pack and of all collections beside it."""

PLAYED = 20
"""Releases that are told of what one world was played with."""

MOST_SETS = 30
"""Sets of settings: a release offers no more."""

REMARKS = 20
"""Remarks that are told: of the agent's own files, archives, backups."""


def tell(
    folder: Folder,
    store: Store,
    prospect: Prospect,
    look: Look,
    head: Head,
    at: str,
    sealed_up: bool,
) -> dict[str, Any]:
    """Plain data, as the site's report takes it. `sealed_up`: what is in the release is not told."""
    target, before, plan = prospect.target, prospect.before, prospect.plan
    own = {mod for mods in prospect.beside.mods.values() for mod in mods}
    history = folder.entries()
    backups = Backups(folder)
    found, bad = backups.all(), backups.rehearsal().bad
    back = to_take_back(history)
    kept = WorldsKept(folder).all()
    placed = worlds_of(before) if before else {}
    # What is its member's own is nobody else's business.
    theirs = {path: sha256 for path, sha256 in look.hashes.items() if path not in prospect.own_before}
    off = [path for path, what in look.deviations.items() if what in ("altered", "extra")]
    return {
        "at": at,
        "machine": facts(folder.root),
        "plan": _plan(plan, prospect.recipe.number, store),
        "errands": [build.mod for build in plan.errands if build.mod not in own],
        "errand_minutes": minutes(plan.errands),
        "strayed": [
            {"path": as_told(one.path), "key": one.key[:200], "wanted": one.wanted, "there": one.there}
            for one in look.strayed[:LISTED]
        ],
        "found": {as_told(path): look.hashes[path] for path in sorted(off)[:LISTED] if len(look.hashes[path]) == 64},
        "choices": [build.mod for build in target.choices][:LISTED],
        "steps": steps.all_steps(folder, target)[:STEPS],
        "worlds": [
            {
                "world": as_told(world),
                "holds": sorted(mod for mod, lie in placed.items() if world in lie),
                **_papers(kept.get(world), sealed_up),
            }
            for world in folder.worlds_there(target.terms)[:LISTED]
        ],
        "backups": [
            {
                "id": one.id,
                "made_at": one.made_at,
                "why": one.why,
                "release": one.release,
                "by_hand": one.by_hand,
                "files": len(one.files),
                "size": one.size,
                "holds": one.holds()[:LONGEST],
                "damaged": bad.get(one.id, "")[:LONGEST],
            }
            for one in found[:ENTRIES]
        ],
        "history": [_entry(one) for one in reversed(history[-ENTRIES:])],
        "undo": back["from"] if back else "",
        "sets": folder.record().sets[:MOST_SETS],
        "settings": own_settings(folder, before, theirs) if head.tells_settings and before else [],
        "written": written(folder, target, look.hashes) if head.tells_settings else {},
        "had_before": had_before(folder),
        "beside": _beside(prospect, look, sealed_up),
        "remarks": [one[:LONGEST] for one in dict.fromkeys(folder.remarks)][:REMARKS],
    }


def _papers(kept: WorldKept | None, sealed_up: bool) -> dict[str, Any]:
    """What a world was played with, the newest last; and what in that changes progress."""
    if kept is None or not kept.stamp[0]:
        return {}
    changed = datetime.fromtimestamp(kept.stamp[2] / 1e9, UTC).isoformat(timespec="seconds")
    played = [{"name": one.name[:200], "number": one.number[:40], "until": one.until[:40]} for one in kept.papers]
    progress = [] if sealed_up else [str(one)[:LONGEST] for one in progress_of(kept.papers)]
    return {"size": kept.stamp[1], "changed": changed, "played": played[-PLAYED:], "progress": progress[:PLAYED]}


def _beside(prospect: Prospect, look: Look, sealed_up: bool) -> list[dict[str, Any]]:
    """Collections of the member's own: what the next sync lays down of each, what it leaves out and why, and what lies
    there now.
    """
    lies = {one.taken.id: one.taken.number for one in prospect.record.beside}
    off = {file.mod for path in look.own if (file := prospect.target.by_path.get(path))}
    return [
        {
            "pack": one.taken.id,
            "name": one.taken.name,
            "number": one.taken.number,
            "has": lies.get(one.taken.id, ""),
            "mods": len(mods),
            "off": sum(mod in off for mod in mods),
            "errands": [build.mod for build in prospect.plan.errands if build.mod in mods],
            "left_out": []
            if sealed_up
            else [
                {"name": each.name, "version": each.version, "because": each.because[:LONGEST]}
                for each in prospect.beside.left_out
                if each.collection == one.taken.id
            ][:LISTED],
        }
        for one in prospect.laid
        for mods in [prospect.beside.mods.get(one.taken.id, ())]
    ]


def had_before(folder: Folder) -> int:
    """How many of the pack's files lay here before joining; 0 where that is not known any more."""
    try:
        return len(Before(folder.own).files)
    except sealed.Damaged:
        return 0


def _plan(plan: Plan, number: str, store: Store) -> dict[str, Any]:
    speed = store.speed()
    return {
        "release": number,
        "counts": {act.value: plan.count(act) for act in Act},
        "left_alone": plan.left_alone,
        "merged": _paths((*plan.paths(Act.MERGE), *plan.paths(Act.ADJUST))),
        "rewritten": [
            {"path": as_told(path), "comments": lost} for path, lost in list(plan.rewritten.items())[:LISTED]
        ],
        "mine": _paths(plan.mine),
        "aside": _paths(plan.paths(Act.ASIDE)),
        "extras": _paths(plan.extras),
        "fetch": len(plan.fetch),
        "fetch_bytes": plan.fetch_bytes,
        "place_bytes": plan.place_bytes,
        "seconds": round(plan.fetch_bytes / speed) if speed else -1,
        "worlds": [{"sentence": one.sentence, "note": one.note[:600]} for one in plan.worlds[:LISTED]],
    }


def _entry(entry: dict[str, Any]) -> dict[str, Any]:
    return {
        "id": entry["id"],
        "before": entry.get("from", ""),
        "release": entry.get("release", ""),
        "counts": entry.get("counts", {}),
        "moved": _paths(entry.get("moved", ())),
        "notes": [_note(one) for one in entry.get("notes", [])[:LISTED]],
        "backup": entry.get("backup", ""),
        "undoes": bool(entry.get("undoes")),
        "mods": [str(one)[:LONGEST] for one in entry.get("mods", ())][:LISTED],
    }


def _note(note: dict[str, Any]) -> dict[str, Any]:
    """As the site takes it: a settings file may have thousands of keys, and a report that is refused helps nobody."""
    told: dict[str, Any] = {"path": as_told(note["path"])}
    told["changed"] = [str(key)[:LONGEST] for key in note.get("changed", [])[:LISTED]]
    told["comments_lost"] = int(note.get("comments_lost", 0))
    for name in ("kept", "overruled"):
        rows = note.get(name, [])[:LISTED]
        told[name] = [{part: str(row[part])[:LONGEST] for part in ("key", "mine", "new")} for row in rows]
    told |= {name: str(note[name])[:LONGEST] for name in ("problem", "beside") if name in note}
    return told


def _paths(paths: Any) -> list[str]:
    return [as_told(path) for path in list(paths)[:LISTED]]
