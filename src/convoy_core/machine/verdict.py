"""What a machine can safely give, and whether a pack runs on it. Memory in MB (1 GB = 1024 MB), disk in bytes.

Source: docs/rules.md, "Fit".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..words.wording import listed
from .memory import CEILING, MB, SAFE, STEP, Needed, gigabytes, lighter, whole_gb


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
    ceiling: int = 0
    """MB that the machine can give at the most; 0 where its memory is not known."""
    over: bool = False
    """The least that the pack starts with is above that."""


SHARES = "A machine gives a third of its memory to a game safely, and never more than half"
"""SAFE and CEILING in words. Source: docs/rules.md, "Fit"."""


def judge(
    needed: Needed, machine: Machine, still_to_place: int = 0, choices: Sequence[Choice] = (), share: int = 0
) -> Verdict:
    """Whether a pack runs on a machine, and with which figure. `still_to_place`: bytes that a sync would add;
    `choices`: what may be left out to save memory; `share`: percent that the machine gives safely, where somebody said
    so (0: a third).
    """
    obstacles: list[Obstacle] = []
    remarks: list[str] = []
    leave_out: tuple[str, ...] = ()
    safe = machine.memory * share // 100 if share else machine.memory // SAFE
    ceiling = machine.memory // CEILING
    figure = needed.recommended
    if machine.memory:
        figure = min(max(needed.minimum, min(needed.recommended, safe // STEP * STEP)), ceiling)
    if machine.memory and needed.minimum > ceiling:
        leave_out = _fewest(needed, ceiling, choices)
        larger = f"It wants a machine with {gigabytes(whole_gb(needed.minimum * CEILING))}, or a lighter pack."
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
    over = bool(machine.memory) and needed.minimum > ceiling
    return Verdict(figure, tuple(obstacles), tuple(remarks), leave_out, ceiling, over)


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
