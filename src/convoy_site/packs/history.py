"""What an edit changed in a draft, kept so that anybody may take it back, and the taking back.

Only what the edit itself changed is restored: edits that were made since, elsewhere in the draft, stay.
"""

import json
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from typing import Any

from convoy_core.words.errors import ConvoyError

from ..catalogue.sayings import say_again
from . import drafts
from .drafts import OwnLine
from .models import Draft, Edit, Line

BASE_FIELDS = ("game_version", "loader", "loader_version")
TERMS = ("tweak_sets", "steps", "parts", "winners", "set_aside", "own_files", "laid_down", "lead")
"""What of a draft is kept and restored as a whole."""

Pair = list[Any]
"""[before, after]; None where there was or is nothing."""


class ChangedSince(ConvoyError):
    """An edit that cannot be taken back, as somebody changed the same place after it."""

    code = "changed-since"


@dataclass(frozen=True)
class Moment:
    """A draft's content at one moment, as plain data."""

    lines: dict[str, OwnLine]
    picks: dict[str, str]
    base: list[str]
    terms: dict[str, Any]
    tweaks: dict[str, dict[str, Any]]
    """What the pack sets, by file, key and set."""
    collections: dict[str, dict[str, Any]]
    said: dict[str, dict[str, Any]]
    """What the crew says of builds: verdicts and additions."""


def moment(draft: Draft) -> Moment:
    lines = {line.mod: line for line in drafts.lines_of(draft)}
    terms = {name: copy(getattr(draft, name)) for name in TERMS}
    base = [getattr(draft, name) for name in BASE_FIELDS]
    tweaks = {tweak_key(one): one for one in draft.tweaks}
    return Moment(
        lines, dict(draft.picks), base, terms, tweaks, dict(draft.collections), dict(drafts.sayings_in(draft).told)
    )


def tweak_key(tweak: dict[str, Any]) -> str:
    """Names a setting that a pack sets: its file, its key, and the set that it is in."""
    return json.dumps([tweak["path"], tweak["key"], tweak.get("set", "")], ensure_ascii=False)


def difference(before: Moment, after: Moment) -> dict[str, Any]:
    """As `Edit.did` keeps it."""
    lines = {mod: _otherwise(*pair) for mod, pair in _pairs(before.lines, after.lines).items()}
    did: dict[str, Any] = {"lines": lines, "picks": _pairs(before.picks, after.picks)}
    if before.base != after.base:
        did["base"] = [before.base, after.base]
    if before.tweaks != after.tweaks:
        did["settings"] = _pairs(before.tweaks, after.tweaks)
    if before.collections != after.collections:
        did["collections"] = _pairs(before.collections, after.collections)
    if before.said != after.said:
        did["said"] = _pairs(before.said, after.said)
    return {**did, **_pairs(before.terms, after.terms)}


def _otherwise(before: OwnLine | None, after: OwnLine | None) -> Pair:
    """What a line says otherwise; all of it where it came or went. Where one moves, hundreds have another place."""
    fields: Sequence[str] = OwnLine._fields[1:]
    if before is not None and after is not None:
        fields = [name for name in fields if getattr(before, name) != getattr(after, name)]
    return [{name: getattr(one, name) for name in fields} if one else None for one in (before, after)]


def _still_says(line: OwnLine | None, after: dict[str, Any] | None) -> bool:
    if line is None or after is None:
        return line is None and after is None
    return all(getattr(line, name) == value for name, value in after.items())


def _pairs(before: dict[str, Any], after: dict[str, Any]) -> dict[str, Pair]:
    both = sorted(before.keys() | after.keys())
    return {one: [before.get(one), after.get(one)] for one in both if before.get(one) != after.get(one)}


def restore(draft: Draft, edit: Edit) -> None:
    """Puts back what an edit changed: lines, base, and the builds it moved. Raises ChangedSince, and changes nothing.

    Builds are put back as what is to be kept; settling afterwards decides whether that still goes together.
    """
    now = moment(draft)
    lines, base = edit.did.get("lines", {}), edit.did.get("base")
    changed = [mod for mod, (_, after) in lines.items() if not _still_says(now.lines.get(mod), after)]
    terms = {name: edit.did[name] for name in TERMS if name in edit.did}
    changed += [name.replace("_", " ") for name, (_, after) in terms.items() if now.terms[name] != after]
    tweaks = edit.did.get("settings", {})
    changed += [".".join(json.loads(one)[1]) for one, (_, after) in tweaks.items() if now.tweaks.get(one) != after]
    taken = edit.did.get("collections", {})
    changed += [
        (after or before)["name"] for one, (before, after) in taken.items() if now.collections.get(one) != after
    ]
    said = edit.did.get("said", {})
    changed += [key for key, (_, after) in said.items() if now.said.get(key) != after]
    if changed or (base and now.base != base[1]):
        what = ", ".join(changed[:3]) or "the base"
        raise ChangedSince(
            "This edit cannot be taken back.",
            f"Somebody changed {what} after it.",
            "Take back the later edit first, or change it by hand.",
            mods=changed,
        )
    for mod, (before, _) in lines.items():
        if before is None:
            Line.objects.filter(draft=draft, mod=mod).delete()
        else:
            Line.objects.update_or_create(draft=draft, mod=mod, defaults=before)
    if base:
        for name, value in zip(BASE_FIELDS, base[0], strict=True):
            setattr(draft, name, value)
    for name, (before, _) in terms.items():
        setattr(draft, name, before)
    if tweaks:
        kept = now.tweaks | {one: before for one, (before, _) in tweaks.items()}
        draft.tweaks = [one for one in kept.values() if one is not None]
    for one, (before, _) in taken.items():
        draft.collections = {name: told for name, told in draft.collections.items() if name != one}
        if before is not None:
            draft.collections[one] = before
    for key, (before, _) in said.items():
        say_again(draft.pack, key, before)
    for mod, (version, after) in edit.did.get("picks", {}).items():
        if draft.picks.get(mod) == after:
            draft.picks.pop(mod, None)
            if version is not None:
                draft.picks[mod] = version
