"""Writes a game profile back as TOML: what a form says goes into the text that people wrote, whose comments stay.

A *document* is the profile as plain data, shaped as the TOML is (docs/games.md).
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, MutableMapping, Sequence
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError

from ..words.errors import MalformedInput
from ..words.versions import parse_version

ORDER = (
    "id", "name", "summary", "managed", "settings", "data", "comments", "worlds", "versions", "loaders", "kinds",
    "memory", "start", "log",
)  # fmt: skip
"""In which order a new text has its fields: plain ones first, as TOML wants it."""

KEYS = ("id", "version")
"""By which of its fields an entry of a list is known."""

Document = Mapping[str, Any]


def document_of(text: str) -> dict[str, Any]:
    """A profile's text as plain data. Raises MalformedInput for what is no TOML."""
    try:
        return tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise MalformedInput("The game profile is no TOML.", str(error)) from error


def written(document: Document, over: str = "") -> str:
    """The document as TOML; where `over` is given, changed in that text. Reads back as exactly the document.

    Raises MalformedInput for a document that TOML cannot hold.
    """
    said = _without_nothing(document)
    in_order = {name: said[name] for name in (*ORDER, *said) if name in said}
    try:
        if over:
            kept = tomlkit.parse(over)
            _bring_in_line(kept, in_order)
            text = tomlkit.dumps(kept)
            # What the text's own shape makes impossible (a list written in two ways) is written anew instead.
            if document_of(text) == said:
                return text
        return tomlkit.dumps(in_order)
    except (TOMLKitError, ValueError, TypeError, RecursionError) as error:
        raise MalformedInput("The game profile cannot be written.", str(error)[:200]) from error


def with_version(text: str, version: Mapping[str, Any]) -> str:
    """The text with one more version of the game, above the first older one. What it does not say of itself (its
    runtime) is as with the version below it. Raises MalformedInput.
    """
    document = document_of(text)
    versions = list(document.get("versions", []))
    new = parse_version(str(version["version"]))
    at = next((at for at, one in enumerate(versions) if parse_version(str(one.get("version"))) < new), len(versions))
    like = versions[at] if at < len(versions) else (versions[-1] if versions else {})
    said = {key: value for key, value in version.items() if value}
    if "runtime" not in said and like.get("runtime"):
        said["runtime"] = like["runtime"]
    return written({**document, "versions": [*versions[:at], said, *versions[at:]]}, over=text)


def _without_nothing(value: Any) -> Any:
    """Without fields that say nothing: TOML has no null."""
    if isinstance(value, Mapping):
        return {str(name): _without_nothing(one) for name, one in value.items() if one is not None}
    if isinstance(value, Sequence) and not isinstance(value, str):
        return [_without_nothing(one) for one in value]
    return value


def _bring_in_line(kept: MutableMapping[str, Any], said: Document) -> None:
    for name in [name for name in kept if name not in said]:
        del kept[name]
    for name, value in said.items():
        there = kept.get(name)
        if isinstance(there, MutableMapping) and isinstance(value, Mapping):
            _bring_in_line(there, value)
        elif _is_rows(there) and _is_rows(value):
            _bring_rows_in_line(there, value)
        elif there != value or isinstance(there, bool) is not isinstance(value, bool):
            kept[name] = value


def _is_rows(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(one, Mapping) for one in value)


def _bring_rows_in_line(kept: Any, said: list[Document]) -> None:
    """Rows that stay keep their place in the text; new ones come in where they stand in `said`."""
    wanted = {_key(row) for row in said}
    for at in reversed(range(len(kept))):
        if _key(kept[at]) not in wanted:
            del kept[at]
    for at, row in enumerate(said):
        if at < len(kept) and _key(kept[at]) == _key(row):
            _bring_in_line(kept[at], row)
            continue
        new = tomlkit.inline_table() if isinstance(kept, tomlkit.items.Array) else tomlkit.table()
        new.update(row)
        if isinstance(new, tomlkit.items.Table):
            new.add(tomlkit.nl())
        kept.insert(at, new)


def _key(row: Document) -> Any:
    return next((row[name] for name in KEYS if name in row), None)
