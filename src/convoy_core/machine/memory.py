"""What a pack demands: memory in MB (1 GB = 1024 MB), disk in bytes.

Source: docs/rules.md, "Fit".
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ..words.model import Kind
from ..words.profile import MemoryFigures

STEP = 256
"""MB to which figures are rounded up: what is estimated is not told to the megabyte."""

COMFORT = 1.25
"""Recommended over minimum, where nothing else is known."""

SAFE, CEILING = 3, 2
"""A machine gives the game a third of its memory safely, and never more than half."""

MB = 2**20


@dataclass(frozen=True, slots=True)
class Weight:
    """What a build weighs: `unpacked` bytes of files, `archive` bytes in the store, `memory` MB given (0: none)."""

    kind: Kind
    unpacked: int
    archive: int
    memory: int = 0


@dataclass(frozen=True, slots=True)
class Demand:
    """`minimum` and `recommended` MB; `disk` bytes beside the game itself; `estimated` builds without a figure."""

    minimum: int
    recommended: int
    disk: int
    estimated: int

    @property
    def comfortable_machine(self) -> int:
        """MB of a machine whose safe share is the recommended figure."""
        return whole_gb(self.recommended * SAFE)

    @property
    def smallest_machine(self) -> int:
        """MB of a machine whose ceiling is the minimum."""
        return whole_gb(self.minimum * CEILING)


@dataclass(frozen=True, slots=True)
class Needed:
    """What a release demands: MB of memory, bytes of disk, and the runtime's version. Zero or empty: not said."""

    minimum: int = 0
    recommended: int = 0
    disk: int = 0
    runtime: str = ""


def lighter(needed: Needed, spared: int) -> Needed:
    """What is needed without builds that take `spared` MB: another side's, or those that a member does without."""
    return replace(
        needed,
        minimum=_rounded(max(0, needed.minimum - spared)),
        recommended=_rounded(max(0, needed.recommended - spared * COMFORT)),
    )


def gigabytes(memory: int) -> str:
    """MB as people say it: `6 GB`, `2.5 GB`."""
    return f"{memory / 1024:.2f}".rstrip("0").rstrip(".") + " GB"


def in_words(size: int) -> str:
    """Bytes as people say them: `34 MB`, rounded up; `2.1 GB`."""
    return f"{-(-size // MB):,} MB" if size < 1000 * MB else f"{size / 1000 / MB:.1f} GB"


def demand(builds: Iterable[Weight], figures: MemoryFigures) -> Demand:
    """Memory: the game's own figure and every build's. Disk: files placed, and the archives once in the store."""
    weights = list(builds)
    memory = figures.base + sum(memory_of(one, figures) for one in weights)
    return Demand(
        _rounded(memory),
        _rounded(memory * COMFORT),
        sum(one.unpacked + one.archive for one in weights),
        sum(not one.memory for one in weights),
    )


def memory_of(build: Weight, figures: MemoryFigures) -> float:
    """MB that a build takes: given, or estimated from its kind and size."""
    if build.memory:
        return build.memory
    estimate = figures.estimates.get(build.kind)
    return estimate.each + estimate.per_mb * build.unpacked / MB if estimate else 0


def whole_gb(memory: int) -> int:
    return -(-memory // 1024) * 1024


def _rounded(memory: float) -> int:
    return -int(-memory // STEP) * STEP
