"""Roll call: who is in step, and what each who is not must do. Source: rules.md, "Roll call"; job.md 11.

A machine reports only where it differs from the release it follows; from that, the lock and the clock's reading, the
standing follows. Memory, disk and runtime (*cannot run*) are not judged here yet.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from .lock import Lock
from .model import MATCHING_REACHES

UNHEARD_AFTER = timedelta(days=7)
"""A machine that has not reported for a week says nothing about tonight: crews play weekly."""


class State(StrEnum):
    IN_STEP = "in step"
    BEHIND = "behind"
    DIFFERS = "differs"
    UNHEARD = "not heard from"


class Deviation(StrEnum):
    MISSING = "missing"
    ALTERED = "altered"
    EXTRA = "extra"


@dataclass(frozen=True, slots=True)
class Report:
    """What a machine says of itself: the release its record follows (empty: none yet) and every deviating path."""

    release: str
    heard_at: datetime
    deviations: Mapping[str, Deviation] = field(default_factory=dict)
    fingerprint: str = ""


@dataclass(frozen=True, slots=True)
class Difference:
    """One mod (or extra file) that is not as the release has it. `counts` is false where only its owner is touched."""

    mod: str
    name: str
    what: Deviation
    paths: tuple[str, ...]
    counts: bool

    def sentence(self) -> str:
        files = self.paths[0] if len(self.paths) == 1 else f"{len(self.paths)} files"
        return {
            Deviation.MISSING: f"{self.name}: {files} missing",
            Deviation.ALTERED: f"{self.name}: {files} altered",
            Deviation.EXTRA: f"not of the pack: {files}",
        }[self.what]


@dataclass(frozen=True, slots=True)
class Standing:
    state: State
    behind: int = 0
    """How many releases lie between the machine's and the current one."""
    differences: tuple[Difference, ...] = ()
    to_do: str = ""
    """What this machine's person has to do, as a sentence; empty when nothing."""


def standing(
    report: Report | None, current: str, earlier: Sequence[str], share: Lock | None, now: datetime
) -> Standing:
    """Where a machine stands.

    `current`: number of the pack's current release; `earlier`: numbers of those before it, newest first; `share`: this
    machine's share of the lock of the release it reports (None when it reports none).
    """
    if report is None or not report.release:
        return Standing(State.UNHEARD, to_do="Run the pairing command on the machine, then sync.")
    differences = _differences(report, share)
    behind = 0 if report.release == current else 1 + (earlier.index(report.release) if report.release in earlier else 0)
    if now - report.heard_at > UNHEARD_AFTER:
        return Standing(State.UNHEARD, behind, differences, "Start the agent once, so that it reports.")
    if behind:
        return Standing(State.BEHIND, behind, differences, f"Sync to release {current}.")
    if any(one.counts for one in differences):
        return Standing(State.DIFFERS, 0, differences, _mend(differences))
    return Standing(State.IN_STEP, 0, differences)


def _differences(report: Report, share: Lock | None) -> tuple[Difference, ...]:
    """Deviating paths gathered by mod and by what is wrong with them, in the order of the lock; extras last."""
    gathered: dict[tuple[str, Deviation], list[str]] = {}
    for path in sorted(report.deviations):
        file = share.by_path.get(path) if share else None
        gathered.setdefault((file.mod if file else "", report.deviations[path]), []).append(path)
    found = []
    for (mod, what), paths in gathered.items():
        build = share.by_mod[mod] if share and mod else None
        counts = build.reach in MATCHING_REACHES if build else True
        found.append(Difference(mod, build.name if build else "", what, tuple(paths), counts))
    return tuple(sorted(found, key=lambda one: (not one.counts, one.what is Deviation.EXTRA, one.name, one.what)))


def _mend(differences: Sequence[Difference]) -> str:
    if all(one.what is Deviation.EXTRA for one in differences if one.counts):
        return "Sync with extra files set aside."
    return "Sync: what is missing or altered is put right, altered files are moved aside."
