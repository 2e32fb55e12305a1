"""Readings: what was found in one settings or data file. Facts, never the file. Source: docs/rules.md, "Readings".

A reading is kept, and sent by agents, as JSON: rows of a key and a value. What JSON does not know is told apart by a
table of one entry, so that a date stays a date.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time
from typing import Any

from ..words.errors import ConvoyError, MalformedInput
from .formats import Key, Value
from .trees import read_tree

MOST_KEYS = 20_000
MOST_BYTES = 1_000_000
"""Of one reading, as JSON: more than any file that people write by hand comes to."""

DEEPEST = 40

CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")


@dataclass(frozen=True, slots=True)
class Reading:
    """`keys`: in the order of the file. `trouble`: why it cannot be read; then it has none."""

    keys: Mapping[Key, Value] = field(default_factory=dict)
    trouble: str = ""


def read_file(path: str, data: bytes) -> Reading:
    """A file's keys, or why it has none. Never raises."""
    try:
        keys = read_tree(path, data)
    except ConvoyError as error:
        return Reading(trouble=error.sentence()[:400])
    if len(keys) > MOST_KEYS:
        return Reading(trouble=f"It has {len(keys)} keys, more than {MOST_KEYS}.")
    if len(as_text(Reading(keys))) > MOST_BYTES:
        return Reading(trouble="It says more than anybody compares.")
    return Reading(keys)


def as_text(reading: Reading) -> str:
    """The keys as they are kept."""
    rows = [[list(key), _out(value)] for key, value in reading.keys.items()]
    return json.dumps(rows, ensure_ascii=False, separators=(",", ":"))


def from_text(text: str) -> dict[Key, Value]:
    """What `as_text` wrote."""
    return {tuple(key): _in(value) for key, value in json.loads(text)}


def reported(rows: Any) -> dict[Key, Value]:
    """Keys as an agent reports them. Raises MalformedInput for what no reading of a file comes to."""
    if not isinstance(rows, list) or len(rows) > MOST_KEYS:
        raise MalformedInput(f"A reading is a list of at most {MOST_KEYS} keys.", field="keys")
    found: dict[Key, Value] = {}
    for at, row in enumerate(rows):
        if not isinstance(row, list) or len(row) != 2 or not isinstance(row[0], list) or not 0 < len(row[0]) <= DEEPEST:
            raise MalformedInput("A row of a reading is a key and a value.", field=f"keys[{at}]")
        _refuse_odd([*row[0], row[1]], f"keys[{at}]")
        if not all(isinstance(name, str) and len(name) <= 300 for name in row[0]):
            raise MalformedInput("A key is a list of names.", field=f"keys[{at}]")
        found[tuple(row[0])] = _in(row[1])
    return found


def _refuse_odd(values: Iterable[Any], where: str, depth: int = 0) -> None:
    if depth > DEEPEST:
        raise MalformedInput("A value is nested deeper than any setting.", field=where)
    for value in values:
        if isinstance(value, str) and CONTROL.search(value):
            raise MalformedInput("A reading holds control characters.", field=where)
        if isinstance(value, list | tuple):
            _refuse_odd(value, where, depth + 1)
        elif isinstance(value, dict):
            _refuse_odd([*value, *value.values()], where, depth + 1)


TIMES: dict[str, Any] = {"datetime": datetime, "date": date, "time": time}


def _out(value: Value) -> Any:
    for name, kind in TIMES.items():
        if isinstance(value, kind):
            return {"": [name, value.isoformat()]}
    if isinstance(value, float) and not math.isfinite(value):
        return {"": ["float", str(value)]}
    if isinstance(value, list | tuple):
        return [_out(one) for one in value]
    if isinstance(value, dict):
        return {str(name): _out(one) for name, one in value.items()}
    return value


def _in(value: Any) -> Value:
    if isinstance(value, list):
        return [_in(one) for one in value]
    if isinstance(value, dict):
        if isinstance(value.get(""), list) and len(value) == 1:
            return _special(value[""])
        return {name: _in(one) for name, one in value.items()}
    return value


def _special(told: list[Any]) -> Value:
    try:
        name, text = told
        return float(text) if name == "float" else TIMES[name].fromisoformat(text)
    except (ValueError, KeyError, TypeError) as error:
        raise MalformedInput("A reading holds a value that is none.", field="keys") from error
