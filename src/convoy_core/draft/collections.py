"""Collections under a pack: whose line of a mod goes before whose, and what comes of it.

A line of the pack goes before the same mod of a collection, whether it is on or off; of two collections the later one
does. Every such choice is told. What two share is there once. Source: docs/rules.md, "Collections".
"""

from __future__ import annotations

from collections.abc import Collection as Several
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from ..lock.lock import Lock
from ..lock.suits import SUITS_ALL, Suits, read_suits
from ..lock.terms import HandStep, Tweak, read_step, read_tweak, step_id
from ..outside.fields import Fields
from ..settings.formats import Key
from .parts import AS_IT_COMES, PartRule, as_rule, read_rule


@dataclass(frozen=True, slots=True)
class Fixed:
    """One line of a collection: a mod in the version that its release fixed, with what its curator says of it."""

    mod: str
    version: str
    optional: bool = False
    advice: str = ""
    rule: PartRule = AS_IT_COMES

    def as_data(self) -> dict[str, Any]:
        told = {
            "mod": self.mod,
            "version": self.version,
            "optional": self.optional,
            "advice": self.advice,
            "parts": self.rule.as_data(),
        }
        return {name: value for name, value in told.items() if value}


@dataclass(frozen=True)
class Collection:
    """One release of a collection. `brought_in`: the builds that came along when it was put together, by mod; they are
    kept where that goes, as nothing else asks for others. `sha256`: of the release's document.
    """

    id: str
    name: str
    number: str
    sha256: str
    lines: tuple[Fixed, ...]
    suits: Suits = SUITS_ALL
    brought_in: Mapping[str, str] = field(default_factory=dict)
    tweaks: tuple[Tweak, ...] = ()
    steps: tuple[HandStep, ...] = ()
    winners: Mapping[str, str] = field(default_factory=dict)

    def as_data(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "number": self.number,
            "sha256": self.sha256,
            "suits": self.suits.as_data(),
            "lines": [line.as_data() for line in self.lines],
            "brought_in": dict(self.brought_in),
            "tweaks": [tweak.as_data() for tweak in self.tweaks],
            "steps": [step.as_data() for step in self.steps],
            "winners": dict(self.winners),
        }


def read_collection(id: str, fields: Fields) -> Collection:
    """From `Collection.as_data`. Raises MalformedInput or HostileArchive."""
    return Collection(
        id,
        fields.text("name"),
        fields.text("number"),
        fields.text("sha256"),
        tuple(
            Fixed(
                line.text("mod"),
                line.text("version"),
                line.flag("optional", False),
                line.text("advice", ""),
                read_rule(line.fields("parts")) if line.has("parts") else AS_IT_COMES,
            )
            for line in fields.items("lines")
        ),
        read_suits(fields.fields("suits")),
        fields.texts("brought_in"),
        tuple(read_tweak(one) for one in fields.items("tweaks")),
        tuple(read_step(one) for one in fields.items("steps")),
        fields.texts("winners"),
    )


def collection_of(id: str, name: str, number: str, sha256: str, suits: Suits, lock: Lock) -> Collection:
    """What a release of a collection lays under packs. Its own files and its list of what is set aside are no part of
    it: they would lie over what is not its own.
    """
    lines = tuple(
        Fixed(one.mod, one.version, one.optional, one.advice, as_rule(one.claims, one.laid))
        for one in lock.builds
        if one.chosen
    )
    brought_in = {one.mod: one.version for one in lock.builds if not one.chosen}
    terms = lock.terms
    return Collection(id, name, number, sha256, lines, suits, brought_in, terms.tweaks, terms.steps, dict(lock.winners))


class InEffect(NamedTuple):
    """A collection's line that counts, and its place in the order of laying down: collection, then line."""

    collection: Collection
    line: Fixed
    place: tuple[int, int]


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A line of a collection in whose stead another counts: the pack's own (`by` empty), or that of a later collection,
    with its version.
    """

    mod: str
    version: str
    by: str
    instead: str = ""


@dataclass(frozen=True)
class Together:
    """`lines`: by mod, in the order in which they go before each other when not all of them can come in; later
    collections first. `otherwise`: by collection, what of it does not count.
    """

    lines: Mapping[str, InEffect]
    otherwise: Mapping[str, tuple[Otherwise, ...]]


def together(own: Several[str], collections: Sequence[Collection]) -> Together:
    """`own`: mods that the pack has a line of. Collections as they are laid down, first to last."""
    lines: dict[str, InEffect] = {}
    otherwise: dict[str, tuple[Otherwise, ...]] = {}
    for at in reversed(range(len(collections))):
        one = collections[at]
        passed = []
        for place, line in enumerate(one.lines):
            if line.mod in own:
                passed.append(Otherwise(line.mod, line.version, ""))
            elif (later := lines.get(line.mod)) is not None and later.collection is not one:
                passed.append(Otherwise(line.mod, line.version, later.collection.id, later.line.version))
            else:
                lines[line.mod] = InEffect(one, line, (at, place))
        otherwise[one.id] = tuple(passed)
    return Together(lines, {one.id: otherwise[one.id] for one in collections})


def brought_in_by(collections: Sequence[Collection]) -> dict[str, str]:
    """The builds that came along with collections, by mod: of two the later one's."""
    return {mod: version for one in collections for mod, version in one.brought_in.items()}


def tweaks_under(own: Iterable[Tweak], collections: Sequence[Collection]) -> list[tuple[str, Tweak]]:
    """The settings of collections that count beside the pack's own, each with its collection: of one key of one file
    the later goes before, and the pack's before all.
    """
    theirs = {(tweak.path, tweak.key): (one.id, tweak) for one in collections for tweak in one.tweaks}
    for tweak in own:
        theirs.pop((tweak.path, tweak.key), None)
    return list(theirs.values())


def sets_otherwise(own: Mapping[tuple[str, Key], Tweak], one: Collection) -> list[tuple[Tweak, Tweak]]:
    """Settings of a collection that the pack sets to something else: the collection's, and the pack's."""
    pairs = [(tweak, own.get((tweak.path, tweak.key))) for tweak in one.tweaks]
    return [(tweak, mine) for tweak, mine in pairs if mine is not None and mine.value != tweak.value]


def steps_under(collections: Sequence[Collection]) -> list[HandStep]:
    """Steps of collections, under names that no other's step has; done before the pack's own, in order."""
    return [replace(step, id=step_id(one.id, step.id)) for one in collections for step in one.steps]


def winners_under(lines: Mapping[str, InEffect], collections: Sequence[Collection]) -> dict[str, str]:
    """Winners that collections name among their own: those whose build is theirs here, too."""
    return {
        place: mod
        for one in collections
        for place, mod in one.winners.items()
        if mod in lines and lines[mod].collection.id == one.id
    }
