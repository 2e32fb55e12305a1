"""Readings: what was found in one settings or data file. Facts, never the file. Source: docs/rules.md, "Readings".

A reading is kept, and sent by agents, as JSON: rows of a key and a value. What JSON does not know is told apart by a
table of one entry, so that a date stays a date.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time
from typing import Any

from ..words.errors import ConvoyError, MalformedInput
from .comments import LONGEST, Comment, comments_of
from .formats import Key, UnreadableSettings, Value, format_of, open_settings, read_tree

MOST_KEYS = 20_000
MOST_BYTES = 1_000_000
"""Of one reading, as JSON: more than any file that people write by hand comes to."""

DEEPEST, LONGEST_NAME = 40, 300
"""Names of one key, and characters of one of them."""

NESTED = 20
"""Lists and tables within each other in one value: sites take JSON of 32, and a reading comes in a list of files."""

LARGEST = 2**63 - 1
"""Beyond it a number travels as text: whoever reads JSON elsewhere has no place for it."""

LONGEST_NUMBER = 320
"""Characters of one that travels so."""

HALF = re.compile(r"[\ud800-\udfff]")
CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")


@dataclass(frozen=True, slots=True)
class Reading:
    """`keys`: in the order of the file. `comments`: what is said of some of them there. `trouble`: why it cannot be
    read; then it has none.
    """

    keys: Mapping[Key, Value] = field(default_factory=dict)
    trouble: str = ""
    comments: Mapping[Key, Comment] = field(default_factory=dict)


def read_file(path: str, data: bytes) -> Reading:
    """A file's keys with what is said of them, or why it has none. Never raises."""
    try:
        found = _read(path, data)
        _refuse_odd(found.keys.values(), "keys")
        for key in found.keys:
            _refuse_odd_key(key, "keys")
    except ConvoyError as error:
        return Reading(trouble=error.sentence()[:400])
    if len(found.keys) > MOST_KEYS:
        return Reading(trouble=f"It has {len(found.keys)} keys, more than {MOST_KEYS}.")
    # What is said goes first where all of it is too much: what is compared are the keys.
    for one in (found, Reading(found.keys)):
        if len(as_text(one)) <= MOST_BYTES:
            return one
    return Reading(trouble="It says more than anybody compares.")


def _read(path: str, data: bytes) -> Reading:
    if format_of(path) == ".json" and b"//" not in data and b"/*" not in data:
        return Reading(read_tree(path, data))
    try:
        document = open_settings(path, data)
    except UnreadableSettings:
        # What is too large to be changed may still be read.
        return Reading(read_tree(path, data))
    return Reading(document.values, comments=_clean(comments_of(document)))


def _clean(comments: Mapping[Key, Comment]) -> dict[Key, Comment]:
    return {key: Comment(CONTROL.sub("", one.above), CONTROL.sub("", one.behind)) for key, one in comments.items()}


def as_text(reading: Reading) -> str:
    """The keys as they are kept, with what is said above and behind each where anything is."""
    said = {key: [one.above, one.behind] for key, one in reading.comments.items()}
    rows = [[list(key), as_json(value), *said.get(key, ())] for key, value in reading.keys.items()]
    return json.dumps(rows, ensure_ascii=False, separators=(",", ":"))


def from_text(text: str, trouble: str = "") -> Reading:
    """What `as_text` wrote."""
    rows = json.loads(text)
    keys = {tuple(key): from_json(value) for key, value, *_ in rows}
    return Reading(keys, trouble, {tuple(row[0]): Comment(row[2], row[3]) for row in rows if len(row) == 4})


def reported(rows: Any) -> Reading:
    """Keys as an agent reports them. Raises MalformedInput for what no reading of a file comes to."""
    if not isinstance(rows, list) or len(rows) > MOST_KEYS:
        raise MalformedInput(f"A reading is a list of at most {MOST_KEYS} keys.", field="keys")
    found: dict[Key, Value] = {}
    comments: dict[Key, Comment] = {}
    for at, row in enumerate(rows):
        if not isinstance(row, list) or len(row) not in (2, 4) or not isinstance(row[0], list):
            raise MalformedInput("A row of a reading is a key and a value.", field=f"keys[{at}]")
        key, value, *said = row
        _refuse_odd_key(key, f"keys[{at}]")
        _refuse_odd([value, *said], f"keys[{at}]")
        if not all(isinstance(one, str) and len(one) <= LONGEST for one in said):
            raise MalformedInput("What is said of a key is text.", field=f"keys[{at}]")
        found[tuple(key)] = from_json(value)
        if isinstance(found[tuple(key)], dict):
            raise MalformedInput("A table's keys are rows of their own.", field=f"keys[{at}]")
        if said:
            comments[tuple(key)] = Comment(*said)
    return Reading(found, comments=comments)


def _refuse_odd_key(key: Sequence[Any], where: str) -> None:
    if not 0 < len(key) <= DEEPEST:
        raise MalformedInput(f"A key has at most {DEEPEST} names.", field=where)
    if not all(isinstance(name, str) and len(name) <= LONGEST_NAME for name in key):
        raise MalformedInput(f"A key's names are texts of at most {LONGEST_NAME} characters.", field=where)
    _refuse_odd(key, where)


def _refuse_odd(values: Iterable[Any], where: str, depth: int = 0) -> None:
    if depth > NESTED:
        raise MalformedInput("A value is nested deeper than any setting.", field=where)
    for value in values:
        if isinstance(value, str) and (CONTROL.search(value) or not _is_whole(value)):
            raise MalformedInput("A reading holds control characters.", field=where)
        if isinstance(value, list | tuple):
            _refuse_odd(value, where, depth + 1)
        elif isinstance(value, dict):
            _refuse_odd([*value, *value.values()], where, depth + 1)


def _is_whole(text: str) -> bool:
    """Whether no half of a character stands alone in it: no database keeps those."""
    return text.isascii() or not HALF.search(text)


TIMES: dict[str, Any] = {"datetime": datetime, "date": date, "time": time}
SPECIAL: dict[str, Callable[[str], Value]] = {
    **{name: kind.fromisoformat for name, kind in TIMES.items()},
    "float": float,
    "int": int,
}


def as_json(value: Value) -> Any:
    """A value as JSON has it; what JSON does not know, or not everybody's, is a table of one nameless entry."""
    for name, kind in TIMES.items():
        if isinstance(value, kind):
            return {"": [name, value.isoformat()]}
    if isinstance(value, int | float) and not -LARGEST - 1 <= value <= LARGEST:
        return {"": [type(value).__name__, str(value)]}
    if isinstance(value, list | tuple):
        return [as_json(one) for one in value]
    if isinstance(value, dict):
        return {str(name): as_json(one) for name, one in value.items()}
    return value


def from_json(value: Any) -> Value:
    """What `as_json` gave. Raises MalformedInput for a special value that is none."""
    if isinstance(value, list):
        return [from_json(one) for one in value]
    if isinstance(value, dict):
        if isinstance(value.get(""), list) and len(value) == 1:
            return _special(value[""])
        return {name: from_json(one) for name, one in value.items()}
    return value


def _special(told: list[Any]) -> Value:
    try:
        name, text = told
        if len(text) > LONGEST_NUMBER:
            raise ValueError(text)
        return SPECIAL[name](text)
    except (ValueError, KeyError, TypeError) as error:
        raise MalformedInput("A reading holds a value that is none.", field="keys") from error
