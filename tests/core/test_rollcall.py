"""Where a machine stands, case by case."""

from datetime import UTC, datetime, timedelta

import pytest

from convoy_core.model import Reach
from convoy_core.rollcall import Deviation, Report, standing

from .making import lock, locked

NOW = datetime(2026, 11, 20, 20, tzinfo=UTC)
SHARE = lock(
    (locked("ledger"), {"mods/ledger/a": "a", "mods/ledger/b": "b"}),
    (locked("looks", reach=Reach.OWN), {"mods/looks/c": "c"}),
)
RELEASES = ("1.2.0", ["1.1.0", "1.0.0"])

CASES = [
    ("no report", None, "not heard from", 0, []),
    ("paired, nothing installed", Report("", NOW), "not heard from", 0, []),
    ("all as it should be", Report("1.2.0", NOW), "in step", 0, []),
    ("one behind", Report("1.1.0", NOW), "behind", 1, []),
    ("two behind", Report("1.0.0", NOW), "behind", 2, []),
    ("silent too long", Report("1.2.0", NOW - timedelta(days=8)), "not heard from", 0, []),
    ("altered", Report("1.2.0", NOW, {"mods/ledger/a": Deviation.ALTERED}), "differs", 0,
     ["Ledger: mods/ledger/a altered"]),
    ("two missing", Report("1.2.0", NOW, dict.fromkeys(["mods/ledger/a", "mods/ledger/b"], Deviation.MISSING)),
     "differs", 0, ["Ledger: 2 files missing"]),
    ("extra", Report("1.2.0", NOW, {"mods/mine.zip": Deviation.EXTRA}), "differs", 0,
     ["not of the pack: mods/mine.zip"]),
    ("own looks", Report("1.2.0", NOW, {"mods/looks/c": Deviation.ALTERED}), "in step", 0,
     ["Looks: mods/looks/c altered"]),
    ("behind and altered", Report("1.1.0", NOW, {"mods/ledger/a": Deviation.ALTERED}), "behind", 1,
     ["Ledger: mods/ledger/a altered"]),
]  # fmt: skip


@pytest.mark.parametrize(("name", "report", "state", "behind", "differences"), CASES, ids=[case[0] for case in CASES])
def test_standing(name: str, report: Report | None, state: str, behind: int, differences: list[str]) -> None:
    found = standing(report, *RELEASES, SHARE, NOW)
    assert found.state == state
    assert found.behind == behind
    assert [one.sentence() for one in found.differences] == differences
    assert bool(found.to_do) == (state != "in step")


def test_extras_alone_are_mended_in_another_way_than_alterations() -> None:
    extra = standing(Report("1.2.0", NOW, {"mods/x": Deviation.EXTRA}), *RELEASES, SHARE, NOW)
    altered = standing(Report("1.2.0", NOW, {"mods/ledger/a": Deviation.ALTERED}), *RELEASES, SHARE, NOW)
    assert "set aside" in extra.to_do
    assert "put right" in altered.to_do
