"""Steps that only a person can do: which there are, which are done, and what their checks see.

.convoy/steps.json keeps what was ticked, and how a file looked that a step is to change. Source: docs/rules.md,
"Words".
"""

from __future__ import annotations

from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.lock.terms import Check, HandStep
from convoy_core.words.errors import ConvoyError

from ..storage import sealed
from ..storage.files import inside, sha256_of
from .folder import Folder


def keep_baselines(folder: Folder, target: Lock) -> None:
    """Notes how the files lie now that steps are to change, unless that was noted for this step before."""
    kept = _kept(folder)
    for step in target.terms.steps:
        if step.check is not Check.CHANGED:
            continue
        packs_own = target.by_path.get(step.path)
        mark = kept.setdefault(step.id, {})
        if packs_own:
            mark["was"] = packs_own.sha256
        elif "was" not in mark:
            mark["was"] = _sha256(folder, step.path)
    _keep(folder, kept)


def tick(folder: Folder, step: str, done: bool) -> None:
    """The member says that a step is done, or is not."""
    kept = _kept(folder)
    kept.setdefault(step, {})["ticked"] = done
    _keep(folder, kept)


def all_steps(folder: Folder, target: Lock) -> list[dict[str, Any]]:
    """Every step with whether it is done, and whether a check says so or its person."""
    kept = _kept(folder)
    return [{**step.as_data(), **_state(folder, step, kept.get(step.id, {}))} for step in target.terms.steps]


def _state(folder: Folder, step: HandStep, mark: dict[str, Any]) -> dict[str, Any]:
    if step.check is Check.NONE:
        return {"done": bool(mark.get("ticked")), "seen": False}
    there = _sha256(folder, step.path)
    done = bool(there) and (step.check is Check.EXISTS or there != mark.get("was", there))
    return {"done": done or bool(mark.get("ticked")), "seen": done}


def _sha256(folder: Folder, path: str) -> str:
    try:
        return sha256_of(inside(folder.root, path))
    except (OSError, ConvoyError):
        return ""


def _kept(folder: Folder) -> dict[str, Any]:
    place = folder.own / "steps.json"
    try:
        told: Any = sealed.read(place)
    except FileNotFoundError:
        return {}
    except sealed.Damaged:
        folder.put_away(place, "Which steps you had ticked is lost, as its file is damaged. Tick them again.")
        return {}
    return told if isinstance(told, dict) else {}


def _keep(folder: Folder, kept: dict[str, Any]) -> None:
    if kept:
        sealed.write(folder.own / "steps.json", kept)
