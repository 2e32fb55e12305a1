"""Culprits planted at random in packs of 120 mods: how many tries finding them takes, beside delta debugging as it was
published (Zeller and Hildebrandt, 2002), which knows no needs: it is given mods without any.
"""

from __future__ import annotations

import random
import statistics
from collections.abc import Callable, Sequence

from convoy_core.narrow import Found, Outcome, Suspects, narrow, tries_for_one

MODS, PACKS, SEED = 120, 300, 11

Fails = Callable[[Sequence[str]], bool]


def measure() -> list[tuple[str, str, str]]:
    chance = random.Random(SEED)
    rows = [_row(chance, many, {}) for many in (1, 2, 3)]
    needing = {f"m{at}": [f"m{chance.randrange(at)}"] for at in range(1, MODS) if chance.random() < 0.6}
    rows += [_row(chance, many, needing) for many in (1, 2)]
    return [*rows, _at_times(chance, 0.3)]


def _row(chance: random.Random, many: int, needs: dict[str, list[str]]) -> tuple[str, str, str]:
    suspects = Suspects(tuple(f"m{at}" for at in range(MODS)), needs)
    ours: list[int] = []
    theirs: list[int] = []
    wrong = 0
    for _ in range(PACKS):
        planted = set(chance.sample(suspects.mods, many))

        def fails(mods: Sequence[str], planted: set[str] = planted) -> bool:
            return planted <= set(mods)

        found = _narrowed(suspects, fails)
        ours.append(found.tries)
        units = suspects.closed(suspects.unit_of[mod] for mod in found.culprits)
        wrong += not fails(suspects.mods_of(units))
        if not needs:
            theirs.append(_delta_debugged(list(suspects.mods), fails))
    what = f"{many} of {MODS} mods, {'with needs among them' if needs else 'without needs'}, {PACKS} packs"
    beside = f"delta debugging: {statistics.mean(theirs):.1f}, most {max(theirs)}; " if theirs else ""
    said = f"said beforehand: {tries_for_one(MODS)}; " if many == 1 else ""
    return what, f"{statistics.mean(ours):.1f} tries, most {max(ours)}", f"{beside}{said}{PACKS - wrong} found"


def _at_times(chance: random.Random, often: float) -> tuple[str, str, str]:
    suspects = Suspects(tuple(f"m{at}" for at in range(MODS)), {})
    tries: list[int] = []
    right, sure = 0, 0.0
    for _ in range(PACKS):
        planted = {chance.choice(suspects.mods)}

        def fails(mods: Sequence[str], planted: set[str] = planted) -> bool:
            return planted <= set(mods) and chance.random() < often

        found = _narrowed(suspects, fails, often)
        tries.append(found.tries)
        right += set(found.culprits) == planted
        sure += found.sure
    return (
        f"1 of {MODS} mods, failing in {often:.0%} of its starts, {PACKS} packs",
        f"{statistics.mean(tries):.0f} tries, most {max(tries)}",
        f"said beforehand: {tries_for_one(MODS, often)}; {right} found, said to be {sure / PACKS:.1%} sure",
    )


def _narrowed(suspects: Suspects, fails: Fails, chance: float = 1.0) -> Found:
    search = narrow(suspects, chance)
    wanted = next(search)
    while True:
        try:
            wanted = search.send(Outcome.FAILS if fails(wanted) else Outcome.WORKS)
        except StopIteration as end:
            found: Found = end.value
            return found


def _delta_debugged(mods: list[str], fails: Fails) -> int:
    """The tries of `ddmin`, each set once, with the same three proofs: all fail, none works, the rest works."""
    tried: dict[frozenset[str], bool] = {}

    def test(some: Sequence[str]) -> bool:
        key = frozenset(some)
        if key not in tried:
            tried[key] = fails(some)
        return tried[key]

    everything, parts = list(mods), 2
    test(mods)
    test([])
    while len(mods) > 1:
        size = -(-len(mods) // parts)
        pieces = [mods[start : start + size] for start in range(0, len(mods), size)]
        rests = [[mod for mod in mods if mod not in set(piece)] for piece in pieces]
        if (piece := next((one for one in pieces if test(one)), None)) is not None:
            mods, parts = piece, 2
        elif (rest := next((one for one in rests if test(one)), None)) is not None:
            mods, parts = rest, max(parts - 1, 2)
        elif parts >= len(mods):
            break
        else:
            parts = min(len(mods), 2 * parts)
    test([mod for mod in everything if mod not in set(mods)])
    return len(tried)
