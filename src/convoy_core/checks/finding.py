"""A finding: severity, what, why, evidence. Source: docs/rules.md, "Checks"."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..lock.lock import LockedBuild, PlacedFile


class Severity(StrEnum):
    BLOCKER = "blocker"
    """Will not start, or members cannot match: nothing is published while it stands."""
    WARNING = "warning"
    ADVICE = "advice"


@dataclass(frozen=True, slots=True)
class Finding:
    check: str
    severity: Severity
    mod: str
    """The mod that it is about, for the way there; empty for the pack as a whole."""
    what: str
    why: str
    now: str
    evidence: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Subject:
    """What the checks look at: builds in order with the files each would place, and lines that are not settled."""

    layers: Sequence[tuple[LockedBuild, Sequence[PlacedFile]]]
    unsettled: Mapping[str, tuple[str, str]]
    """Mod id to (name, why it has no build in the draft)."""
