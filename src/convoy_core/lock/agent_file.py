"""The statement by which a site offers its agent: which file, how large, which hash, signed by the key of releases.

An installation takes an agent from nobody but the site whose key it pinned, and never an older one than it has.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from ..outside.fields import Fields
from ..outside.paths import checked_path
from ..words.errors import MalformedInput
from .canonical import canonical_json
from .signing import sign, verify

FORMAT = "convoy-agent/1"
CONTEXT = b"true-convoy agent 1\n"
"""What is signed begins with it, so that no other signature of the same key can pass for one of an agent."""

WHEEL = "any"
"""The system of a file that any Python runs."""


@dataclass(frozen=True, slots=True)
class AgentFile:
    """`system`: `linux-x86_64` and its like, or WHEEL. `size` in bytes."""

    name: str
    system: str
    version: str
    size: int
    sha256: str

    def as_data(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "system": self.system,
            "version": self.version,
            "size": self.size,
            "sha256": self.sha256,
        }


def write_offer(files: list[AgentFile], private: bytes) -> tuple[bytes, bytes]:
    """The statement's bytes and their signature."""
    document = canonical_json({"format": FORMAT, "files": [one.as_data() for one in files]})
    return document, sign(private, CONTEXT + document)


def read_offer(document: bytes, signature: bytes, public: bytes) -> list[AgentFile]:
    """Raises BadSignature unless the pinned key signed exactly this, MalformedInput for what is no statement."""
    verify(public, CONTEXT + document, signature)
    try:
        top = Fields(json.loads(document))
    except (ValueError, RecursionError) as error:
        raise MalformedInput("What the site offers as an agent cannot be read.", str(error)) from error
    if top.text("format") != FORMAT:
        raise MalformedInput("What the site offers as an agent is of another form.", now="Get it from the site's page.")
    return [_read_file(one) for one in top.items("files")]


def _read_file(one: Fields) -> AgentFile:
    name = checked_path(one.text("name"))
    return AgentFile(name, one.text("system"), one.text("version"), one.whole("size"), one.sha256("sha256"))
