"""What is known of a setting: title, description, kind, default, allowed values, range, unit; and who says so.

A JSON Schema that the build names goes before its comments, comments before what the value alone shows. Comments are
read by the game's patterns: a pattern is plain words with places in braces (`Range: {lowest} to {highest}`), held
against each line. Source: docs/rules.md, "Readings".
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Any

from .comments import Comment
from .formats import Key, Value
from .limits import NO_LIMIT, Limit, Noted, finite

USUAL = (
    "default: {default}",
    "default value: {default}",
    "default is {default}",
    "range: {lowest} to {highest}",
    "range: {lowest} - {highest}",
    "min: {lowest}, max: {highest}",
    "between {lowest} and {highest}",
    "allowed values: {allowed}",
    "allowed: {allowed}",
    "one of: {allowed}",
    "unit: {unit}",
)
"""Patterns for games whose profile names none: how people write such things of their own accord."""

LONGEST_NUMBER = 60
"""Characters: what is longer is none."""

MOST_ALLOWED = 60
"""Values that are offered as a choice."""

_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_TAKES = {"lowest": _NUMBER, "highest": _NUMBER, "unit": r"[^\s,;)\]]+", "default": r"\"[^\"]*\"|[^,;)\]\s][^,;)\]]*?"}
_COLOUR = re.compile(r"#(?:[0-9a-fA-F]{3}|[0-9a-fA-F]{6}|[0-9a-fA-F]{8})")
_KEY_NAME = re.compile(r"(?:^|[._\- ])(?:key|keys|hotkey|bind|binding|keybind)(?:$|[._\- ])|[a-z](?:Key|Bind(?:ing)?)$")
_WHOLE, _FRACTION = re.compile(r"[-+]?\d{1,15}"), re.compile(_NUMBER)
_TRUTHS = {"true": "false", "false": "true", "yes": "no", "no": "yes", "on": "off", "off": "on"}


class SettingKind(StrEnum):
    """What a setting is, and so how it is set."""

    SWITCH = "switch"
    WHOLE = "whole number"
    NUMBER = "number"
    CHOICE = "choice"
    COLOUR = "colour"
    BINDING = "key binding"
    LIST = "list"
    TEXT = "text"


_OF_SCHEMA = {
    "boolean": SettingKind.SWITCH,
    "integer": SettingKind.WHOLE,
    "number": SettingKind.NUMBER,
    "array": SettingKind.LIST,
}
_OF_VALUES: tuple[tuple[Any, SettingKind], ...] = (
    (bool, SettingKind.SWITCH),
    (int, SettingKind.WHOLE),
    (float, SettingKind.NUMBER),
    ((list, tuple), SettingKind.LIST),
)


class SaidBy(StrEnum):
    """Who says what is known."""

    SCHEMA = "schema"
    COMMENT = "comment"
    VALUE = "value"


@dataclass(frozen=True, slots=True)
class Known:
    """Of one setting. `default`: as words, empty where nobody says one; `by`: the best of those who say something."""

    kind: SettingKind
    by: SaidBy = SaidBy.VALUE
    title: str = ""
    description: str = ""
    default: str = ""
    limit: Limit = NO_LIMIT
    unit: str = ""


def known_of(
    keys: Mapping[Key, Value],
    comments: Mapping[Key, Comment],
    limits: Mapping[Key, Limit],
    notes: Mapping[Key, Noted],
    patterns: Sequence[str] = (),
    is_text: bool = False,
) -> dict[Key, Known]:
    """Of every key of one file. `limits` and `notes`: what its schema says. `is_text`: its format knows text alone."""
    reading = _matchers(tuple(patterns) or USUAL)
    found = {}
    for key, value in keys.items():
        told = _from_comment(comments[key], reading, value) if key in comments else {}
        noted = notes.get(key, Noted())
        limit = limits.get(key) or told.get("limit", NO_LIMIT)
        by = SaidBy.SCHEMA if key in limits or key in notes else SaidBy.COMMENT if told else SaidBy.VALUE
        found[key] = Known(
            kind_of(key, value, limit, noted.form, is_text),
            by,
            noted.title or told.get("title", ""),
            noted.description or told.get("description", ""),
            as_words(noted.default) if noted.has_default else told.get("default", ""),
            limit,
            noted.unit or told.get("unit", ""),
        )
    return found


def kind_of(key: Key, value: Value, limit: Limit, form: str = "", is_text: bool = False) -> SettingKind:
    """`form`: the schema's `format`. What is allowed, and of what kind, goes before what the value looks like."""
    if 0 < len(limit.allowed) <= MOST_ALLOWED:
        return SettingKind.CHOICE
    if len(limit.kinds) == 1 and limit.kinds[0] in _OF_SCHEMA:
        return _OF_SCHEMA[limit.kinds[0]]
    for kinds, kind in _OF_VALUES:
        if isinstance(value, kinds):
            return kind
    text = str(value)
    if form == "color" or _COLOUR.fullmatch(text):
        return SettingKind.COLOUR
    if form == "key" or (_KEY_NAME.search(".".join(key)) and len(text) <= 30):
        return SettingKind.BINDING
    if is_text and text.lower() in _TRUTHS:
        return SettingKind.SWITCH
    if is_text and _WHOLE.fullmatch(text):
        return SettingKind.WHOLE
    return SettingKind.NUMBER if is_text and _FRACTION.fullmatch(text) else SettingKind.TEXT


def says(value: Value, words: str) -> bool:
    """Whether a value is what a comment says in words: `0.50` is 0.5, and `True` is true."""
    mine = as_words(value)
    if mine.lower() == words.strip("\"'").lower():
        return True
    is_number = all(len(one) < LONGEST_NUMBER and _FRACTION.fullmatch(one) for one in (mine, words))
    return is_number and float(mine) == float(words)


def as_words(value: Value) -> str:
    """A value as people read it: truths and lists as JSON has them."""
    if value is None or isinstance(value, bool | list | tuple | dict):
        return json.dumps(value, ensure_ascii=False, default=str)
    return str(value)


Matcher = tuple[str, re.Pattern[str]]
"""A word that must stand in a line, in small letters, and the expression that is held against such a line."""


@lru_cache(maxsize=64)
def _matchers(patterns: tuple[str, ...]) -> tuple[Matcher, ...]:
    return tuple((_longest_word(one), re.compile(_expression(one), re.IGNORECASE)) for one in patterns)


def _longest_word(pattern: str) -> str:
    return max(re.sub(r"\{[^{}]*\}", " ", pattern).lower().split(), key=len, default="")


def _expression(pattern: str) -> str:
    """Between words each place takes up to the next word, and the last one up to a bracket, or the end of the line."""
    pieces = re.split(r"\{([^{}]*)\}", pattern.strip())
    parts = [r"[(\[]?(?<!\w)" if pieces[0][:1].isalnum() else r"[(\[]?"]
    for at, piece in enumerate(pieces):
        if at % 2 == 0:
            parts.append(r"\s+".join(re.escape(word) for word in piece.split(" ") if word) if piece.strip() else "")
            parts[-1] = (r"\s*" if piece[:1] == " " and at else "") + parts[-1] + (r"\s*" if piece[-1:] == " " else "")
        else:
            parts.append(f"(?P<{piece}>{_TAKES.get(piece, '[^)]+?')})")
    is_list = pieces[-2:-1] == ["allowed"] and not pieces[-1].strip()
    return "".join(parts) + (r"\s*(?:[)\];]+|\.(?=\s|$)|$)" if is_list else r"\s*(?:[)\]]+|[.;,](?=\s|$)|$)")


def _from_comment(comment: Comment, matchers: Iterable[Matcher], value: Value) -> dict[str, Any]:
    told: dict[str, str] = {}
    words = []
    for line in [*comment.above.split("\n"), *comment.behind.split("\n")]:
        lowered = line.lower()
        for word, matcher in matchers:
            match = matcher.search(line) if word in lowered else None
            if match and not told.keys() & {name for name, one in match.groupdict().items() if one}:
                told |= {name: one.strip() for name, one in match.groupdict().items() if one}
                line = line[: match.start()] + line[match.end() :]
        if line.strip(" \t.,;:-–—()[]"):
            words.append(line.strip(" \t;,"))
    description = told.pop("description", "") or "\n".join(words)
    found: dict[str, Any] = {"description": description, "limit": _limit(told, value)}
    return found | {name: told[name].strip('"') for name in ("title", "unit", "default") if name in told}


def _limit(told: Mapping[str, str], value: Value) -> Limit:
    allowed = tuple(
        _typed(one.strip(" \t\"'`"), value) for one in re.split(r"[,|/]", told.get("allowed", "")) if one.strip()
    )
    lowest, highest = (finite(float(told[name])) if name in told else None for name in ("lowest", "highest"))
    return Limit(allowed=allowed if 1 < len(allowed) <= MOST_ALLOWED else (), lowest=lowest, highest=highest)


def _typed(text: str, like: Value) -> Value:
    """An allowed value in the type of the one that is there."""
    try:
        if isinstance(like, bool):
            return {"true": True, "false": False}.get(text.lower(), text)
        if isinstance(like, int | float):
            return type(like)(text)
    except ValueError:
        pass
    return text
