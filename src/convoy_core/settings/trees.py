"""Readable files as trees of keys, for comparing: quick, and good for nothing else. What is to be changed is opened by
`formats.open_settings`, which keeps comments; both see the same keys.
"""

from __future__ import annotations

import json
import tomllib
from collections.abc import Callable
from typing import Any

from .formats import MAX_BYTES, Key, Value, format_of, open_settings
from .formats.base import flattened


def read_tree(path: str, data: bytes) -> dict[Key, Value]:
    """The keys of a file, in its order, with their values. Raises UnreadableSettings, whatever is wrong with it."""
    quick = _QUICK.get(format_of(path))
    if quick is not None and len(data) <= MAX_BYTES:
        try:
            found = quick(data.decode("utf-8"))
        except (ValueError, RecursionError):
            found = None
        if isinstance(found, dict):
            return flattened(found)
    # Slower, more forgiving (comments in JSON), and with a sentence for what is wrong.
    return open_settings(path, data).values()


def _strict_json(text: str) -> Any:
    return json.loads(text, parse_constant=_no_number)


def _no_number(name: str) -> Any:
    raise ValueError(f"{name} is no number")


_QUICK: dict[str, Callable[[str], Any]] = {".toml": tomllib.loads, ".json": _strict_json}
