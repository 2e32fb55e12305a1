"""Following a lead: what a pack says, place by place, and what becomes of it when the lead says something new.

Three sides: what the lead said when it was last taken from, what one's own pack says, what the lead says now.
Source: docs/rules.md, "Following a lead".
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from ..lock.lock import OVERLAY, Lock
from ..lock.terms import HandStep, Tweak
from .parts import as_rule

Entries = Mapping[str, Any]
"""What a pack says: place (as `place` writes it) to plain data. What is not there is said of nobody."""


class PlaceKind(StrEnum):
    """Kinds of places, in the order in which they are shown and taken."""

    BASE = "base"
    LINE = "line"
    PARTS = "parts"
    SETTING = "setting"
    STEP = "step"
    ASIDE = "aside"
    WINNER = "winner"
    NOTE = "note"
    ORDER = "order"


def place(kind: PlaceKind, name: str = "") -> str:
    return f"{kind} {name}".rstrip()


def setting_place(path: str, key: Sequence[str]) -> str:
    return place(PlaceKind.SETTING, json.dumps([path, list(key)], ensure_ascii=False))


def kind_of(at: str) -> tuple[PlaceKind, str]:
    """Raises ValueError for what is no place."""
    kind, _, name = at.partition(" ")
    return PlaceKind(kind), name


def setting_at(name: str) -> tuple[str, list[str]]:
    """The file and the key of a setting's place. Raises ValueError."""
    path, key = json.loads(name)
    if not isinstance(path, str) or not isinstance(key, list) or not all(isinstance(one, str) for one in key):
        raise ValueError(name)
    return path, key


def line_entry(version: str, optional: bool = False, advice: str = "") -> dict[str, Any]:
    told = {"version": version, "optional": optional, "advice": advice}
    return {name: value for name, value in told.items() if value}


def tweak_entry(tweak: Tweak) -> dict[str, Any]:
    told = tweak.as_data()
    return {name: told[name] for name in ("value", "how", "side") if name in told}


def step_entry(step: HandStep) -> dict[str, Any]:
    told = step.as_data()
    return {name: told[name] for name in ("text", "check", "path")}


def entries_of(lock: Lock) -> dict[str, Any]:
    """What a release says. Its own files are no part: they are its crew's; nor are sets that members choose."""
    chosen = [build for build in lock.builds if build.chosen and build.mod != OVERLAY]
    base = lock.base
    told: dict[str, Any] = {
        place(PlaceKind.BASE): [str(base.version), base.loader, str(base.loader_version or "")],
        place(PlaceKind.ORDER): [build.mod for build in chosen],
    }
    for build in chosen:
        told[place(PlaceKind.LINE, build.mod)] = line_entry(build.version, build.optional, build.advice)
    for build in lock.builds:
        if rule := as_rule(build.claims, build.laid).as_data():
            told[place(PlaceKind.PARTS, build.mod)] = rule
    told |= {setting_place(tweak.path, tweak.key): tweak_entry(tweak) for tweak in lock.terms.tweaks}
    told |= {place(PlaceKind.STEP, step.id): step_entry(step) for step in lock.terms.steps}
    told |= {place(PlaceKind.ASIDE, pattern): True for pattern in lock.set_aside}
    return told | {place(PlaceKind.WINNER, at): mod for at, mod in lock.winners.items()}


class LeadChanged(StrEnum):
    """Who changed a place since it was last taken."""

    THERE = "there"
    BOTH = "both"
    """Here and there, to something else: the curator chooses."""


@dataclass(frozen=True, slots=True)
class LeadOffer:
    """A change at the lead. `taken`, `mine`, `theirs`: what each side says; None where it says nothing."""

    place: str
    changed: LeadChanged
    taken: Any
    mine: Any
    theirs: Any


@dataclass(frozen=True, slots=True)
class OwnWay:
    """A place where one's own pack says something else than the lead does now, of its own will."""

    place: str
    theirs: Any
    mine: Any


def lead_offers(taken: Entries, mine: Entries, theirs: Entries) -> tuple[LeadOffer, ...]:
    """What is new at the lead and not here, in order of places. What both changed alike is nobody's question."""
    found = []
    for at in sorted(filter(is_known, {*taken, *theirs}), key=rank):
        base, here, there = _sides(at, taken, mine, theirs)
        if base != there and here != there:
            found.append(LeadOffer(at, LeadChanged.THERE if here == base else LeadChanged.BOTH, base, here, there))
    return tuple(found)


def own_ways(taken: Entries, mine: Entries, theirs: Entries) -> tuple[OwnWay, ...]:
    """Where one's own pack goes its own way: changed here, whether or not the lead changed it, too."""
    found = []
    for at in sorted(filter(is_known, {*taken, *mine, *theirs}), key=rank):
        base, here, there = _sides(at, taken, mine, theirs)
        if here not in (base, there):
            found.append(OwnWay(at, there, here))
    return tuple(found)


def settled(taken: Entries, theirs: Entries, places: Collection[str]) -> dict[str, Any]:
    """What was last taken, once some places are decided: these are as the lead says, whoever's way was chosen."""
    kept = {at: said for at, said in taken.items() if at not in places}
    return kept | {at: theirs[at] for at in places if at in theirs}


def is_known(at: str) -> bool:
    """Whether a place is of a kind that is known here: what a later version says beside these is passed by."""
    return at.partition(" ")[0] in set(PlaceKind)


def rank(at: str) -> tuple[int, str]:
    return list(PlaceKind).index(kind_of(at)[0]), at


def _sides(at: str, taken: Entries, mine: Entries, theirs: Entries) -> tuple[Any, Any, Any]:
    sides = (taken.get(at), mine.get(at), theirs.get(at))
    if at != place(PlaceKind.ORDER):
        return sides
    # Of the order only that counts which all of them have: what came or left says itself where it stands.
    if sides[0] is None:
        return None, None, None
    lists = [one or [] for one in sides]
    common = set(lists[0]) & set(lists[1]) & set(lists[2])
    first, second, third = ([mod for mod in one if mod in common] for one in lists)
    return first, second, third


def in_lead_order(mine: Sequence[str], theirs: Sequence[str]) -> list[str]:
    """One's own order with what both have standing as the lead has it, in the places where it stood."""
    common = set(mine) & set(theirs)
    queue = iter([mod for mod in theirs if mod in common])
    return [next(queue) if mod in common else mod for mod in mine]
