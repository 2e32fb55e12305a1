"""What every format offers."""

from __future__ import annotations

from typing import Any, Protocol

from ...words.errors import ConvoyError

Key = tuple[str, ...]
"""Where a value stands: section, table or element names, then the key's own."""

Value = Any
"""Text, number, truth, nothing, or a list of these, in the format's own types. Compared with `same`."""


class UnreadableSettings(ConvoyError):
    """A settings file that cannot be parsed. It is never rewritten."""

    code = "unreadable"


class Settings(Protocol):
    """One settings file. Changes are made in place; `text` gives the file with them."""

    def values(self) -> dict[Key, Value]: ...

    def set(self, key: Key, value: Value) -> None:
        """Changes or adds a value. Raises UnreadableSettings when the key cannot stand in this file."""

    def remove(self, key: Key) -> None: ...

    def text(self) -> str: ...


def same(one: Value, other: Value) -> bool:
    """Equal, and of one type: 1, 1.0 and true are three different settings."""
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(same(a, b) for a, b in zip(one, other, strict=True))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(same(one[key], other[key]) for key in one)
    return type(one) is type(other) and bool(one == other)


def flattened(tree: Any, above: Key = ()) -> dict[Key, Value]:
    """Leaves of nested mappings by their path. An empty mapping says nothing."""
    found: dict[Key, Value] = {}
    for name, value in tree.items():
        key = (*above, str(name))
        if isinstance(value, dict):
            found |= flattened(value, key)
        else:
            found[key] = value
    return found


def stuck(key: Key, why: str) -> UnreadableSettings:
    return UnreadableSettings(f"“{'.'.join(key)}” cannot be set.", why, key=list(key))
