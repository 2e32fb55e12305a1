"""What a pack demands of a machine, and what a machine can safely give. Memory in MB (1 GB = 1024 MB), disk in bytes.

Source: rules.md, Fit; job.md, "Sums they do in their heads".
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ..words.model import Kind
from ..words.profile import MemoryFigures
from ..words.wording import listed

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
        return _whole_gb(self.recommended * SAFE)

    @property
    def smallest_machine(self) -> int:
        """MB of a machine whose ceiling is the minimum."""
        return _whole_gb(self.minimum * CEILING)


@dataclass(frozen=True, slots=True)
class Needed:
    """What a release demands: MB of memory, bytes of disk, and the runtime's version. Zero or empty: not said."""

    minimum: int = 0
    recommended: int = 0
    disk: int = 0
    runtime: str = ""


@dataclass(frozen=True, slots=True)
class Machine:
    """What a machine says of itself: MB of memory, bytes free where the installation lies, runtimes that it has.

    Zero or empty: not known, and then not judged.
    """

    memory: int = 0
    disk_free: int = 0
    runtimes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Choice:
    """An optional mod that a member has taken, with the memory that it takes, in MB."""

    name: str
    memory: int


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Why a pack cannot run on a machine (`what`, without a full stop), and what its person can do, as a sentence."""

    what: str
    to_do: str


@dataclass(frozen=True, slots=True)
class Verdict:
    """`figure`: MB to give the game on this machine. `obstacles`: why it cannot run here. `remarks`: what is tight.
    `leave_out`: optional mods without which memory is no obstacle any more; empty where that would not do.
    """

    figure: int
    obstacles: tuple[Obstacle, ...] = ()
    remarks: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()


def lighter(needed: Needed, spared: int) -> Needed:
    """What is needed without builds that take `spared` MB: another side's, or those that a member does without."""
    return replace(
        needed,
        minimum=_rounded(max(0, needed.minimum - spared)),
        recommended=_rounded(max(0, needed.recommended - spared * COMFORT)),
    )


def judge(needed: Needed, machine: Machine, still_to_place: int = 0, choices: Sequence[Choice] = ()) -> Verdict:
    """Whether a pack runs on a machine, and with which figure. `still_to_place`: bytes that a sync would add;
    `choices`: what may be left out to save memory.
    """
    obstacles: list[Obstacle] = []
    remarks: list[str] = []
    leave_out: tuple[str, ...] = ()
    safe, ceiling = machine.memory // SAFE, machine.memory // CEILING
    figure = needed.recommended
    if machine.memory:
        figure = min(max(needed.minimum, min(needed.recommended, safe // STEP * STEP)), ceiling)
    if machine.memory and needed.minimum > ceiling:
        leave_out = _fewest(needed, ceiling, choices)
        larger = f"It wants a machine with {gigabytes(_whole_gb(needed.minimum * CEILING))}, or a lighter pack."
        obstacles.append(
            Obstacle(
                f"It needs {gigabytes(needed.minimum)} of memory for the game; "
                f"half of this machine's {gigabytes(machine.memory)} is {gigabytes(ceiling)}",
                f"Leave out {listed(leave_out)}: then memory will do." if leave_out else larger,
            )
        )
    elif machine.memory and needed.recommended > safe:
        remarks.append(
            f"Memory is tight: {gigabytes(needed.recommended)} is recommended, {gigabytes(safe)} is this machine's "
            f"safe share{_first_to_go(choices)}"
        )
    if machine.disk_free and still_to_place > machine.disk_free:
        short = (still_to_place - machine.disk_free) // MB + 1
        obstacles.append(
            Obstacle(
                f"It needs {still_to_place // MB + 1} MB more on the disk, and {machine.disk_free // MB} are free",
                f"Make room for {short} MB on its disk.",
            )
        )
    if needed.runtime and machine.runtimes and needed.runtime not in machine.runtimes:
        has = ", ".join(machine.runtimes)
        obstacles.append(
            Obstacle(
                f"It wants runtime {needed.runtime}; this machine has {has}",
                f"Install runtime {needed.runtime} beside it.",
            )
        )
    return Verdict(figure, tuple(obstacles), tuple(remarks), leave_out)


def _fewest(needed: Needed, ceiling: int, choices: Sequence[Choice]) -> tuple[str, ...]:
    """The fewest choices without which the minimum is below the ceiling: the largest first."""
    names: list[str] = []
    spared = 0
    for one in _largest_first(choices):
        if lighter(needed, spared).minimum <= ceiling:
            break
        names.append(one.name)
        spared += one.memory
    return tuple(names) if lighter(needed, spared).minimum <= ceiling else ()


def _first_to_go(choices: Sequence[Choice]) -> str:
    worth = [one for one in _largest_first(choices) if one.memory >= STEP // 2]
    return f". {worth[0].name} takes {worth[0].memory} MB, and may be left out" if worth else ""


def _largest_first(choices: Sequence[Choice]) -> list[Choice]:
    return sorted(choices, key=lambda one: (-one.memory, one.name))


def gigabytes(memory: int) -> str:
    """MB as people say it: `6 GB`, `2.5 GB`."""
    return f"{memory / 1024:.2f}".rstrip("0").rstrip(".") + " GB"


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


def _whole_gb(memory: int) -> int:
    return -(-memory // 1024) * 1024


def _rounded(memory: float) -> int:
    return -int(-memory // STEP) * STEP
