"""The statement by which a site offers its agent: which file, how large, which hash, signed by the keys that the
crew's charter names for it. An installation takes no other agent, and never an older one than it has.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..lock.canonical import canonical_json
from ..outside.fields import Fields
from ..outside.paths import checked_path
from ..words.errors import MalformedInput
from .charter import Charter, Duty
from .signed import LONGEST, Signed, parsed

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


def write_offer(files: list[AgentFile]) -> bytes:
    """The bytes to be signed."""
    return canonical_json({"format": FORMAT, "files": [one.as_data() for one in files]})


def read_offer(signed: Signed, charter: Charter) -> list[AgentFile]:
    """Raises BadSignature unless the charter's keys for agents signed exactly this, MalformedInput for no offer."""
    charter.demand(Duty.AGENT, signed, CONTEXT, "the agent that the site offers")
    top = Fields(parsed(signed.document, LONGEST))
    if top.text("format") != FORMAT:
        raise MalformedInput("What the site offers as an agent is of another form.", now="Get it from the site's page.")
    return [_read_file(one) for one in top.items("files")]


def _read_file(one: Fields) -> AgentFile:
    name = checked_path(one.text("name"))
    return AgentFile(name, one.text("system"), one.text("version"), one.whole("size"), one.sha256("sha256"))
