"""What a build says of other mods, read from fields: shared by catalogue answers and resolver problems."""

from __future__ import annotations

from typing import Any

from ..words.ranges import parse_range
from ..words.versions import parse_version
from .fields import Fields


def read_relations(fields: Fields) -> dict[str, Any]:
    """Needs, breaks and provides of a build, as keyword arguments for `Build`. Raises MalformedInput."""
    return {
        "games": parse_range(fields.text("games", "*")),
        "loaders": {loader: parse_range(text) for loader, text in fields.texts("loaders").items()},
        "needs": {mod: parse_range(text) for mod, text in fields.texts("needs").items()},
        "breaks": {mod: parse_range(text) for mod, text in fields.texts("breaks").items()},
        "provides": {mod: parse_version(text) for mod, text in fields.texts("provides").items()},
    }
