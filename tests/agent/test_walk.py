"""A short walk with fixed seeds; the long one is `./run bench walk`. What found a fault once is walked again."""

import pytest

from .conftest import needs_posix
from .walking import live

pytestmark = needs_posix

SHORT = 60
FOUND_FAULTS = (13, 20, 42, 68, 329, 700)
"""Leaving that was stopped; a file that came back and passed for the pack's; two damaged entries; what lay there before
and was put back; a rotten copy of what was just overwritten; leaving and coming back on a full disk."""


@pytest.mark.parametrize("seed", [20261125, 20261126])
def test_a_short_walk_loses_nothing(seed: int) -> None:
    counts = live(seed, SHORT)
    assert counts["agent"] + counts["member"] > SHORT / 2 and counts["settle"] >= 1


@pytest.mark.parametrize("seed", FOUND_FAULTS)
def test_lives_in_which_something_was_lost_once(seed: int) -> None:
    live(seed)
