"""A short walk with fixed seeds; the long one is `./run bench walk`. What found a fault once is walked again."""

import pytest

from .walking import live

SHORT = 60
FOUND_FAULTS = (13, 20, 42, 68, 263, 329)
"""Leaving twice; a file that came back and passed for the pack's; two damaged entries; what lay there before; a rotten
backup of what was just overwritten."""


@pytest.mark.parametrize("seed", [20261125, 20261126])
def test_a_short_walk_loses_nothing(seed: int) -> None:
    counts = live(seed, SHORT)
    assert sum(counts.values()) >= SHORT and counts["settle"] >= 1


@pytest.mark.parametrize("seed", FOUND_FAULTS)
def test_lives_in_which_something_was_lost_once(seed: int) -> None:
    live(seed)
