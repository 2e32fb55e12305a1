"""The word of a pack: its signed statement, and beside it, unsigned, which installations are called to ask the site.

One small file for everybody who watches, so that a static server or a CDN can hand it out. What is not signed in it can
only make an agent ask the site once too often, or a minute later.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping

from ..outside.fields import Fields
from .signed import LONGEST, Signed, parsed, read_signed_data

MOST_BYTES = 8 * LONGEST
"""With calls for some ten thousand installations at once."""


def write_word(statement: Signed, calls: Mapping[str, int]) -> bytes:
    told = {**statement.as_data(), "calls": dict(calls)}
    return json.dumps(told, ensure_ascii=False, separators=(",", ":"), sort_keys=True).encode()


def read_word(data: bytes) -> tuple[Signed, dict[str, int]]:
    """Raises MalformedInput. Nothing is verified."""
    told = parsed(data, MOST_BYTES)
    calls = Fields(told).fields("calls")
    return read_signed_data(told), {name: calls.whole(name) for name in calls.names()}


def call_name(installation: str) -> str:
    """How an installation is called in the file: its id is nobody else's business."""
    return hashlib.sha256(f"call {installation}".encode()).hexdigest()[:16]
