"""A finding: severity, what, why, on what evidence, and the ways to mend it. Source: docs/rules.md, "Checks"."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Any

from ..lock.canonical import canonical_json, sha256_hex


class Severity(StrEnum):
    BLOCKER = "blocker"
    """Will not start, or members cannot match: nothing is published while it stands."""
    WARNING = "warning"
    ADVICE = "advice"


@dataclass(frozen=True, slots=True)
class Way:
    """One way to mend a finding: edits of the draft, as its edits are written down everywhere (docs/rules.md, "Edits").
    `text`: what a button says.
    """

    text: str
    edits: tuple[Mapping[str, Any], ...]
    is_choice: bool = False
    """It is for a person to decide: several would do, or the pack would be another one."""


@dataclass(frozen=True)
class Finding:
    """`about`: what it is about, which with the check's name makes its id. `mod`: the one to take in hand; empty for
    the pack as a whole. `pair`: two mods whose files can be looked at side by side.
    """

    check: str
    severity: Severity
    about: tuple[str, ...]
    what: str
    why: str
    now: str
    mod: str = ""
    evidence: tuple[str, ...] = ()
    ways: tuple[Way, ...] = ()
    pair: tuple[str, str] | None = None

    @property
    def id(self) -> str:
        """The same whenever the same check finds something about the same things."""
        return f"{self.check}: {' + '.join(self.about)}"[:600]

    @cached_property
    def mark(self) -> str:
        """Short text that changes with the evidence: what was laid down is taken up again then."""
        return sha256_hex(canonical_json([self.severity, self.what, list(self.evidence)]))[:16]


def remove(mod: str, name: str) -> Way:
    return Way(f"Remove {name}", ({"do": "remove", "mod": mod},), is_choice=True)


def drop(collection: str, name: str) -> Way:
    return Way(f"Drop {name}", ({"do": "drop collection", "collection": collection},), is_choice=True)


def switch_off(mod: str, name: str) -> Way:
    return Way(f"Switch {name} off", ({"do": "switch", "mod": mod, "on": False},), is_choice=True)


def add(mod: str, name: str) -> Way:
    return Way(f"Add {name}", ({"do": "add", "mod": mod},))
