"""A draft as a lead's follower: what it says place by place, and what becomes of places that somebody decided."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from convoy_core.conflicts.set_aside import read_list
from convoy_core.draft.following import (
    Entries,
    PlaceKind,
    in_lead_order,
    kind_of,
    line_entry,
    place,
    rank,
    setting_at,
    setting_place,
    step_entry,
    tweak_entry,
)
from convoy_core.draft.parts import read_rule
from convoy_core.lock.terms import MAX_STEPS, read_step, read_tweak
from convoy_core.outside.fields import Fields
from convoy_core.outside.paths import checked_path
from convoy_core.outside.patterns import checked_patterns
from convoy_core.words.errors import ConvoyError

from . import draft_layers, draft_terms, drafts
from .drafts import OwnLine
from .models import Draft, Line

LONGEST = 500


class NoPlace(ConvoyError):
    """A place of a pack that is none, or that says something which nothing is made of."""

    code = "no-place"


def entries_of_draft(draft: Draft, with_notes: bool) -> dict[str, Any]:
    """What a draft says. `with_notes`: what is noted of lines, too, which no release tells."""
    lines = drafts.lines_of(draft)
    told: dict[str, Any] = {
        place(PlaceKind.BASE): [draft.game_version, draft.loader, draft.loader_version],
        place(PlaceKind.ORDER): [line.mod for line in lines],
    }
    for line in lines:
        told[place(PlaceKind.LINE, line.mod)] = _line_said(draft, line)
        if with_notes and (line.note or line.tags):
            told[place(PlaceKind.NOTE, line.mod)] = {"note": line.note, "tags": sorted(line.tags)}
    told |= {place(PlaceKind.PARTS, mod): rule.as_data() for mod, rule in drafts.rules_of(draft).items()}
    told |= {setting_place(one.path, one.key): tweak_entry(one) for one in draft_terms.own_tweaks(draft)}
    told |= {place(PlaceKind.STEP, one["id"]): step_entry(read_step(Fields(one))) for one in draft.steps}
    told |= {place(PlaceKind.ASIDE, pattern): True for pattern in draft_layers.set_aside_of(draft)}
    return told | {place(PlaceKind.WINNER, at): mod for at, mod in draft.winners.items()}


def _line_said(draft: Draft, line: OwnLine) -> dict[str, Any]:
    said = line_entry(draft.picks.get(line.mod, "") if line.on else "", line.optional, line.advice)
    return said if line.on else {**said, "off": True}


def apply_entries(draft: Draft, entries: Entries, order: Sequence[str] = ()) -> list[str]:
    """Makes a draft say this at these places (None: nothing any more); gives the mods that it speaks of. `order`: of
    mods, in which lines that are new come in.

    Raises NoPlace, and what reading each kind raises.
    """
    mods: list[str] = []
    place_of = {place(PlaceKind.LINE, mod): at for at, mod in enumerate(order)}
    for at in sorted(entries, key=lambda one: (_rank(one)[0], place_of.get(one, len(order)), one)):
        kind, name = kind_of(at)
        if len(name) > LONGEST:
            raise NoPlace("A place of this length names nothing.")
        _SAY[kind](draft, name, entries[at])
        if kind in (PlaceKind.LINE, PlaceKind.PARTS, PlaceKind.NOTE):
            mods.append(name)
        drafts.read_anew(draft)
    return mods


def _rank(at: str) -> tuple[int, str]:
    try:
        return rank(at)
    except ValueError as error:
        raise NoPlace(f"“{at[:60]}” is no place of a pack.", now="Look at what there is again.") from error


def _mapping(said: Any, what: str) -> Mapping[str, Any]:
    if not isinstance(said, Mapping):
        raise NoPlace(f"What is said of {what[:60]} cannot be read.")
    return said


def _base(draft: Draft, name: str, said: Any) -> None:
    if not isinstance(said, list) or len(said) != 3 or not all(isinstance(one, str) for one in said):
        raise NoPlace("The base cannot be read.")
    base = draft.pack.game.profile.base(*said)
    draft.game_version, draft.loader = str(base.version), base.loader
    draft.loader_version = str(base.loader_version or "")


def _line(draft: Draft, mod: str, said: Any) -> None:
    found = draft.lines.filter(mod=mod).first()
    if said is None:
        if found is not None:
            found.delete()
        return
    told = Fields(_mapping(said, mod))
    version = told.text("version", "", longest=128)
    line = found or Line(draft=draft, mod=mod[:80], order=_last(draft) + 1)
    line.on = not told.flag("off", False)
    line.optional, line.advice = told.flag("optional", False), told.text("advice", "", longest=200)
    line.rested_version = "" if line.on else line.rested_version or draft.picks.get(mod, "")
    if version and line.held_version not in ("", version):
        line.held_version = line.held_because = ""
    line.save()
    if version:
        draft.picks = {**draft.picks, mod: version}


def _last(draft: Draft) -> int:
    return draft.lines.order_by("-order").values_list("order", flat=True).first() or 0


def _parts(draft: Draft, mod: str, said: Any) -> None:
    kept = {one: rule for one, rule in draft.parts.items() if one != mod}
    rule = read_rule(Fields(_mapping(said, mod))).as_data() if said is not None else {}
    draft.parts = {**kept, mod: rule} if rule else kept


def _setting(draft: Draft, name: str, said: Any) -> None:
    try:
        path, key = setting_at(name)
    except (ValueError, TypeError) as error:
        raise NoPlace(f"“{name[:60]}” is no setting.") from error
    # What the pack sets in one of its own sets stays there: of no set is what a lead says.
    kept = [one for one in draft.tweaks if (one["path"], one["key"], one.get("set", "")) != (path, key, "")]
    if said is not None:
        kept.append(read_tweak(Fields({**_mapping(said, name), "path": path, "key": key})).as_data())
    draft.tweaks = kept


def _step(draft: Draft, name: str, said: Any) -> None:
    kept = [one for one in draft.steps if one["id"] != name]
    if said is not None:
        at = next((place for place, one in enumerate(draft.steps) if one["id"] == name), len(kept))
        kept.insert(at, read_step(Fields({**_mapping(said, name), "id": name})).as_data())
    if len(kept) > MAX_STEPS:
        raise NoPlace(f"A pack has at most {MAX_STEPS} steps by hand.", now="Leave one out.")
    draft.steps = kept


def _aside(draft: Draft, pattern: str, said: Any) -> None:
    if draft.pack.is_collection:
        raise NoPlace("A collection has no list of what is set aside.")
    checked_patterns((pattern,), "set aside")
    lines = draft.set_aside.splitlines()
    if said is None:
        gone = {line.number for line in read_list(draft.set_aside) if line.pattern == pattern}
        draft.set_aside = "\n".join(line for at, line in enumerate(lines, 1) if at not in gone)
    elif pattern not in draft_layers.set_aside_of(draft):
        draft.set_aside = "\n".join([*lines, pattern])


def _winner(draft: Draft, at: str, said: Any) -> None:
    kept = {one: mod for one, mod in draft.winners.items() if one != at}
    if said is not None and not isinstance(said, str):
        raise NoPlace(f"Who wins at {at[:60]} cannot be read.")
    draft.winners = kept if said is None else {**kept, checked_path(at): said[:80]}


def _note(draft: Draft, mod: str, said: Any) -> None:
    line = draft.lines.filter(mod=mod).first()
    if line is None:
        return
    told = Fields(_mapping(said or {}, mod))
    line.note = told.text("note", "", longest=500)
    line.tags = [tag[:30] for tag in told.strings("tags")[:8]] if told.has("tags") else []
    line.save()


def _order(draft: Draft, name: str, said: Any) -> None:
    if not isinstance(said, list) or not all(isinstance(one, str) for one in said):
        raise NoPlace("The order cannot be read.")
    rows = {line.mod: line for line in draft.lines.all()}
    for at, mod in enumerate(in_lead_order(list(rows), said), 1):
        rows[mod].order = at
    Line.objects.bulk_update(rows.values(), ["order"])


_SAY: dict[PlaceKind, Callable[[Draft, str, Any], None]] = {
    PlaceKind.BASE: _base,
    PlaceKind.LINE: _line,
    PlaceKind.PARTS: _parts,
    PlaceKind.SETTING: _setting,
    PlaceKind.STEP: _step,
    PlaceKind.ASIDE: _aside,
    PlaceKind.WINNER: _winner,
    PlaceKind.NOTE: _note,
    PlaceKind.ORDER: _order,
}
