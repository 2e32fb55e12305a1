"""The resolver's problem and answer as JSON, as docs/formats.md gives them."""

from __future__ import annotations

import json
from typing import Any

from ..errors import MalformedInput
from ..model import Base, Build, Channel
from ..ranges import parse_range
from ..reading import Fields
from ..versions import parse_version
from .problem import Answer, Problem, Solved


def read_problem(text: str) -> Problem:
    """A problem from JSON text. Raises MalformedInput naming the field."""
    try:
        top = Fields(json.loads(text))
    except (ValueError, RecursionError) as error:
        raise MalformedInput("The problem is no JSON.", str(error)) from error
    base = top.fields("base")
    loader_version = base.text("loader_version", "")
    return Problem(
        Base(
            "the game",
            parse_version(base.text("game")),
            base.text("loader", ""),
            parse_version(loader_version) if loader_version else None,
        ),
        [_read_build(fields) for fields in top.items("files")],
        {mod: parse_range(text) for mod, text in top.texts("want").items()},
        {mod: parse_version(text) for mod, text in top.texts("keep").items()},
        frozenset(top.strings("refresh")),
    )


def read_relations(fields: Fields) -> dict[str, Any]:
    """Needs, breaks and provides of a build, as keyword arguments for Build; shared with the catalogue's reader."""
    return {
        "games": parse_range(fields.text("games", "*")),
        "loaders": {loader: parse_range(text) for loader, text in fields.texts("loaders").items()},
        "needs": {mod: parse_range(text) for mod, text in fields.texts("needs").items()},
        "breaks": {mod: parse_range(text) for mod, text in fields.texts("breaks").items()},
        "provides": {mod: parse_version(text) for mod, text in fields.texts("provides").items()},
    }


def _read_build(fields: Fields) -> Build:
    return Build(
        fields.text("mod"),
        parse_version(fields.text("version")),
        fields.one_of("channel", Channel, Channel.STABLE),
        **read_relations(fields),
    )


def write_answer(answer: Answer) -> dict[str, Any]:
    if isinstance(answer, Solved):
        return {"status": "solved", "lock": {mod: build.version.text for mod, build in answer.picks.items()}}
    return {"status": "impossible", "because": list(answer.because), "core": list(answer.core)}
