"""The file that carries releases to where keys are, and back with signatures: `convoy-to-sign/1`, JSON."""

from __future__ import annotations

import json
from collections.abc import Iterable

from ..outside.fields import Fields
from ..words.errors import MalformedInput
from .signed import Signed, parsed, read_signed_data

FORMAT = "convoy-to-sign/1"
MOST_BYTES = 256 * 2**20
"""Some eighty large releases."""


def write_bundle(ones: Iterable[Signed]) -> bytes:
    return json.dumps({"format": FORMAT, "items": [one.as_data() for one in ones]}, ensure_ascii=False).encode()


def read_bundle(data: bytes) -> list[Signed]:
    """Raises MalformedInput. Nothing is verified."""
    top = Fields(parsed(data, MOST_BYTES))
    if top.text("format") != FORMAT:
        raise MalformedInput("This is no file of documents to sign.", f"Read is {FORMAT}.")
    return [read_signed_data(one, MOST_BYTES) for one in top.entries("items")]
