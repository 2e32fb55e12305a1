"""A conflict problem and its answer as JSON. Source: formats.md, "Conflicts, logs, narrowing on the command line"."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any

from ..outside.fields import Fields
from ..outside.patterns import checked_patterns
from ..settings.formats import Value
from ..words.errors import MalformedInput
from .clashes import Compared
from .laying import Meeting, Parts
from .set_aside import MAX_LINES


@dataclass(frozen=True, slots=True)
class FolderLayer:
    mod: str
    folder: str
    parts: Parts


@dataclass(frozen=True, slots=True)
class ConflictProblem:
    layers: tuple[FolderLayer, ...]
    winners: Mapping[str, str]
    set_aside: tuple[str, ...]
    readable: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Unread:
    """A file that is readable by its name, and cannot be parsed."""

    path: str
    mod: str
    why: str


def read_conflict_problem(data: Any) -> ConflictProblem:
    """Raises MalformedInput."""
    top = Fields(data)
    layers = tuple(FolderLayer(one.text("mod"), one.text("folder"), _parts(one)) for one in top.items("layers"))
    if len({layer.mod for layer in layers}) < len(layers):
        raise MalformedInput("Two layers are of one mod.", now="Give each mod one layer.", field="layers")
    return ConflictProblem(
        layers,
        top.texts("winners") if top.has("winners") else {},
        _patterns(top, "set_aside", MAX_LINES),
        _patterns(top, "readable", MAX_LINES),
    )


def _parts(layer: Fields) -> Parts:
    if not layer.has("parts"):
        return Parts()
    parts = layer.fields("parts")
    return Parts(_patterns(parts, "only", MAX_LINES), _patterns(parts, "leave_out", MAX_LINES))


def _patterns(fields: Fields, name: str, most: int) -> tuple[str, ...]:
    return checked_patterns(fields.strings(name), name, most) if fields.has(name) else ()


def conflict_answer(
    meetings: Sequence[Meeting], compared: Mapping[str, Compared], unread: Sequence[Unread]
) -> dict[str, Any]:
    """`compared`: by path, the meetings whose files could all be read."""
    return {
        "paths": [_path_out(one, compared.get(one.path)) for one in meetings],
        "unread": [{"path": one.path, "mod": one.mod, "why": one.why} for one in unread],
    }


def _path_out(meeting: Meeting, compared: Compared | None) -> dict[str, Any]:
    told: dict[str, Any] = {
        "path": meeting.path,
        "by": list(meeting.by),
        "winner": meeting.winner,
        "readable": compared is not None,
    }
    if compared is not None:
        told["keys"] = [
            {"key": list(one.key), "values": {mod: as_json(value) for mod, value in one.values.items()}}
            for one in compared.clashes
        ]
        told["lost"] = [{"key": list(one.key), "from": one.mod} for one in compared.lost]
    return told


def as_json(value: Value) -> Any:
    """A value of any format as JSON has it: dates as ISO 8601, what is no number in words."""
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, float) and not math.isfinite(value):
        return str(value)
    if isinstance(value, list | tuple):
        return [as_json(one) for one in value]
    if isinstance(value, dict):
        return {str(name): as_json(one) for name, one in value.items()}
    return value
