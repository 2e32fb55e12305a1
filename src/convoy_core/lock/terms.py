"""What a lock fixes beside its files: which of them are settings, where worlds lie, tweaks, and steps by hand.

Source: docs/rules.md, "Words" and "Sync"; docs/rules.md, "The job" 6, 9 and 12.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from math import isfinite
from typing import Any

from ..outside.fields import Fields
from ..outside.paths import checked_path
from ..outside.patterns import checked_patterns, matcher
from ..settings.formats import TEXT_ONLY, Key, Value, format_of
from ..words.errors import MalformedInput
from ..words.model import Side
from .canonical import sha256_hex

MAX_STEPS, MAX_TWEAKS, MAX_OFFERS = 50, 5_000, 30
"""Nobody does more by hand; of settings, some large packs set two thousand."""


class How(StrEnum):
    """How much a tweak insists."""

    ENFORCED = "enforced"
    START = "starting value"
    ADVICE = "advice"


@dataclass(frozen=True, slots=True)
class Tweak:
    """One key of one settings file, set to a value. `side`: where it is set."""

    path: str
    key: Key
    value: Value
    how: How
    side: Side = Side.BOTH

    @property
    def sets(self) -> bool:
        return self.how is not How.ADVICE

    def as_data(self) -> dict[str, Any]:
        told = {"path": self.path, "key": list(self.key), "value": self.value, "how": self.how}
        return told if self.side is Side.BOTH else {**told, "side": self.side}


@dataclass(frozen=True, slots=True)
class Offer:
    """A set of settings that a member may choose. Nothing in it is enforced."""

    id: str
    name: str
    tweaks: tuple[Tweak, ...]

    def as_data(self) -> dict[str, Any]:
        return {"id": self.id, "name": self.name, "tweaks": [tweak.as_data() for tweak in self.tweaks]}


class Check(StrEnum):
    """How the agent sees that a step was done."""

    NONE = "none"
    EXISTS = "exists"
    CHANGED = "changed"


@dataclass(frozen=True, slots=True)
class HandStep:
    """Something that only a person can do. `path` is what its check looks at."""

    id: str
    text: str
    check: Check = Check.NONE
    path: str = ""

    def as_data(self) -> dict[str, Any]:
        return {"id": self.id, "text": self.text, "check": self.check, "path": self.path}


LONGEST_STEP_ID = 80


def step_id(collection: str, step: str) -> str:
    """The name of a collection's step among those of others, which may be called the same."""
    name = f"{collection[:8]}.{step}"
    return name if len(name) <= LONGEST_STEP_ID else f"{collection[:8]}.{sha256_hex(step.encode())[:16]}"


@dataclass(frozen=True)
class Terms:
    """`settings` and `worlds` are the game's; tweaks, steps and offered sets the curator's.

    `settings`: patterns of paths (`outside.patterns`). `worlds`: folders.
    """

    settings: tuple[str, ...] = ()
    worlds: tuple[str, ...] = ()
    tweaks: tuple[Tweak, ...] = ()
    steps: tuple[HandStep, ...] = ()
    offers: tuple[Offer, ...] = ()
    by_path: Mapping[str, tuple[Tweak, ...]] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        gathered: dict[str, list[Tweak]] = {}
        for tweak in self.tweaks:
            gathered.setdefault(tweak.path, []).append(tweak)
        object.__setattr__(self, "by_path", {path: tuple(tweaks) for path, tweaks in gathered.items()})

    @property
    def by_hand(self) -> frozenset[str]:
        """Paths that steps change: what lies there afterwards is neither the pack's nor a difference."""
        return frozenset(step.path for step in self.steps if step.check is Check.CHANGED)

    def is_settings(self, path: str) -> bool:
        """Whether a path is a settings file that can be merged: one of the game's places, in a known format."""
        return bool(self.settings and format_of(path) and matcher(self.settings).fullmatch(path))

    def is_own_settings(self, path: str) -> bool:
        """Whether a path is a settings file in which keys may be set although no build carries it."""
        return self.is_settings(path) and not self.is_world(path)

    def is_world(self, path: str) -> bool:
        return any(path.startswith(f"{folder}/") for folder in self.worlds)

    def share(self, place: Side) -> Terms:
        """What holds on a player's machine, or on the server."""
        if not self.has_sides:
            return self
        offers = tuple(replace(one, tweaks=_for(place, one.tweaks)) for one in self.offers)
        return replace(self, tweaks=_for(place, self.tweaks), offers=tuple(one for one in offers if one.tweaks))

    @property
    def has_sides(self) -> bool:
        return any(tweak.side is not Side.BOTH for _, tweak in self.with_offered())

    def with_offered(self) -> list[tuple[str, Tweak]]:
        """All tweaks, those of offered sets among them, each with its set; empty: it is set for all."""
        return [*(("", one) for one in self.tweaks), *((of.id, one) for of in self.offers for one in of.tweaks)]

    def with_sets(self, chosen: Collection[str]) -> Terms:
        """With the offered sets that a member chose, of which the later goes before the earlier and all of them before
        the pack's own; what is enforced stays. Names that are no set of this release are passed by.
        """
        taken = [one for one in self.offers if one.id in chosen]
        if not taken:
            return self
        found = {(tweak.path, tweak.key): tweak for tweak in self.tweaks}
        for tweak in (tweak for one in taken for tweak in one.tweaks):
            there = found.get((tweak.path, tweak.key))
            if there is None or there.how is not How.ENFORCED:
                found[tweak.path, tweak.key] = tweak
        return replace(self, tweaks=tuple(found.values()))

    def enforced(self, path: str) -> tuple[Tweak, ...]:
        return tuple(tweak for tweak in self.by_path.get(path, ()) if tweak.how is How.ENFORCED)

    def as_data(self) -> dict[str, Any]:
        return {
            "settings": list(self.settings),
            "worlds": list(self.worlds),
            "tweaks": [tweak.as_data() for tweak in self.tweaks],
            "steps": [step.as_data() for step in self.steps],
            **({"offers": [one.as_data() for one in self.offers]} if self.offers else {}),
        }


def _for(place: Side, tweaks: Iterable[Tweak]) -> tuple[Tweak, ...]:
    return tuple(tweak for tweak in tweaks if tweak.side.goes_to(place))


def read_terms(fields: Fields) -> Terms:
    """Terms from a lock's JSON data; all parts may be missing. Raises MalformedInput or HostileArchive."""
    tweaks = tuple(read_tweak(one) for one in fields.items("tweaks"))
    steps = tuple(read_step(one) for one in fields.items("steps"))
    offers = tuple(read_offer(one) for one in fields.items("offers"))
    many = len(tweaks) + sum(len(one.tweaks) for one in offers)
    if many > MAX_TWEAKS or len(steps) > MAX_STEPS or len(offers) > MAX_OFFERS:
        raise MalformedInput("The lock has more tweaks or steps than anybody reads.", field="tweaks")
    worlds = tuple(checked_path(folder) for folder in fields.strings("worlds"))
    if len({one.id for one in offers}) < len(offers):
        raise MalformedInput("Two sets that the lock offers have one name.", field="offers")
    return Terms(checked_patterns(fields.strings("settings"), "settings"), worlds, tweaks, steps, offers)


def read_offer(fields: Fields) -> Offer:
    tweaks = tuple(read_tweak(one) for one in fields.items("tweaks"))
    name = fields.text("name", longest=80)
    if any(tweak.how is How.ENFORCED for tweak in tweaks):
        raise MalformedInput(f"The set “{name}” cannot be offered.", "Something in it is enforced.", field="offers")
    return Offer(fields.text("id", longest=80), name, tweaks)


def read_tweak(fields: Fields) -> Tweak:
    path = checked_path(fields.text("path"))
    key = fields.strings("key")
    if not key or not format_of(path):
        raise MalformedInput(f"A tweak of “{path}” cannot be read.", "It names no key of a settings file.", field="key")
    value = fields.plain("value")
    if isinstance(value, dict) or (isinstance(value, list) and any(isinstance(one, list | dict) for one in value)):
        raise MalformedInput("A tweak sets text, a number, true or false, or a list of these.", field="value")
    if any(_is_odd(one) for one in (value if isinstance(value, list) else [value])):
        raise MalformedInput("A tweak sets numbers of at most 64 bits.", "Few programs read others.", field="value")
    if isinstance(value, list) and format_of(path) in TEXT_ONLY:
        raise MalformedInput(f"“{path}” holds no lists.", "Its format knows text alone.", field="value")
    return Tweak(path, key, value, fields.one_of("how", How), fields.one_of("side", Side, Side.BOTH))


def _is_odd(value: Value) -> bool:
    """A number that is none, or that neither databases nor most games have a place for."""
    if isinstance(value, float):
        return not isfinite(value)
    return isinstance(value, int) and not -(2**63) <= value < 2**64


def read_step(fields: Fields) -> HandStep:
    check = fields.one_of("check", Check, Check.NONE)
    path = fields.text("path", "")
    return HandStep(
        fields.text("id", longest=LONGEST_STEP_ID),
        fields.text("text"),
        check,
        checked_path(path) if check is not Check.NONE else "",
    )
