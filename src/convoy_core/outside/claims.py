"""What a build says of itself beyond its files and what it needs: its parts, what it touches, what it joins, and where
its settings are described. Source: docs/rules.md, "Parts, set aside, own files" and the words *part*, *touches*,
*partners*.

It comes from strangers' catalogues, markers and releases: everything is bounded, and no folder leads out of the build.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..words.errors import MalformedInput
from ..words.ranges import Range, parse_range
from .fields import Fields
from .paths import checked_path

MAX_PARTS, MAX_FOLDERS = 200, 50
"""Of one build, and of one part."""

MAX_ALTERNATIVES = 64
"""In how many ways the parts of a build, taken together, may put what they need of one mod: they are multiplied."""

MAX_NAMES, MAX_PARTNERS = 200, 20
"""Names that one build touches or rebuilds, and mods that a patch joins."""

DOTTED = re.compile(r"[a-z0-9_-]{1,40}(\.[a-z0-9_-]{1,40}){0,7}")
PART_ID = re.compile(r"[a-z0-9][a-z0-9._-]{0,59}")


@dataclass(frozen=True, slots=True)
class Part:
    """Folders of a build that are laid down or left out together. `folders` are relative to the build's top; `default`:
    laid down where nobody says otherwise.
    """

    id: str
    name: str
    folders: tuple[str, ...]
    default: bool = True
    needs: Mapping[str, Range] = field(default_factory=dict)
    breaks: Mapping[str, Range] = field(default_factory=dict)

    @property
    def patterns(self) -> tuple[str, ...]:
        return tuple(f"{folder}/**" for folder in self.folders)


@dataclass(frozen=True, slots=True)
class Claims:
    """`touches`, `rebuilds`: dotted names of what it changes; one that rebuilds a name wants it alone. `partners`: mods
    without all of which a patch does nothing, or harm. `schema`: the member that describes its settings.
    """

    parts: tuple[Part, ...] = ()
    touches: tuple[str, ...] = ()
    rebuilds: tuple[str, ...] = ()
    partners: tuple[str, ...] = ()
    schema: str = ""

    def as_data(self) -> dict[str, Any]:
        """As JSON data, without what it does not claim, so that documents from before stay as they were."""
        told: dict[str, Any] = {
            "parts": [_part_data(one) for one in self.parts],
            "touches": list(self.touches),
            "rebuilds": list(self.rebuilds),
            "partners": list(self.partners),
            "settings_schema": self.schema,
        }
        return {name: value for name, value in told.items() if value}


NO_CLAIMS = Claims()

CLAIMS = ("parts", "touches", "rebuilds", "partners", "settings_schema")
"""The fields, as catalogues, markers, facts and releases have them."""


def _part_data(part: Part) -> dict[str, Any]:
    told: dict[str, Any] = {"id": part.id, "name": part.name, "folders": list(part.folders), "default": part.default}
    for name, ranges in (("needs", part.needs), ("breaks", part.breaks)):
        if ranges:
            told[name] = {mod: wanted.text for mod, wanted in ranges.items()}
    return told


def read_claims(fields: Fields) -> Claims:
    """What a build claims. Raises MalformedInput, HostileArchive (a folder that leads out)."""
    parts = tuple(_read_part(one) for one in _few(fields, "parts", MAX_PARTS))
    if len({one.id for one in parts}) < len(parts):
        raise MalformedInput("Two parts have one id.", now="Give each part an id of its own.", field="parts")
    _refuse_tangles(parts)
    return Claims(
        parts,
        _names(fields, "touches"),
        _names(fields, "rebuilds"),
        _strings(fields, "partners", MAX_PARTNERS),
        checked_path(schema) if (schema := fields.text("settings_schema", "", longest=300)) else "",
    )


def _refuse_tangles(parts: tuple[Part, ...]) -> None:
    ways: dict[str, int] = {}
    for part in parts:
        for mod, asked in part.needs.items():
            ways[mod] = ways.get(mod, 1) * len(asked.any_of)
            if ways[mod] > MAX_ALTERNATIVES:
                raise MalformedInput(
                    f"What the parts need of “{mod[:60]}” has more alternatives than anybody can follow.", field="parts"
                )


def _read_part(fields: Fields) -> Part:
    name = fields.text("id", longest=60)
    if not PART_ID.fullmatch(name):
        raise MalformedInput(
            f"“{name}” cannot be a part's id.",
            "It has small letters, digits, dots and dashes.",
            field=fields.place("id"),
        )
    folders = tuple(checked_path(one.rstrip("/")) for one in _strings(fields, "folders", MAX_FOLDERS))
    if not folders:
        raise MalformedInput(f"The part “{name}” names no folders.", field=fields.place("folders"))
    return Part(
        name,
        fields.text("name", name, longest=120),
        folders,
        fields.flag("default", True),
        {mod: parse_range(text) for mod, text in fields.texts("needs").items()},
        {mod: parse_range(text) for mod, text in fields.texts("breaks").items()},
    )


def _few(fields: Fields, name: str, most: int) -> list[Fields]:
    found = list(fields.items(name))
    if len(found) > most:
        raise _too_many(fields, name, most)
    return found


def _strings(fields: Fields, name: str, most: int) -> tuple[str, ...]:
    found = fields.strings(name)
    if len(found) > most:
        raise _too_many(fields, name, most)
    if any(len(one) > 300 for one in found):
        raise MalformedInput(f"“{fields.place(name)}” holds a text that is too long.", field=fields.place(name))
    return tuple(dict.fromkeys(found))


def _names(fields: Fields, name: str) -> tuple[str, ...]:
    found = _strings(fields, name, MAX_NAMES)
    for one in found:
        if not DOTTED.fullmatch(one):
            raise MalformedInput(
                f"“{one[:60]}” cannot be what a build changes.",
                "It is a dotted name in small letters, like economy.tolls.",
                field=fields.place(name),
            )
    return found


def _too_many(fields: Fields, name: str, most: int) -> MalformedInput:
    return MalformedInput(f"“{fields.place(name)}” is too long.", f"{most} is the most.", field=fields.place(name))
