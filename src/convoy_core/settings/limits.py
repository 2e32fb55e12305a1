"""What a JSON Schema (2020-12) says that settings may be: type, allowed values, lowest and highest.

It is read from its own reading, and so is bounded as any file is. Only references within it are followed, each once on
the way to a key: a schema that refers to itself describes nothing by that. Source: docs/rules.md, "Readings".
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from .formats import Key, Value
from .formats.base import same

MOST_KEYS = 20_000
"""Keys and references that are looked at: one that refers to itself twice over would come to more than anybody has."""

DEEPEST = 60
"""Tables, references and parts within each other on the way to one key."""

LONGEST = 800
"""Characters that are kept of what is said for people."""

KINDS = {
    "integer": "a whole number",
    "number": "a number",
    "boolean": "true or false",
    "string": "text",
    "array": "a list",
}


@dataclass(frozen=True, slots=True)
class Limit:
    """Of one key; None and empty: nothing is said. `above`, `below`: a bound that is not reached itself."""

    kinds: tuple[str, ...] = ()
    allowed: tuple[Value, ...] = ()
    lowest: float | None = None
    highest: float | None = None
    above: float | None = None
    below: float | None = None

    def wrong(self, value: Value, is_text: bool = False) -> str:
        """Why a value is none of these, without a full stop; empty where it is one. `is_text`: its format knows text
        alone, and a number is one that reads as such.
        """
        seen = _as_meant(value, self.kinds) if is_text else value
        if self.kinds and not any(_is(seen, kind) for kind in self.kinds):
            return f"it must be {' or '.join(KINDS[kind] for kind in self.kinds)}"
        if self.allowed and not any(_alike(seen, one) or _alike(value, one) for one in self.allowed):
            return f"it must be one of {', '.join(_shown(one) for one in self.allowed[:12])}"
        return self._out_of_range(seen) if isinstance(seen, int | float) and not isinstance(seen, bool) else ""

    def _out_of_range(self, value: float) -> str:
        if self.lowest is not None and value < self.lowest:
            return f"it must be at least {self.lowest:g}"
        if self.highest is not None and value > self.highest:
            return f"it must be at most {self.highest:g}"
        if self.above is not None and value <= self.above:
            return f"it must be above {self.above:g}"
        return f"it must be below {self.below:g}" if self.below is not None and value >= self.below else ""

    def and_also(self, other: Limit) -> Limit:
        """What both say; where they name kinds or values, the other's."""

        def bound(one: float | None, more: float | None, tighter: Callable[[float, float], float]) -> float | None:
            return tighter(one, more) if one is not None and more is not None else one if more is None else more

        return Limit(
            other.kinds or self.kinds,
            other.allowed or self.allowed,
            bound(self.lowest, other.lowest, max),
            bound(self.highest, other.highest, min),
            bound(self.above, other.above, max),
            bound(self.below, other.below, min),
        )


NO_LIMIT = Limit()


@dataclass(frozen=True, slots=True)
class Noted:
    """What a schema says of a key for people. `form`: its `format`."""

    title: str = ""
    description: str = ""
    default: Value = None
    has_default: bool = False
    unit: str = ""
    form: str = ""

    def and_also(self, other: Noted) -> Noted:
        """Both; where they differ, the other's."""
        has = other.has_default
        return Noted(
            other.title or self.title,
            other.description or self.description,
            other.default if has else self.default,
            has or self.has_default,
            other.unit or self.unit,
            other.form or self.form,
        )


def limits_of(schema: Mapping[Key, Value]) -> dict[Key, Limit]:
    """`schema`: the reading of one. Gives what it says of each key that is no table of others."""
    found: dict[Key, Limit] = {}
    for key, about in _said(schema):
        if (limit := _limit(about)) != NO_LIMIT:
            found[key] = found[key].and_also(limit) if key in found else limit
    return found


def notes_of(schema: Mapping[Key, Value]) -> dict[Key, Noted]:
    """What the same schema says of each key for people, tables among them."""
    found: dict[Key, Noted] = {}
    for key, about in _said(schema):
        if (noted := _noted(about)) != Noted():
            found[key] = found[key].and_also(noted) if key in found else noted
    return found


def _said(schema: Mapping[Key, Value]) -> Iterator[tuple[Key, Mapping[str, Any]]]:
    """Each key with what is said of it, which may be in several places."""
    top: dict[str, Any] = {}
    for key, value in schema.items():
        place = top
        for name in key[:-1]:
            below = place.setdefault(name, {})
            if not isinstance(below, dict):
                return
            place = below
        place[key[-1]] = value
    yield from _Walk(top).keys(top, (), ())


class _Walk:
    def __init__(self, top: Mapping[str, Any]) -> None:
        self._top = top
        self._left = MOST_KEYS

    def keys(
        self, about: Any, key: Key, followed: tuple[str, ...], depth: int = 0
    ) -> Iterator[tuple[Key, Mapping[str, Any]]]:
        self._left -= 1
        if not isinstance(about, dict) or depth > DEEPEST or self._left < 0:
            return
        if key:
            yield key, about
        reference = about.get("$ref")
        if isinstance(reference, str) and reference not in followed:
            yield from self.keys(self._at(reference), key, (*followed, reference), depth + 1)
        for part in about.get("allOf", ()) if isinstance(about.get("allOf"), list) else ():
            yield from self.keys(part, key, followed, depth + 1)
        properties = about.get("properties")
        if isinstance(properties, dict):
            for name, below in properties.items():
                yield from self.keys(below, (*key, str(name)), followed, depth + 1)

    def _at(self, reference: str) -> Any:
        """What a reference within the schema points at; nothing for one that leads elsewhere."""
        place: Any = self._top if reference.startswith("#") else None
        for name in reference.removeprefix("#").split("/")[1:]:
            name = name.replace("~1", "/").replace("~0", "~")
            place = place.get(name) if isinstance(place, dict) else None
        return place


def _noted(about: Mapping[str, Any]) -> Noted:
    title, description, unit, form = (
        one.strip()[:LONGEST] if isinstance(one := about.get(name), str) else ""
        for name in ("title", "description", "unit", "format")
    )
    return Noted(title, description, about.get("default"), "default" in about, unit, form)


def _limit(about: Mapping[str, Any]) -> Limit:
    told = about.get("type")
    kinds = tuple(kind for kind in (told if isinstance(told, list) else [told]) if isinstance(kind, str))
    allowed = [about["const"]] if "const" in about else about.get("enum")
    lowest, highest, above, below = (
        finite(about.get(name)) for name in ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum")
    )
    return Limit(
        # A kind that is not known here says nothing; with it, neither do the others.
        kinds if kinds and all(kind in KINDS for kind in kinds) else (),
        tuple(allowed) if isinstance(allowed, list) else (),
        lowest,
        highest,
        above,
        below,
    )


def finite(bound: object) -> float | None:
    """A bound as somebody names it; None for what is no number, or one that no value reaches."""
    try:
        found = float(bound) if isinstance(bound, int | float) and not isinstance(bound, bool) else math.nan
    except OverflowError:
        return None
    return found if math.isfinite(found) else None


def _is(value: Value, kind: str) -> bool:
    if kind == "boolean":
        return isinstance(value, bool)
    if kind in ("integer", "number"):
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        return is_number and (kind == "number" or value % 1 == 0)
    return isinstance(value, str) if kind == "string" else isinstance(value, list | tuple)


def _as_meant(value: Value, kinds: tuple[str, ...]) -> Value:
    """What a text stands for, where something else than text is wanted."""
    if not isinstance(value, str) or "string" in kinds:
        return value
    if "boolean" in kinds and value.lower() in ("true", "false"):
        return value.lower() == "true"
    for read in (int, float):
        try:
            return read(value)
        except ValueError:
            continue
    return value


def _alike(one: Value, other: Value) -> bool:
    """As JSON Schema has it, 1 and 1.0 are one number."""
    if _is(one, "number") and _is(other, "number"):
        return bool(one == other)
    return same(one, other)


def _shown(value: Value) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)
