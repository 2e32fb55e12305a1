"""Where a machine stands, case by case."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from convoy_core.lock.terms import Check, HandStep, Terms
from convoy_core.machine.verdict import Obstacle
from convoy_core.sync.deviations import Deviation, Report, Strayed, deviations_of
from convoy_core.sync.messages import MESSAGE_LINES, message
from convoy_core.sync.plan import NOT_PLAIN
from convoy_core.sync.standing import Course, Standing, State, standing, what_keeps
from convoy_core.words.model import Reach, Side

from .making import lock, locked

NOW = datetime(2026, 11, 20, 20, tzinfo=UTC)
SHARE = lock(
    (locked("ledger"), {"mods/ledger/a": "a", "mods/ledger/b": "b"}),
    (locked("looks", reach=Reach.OWN), {"mods/looks/c": "c"}),
)
COURSE = Course("1.2.0", ["1.1.0", "1.0.0"])

CASES = [
    ("no report", None, "not heard from", 0, []),
    ("paired, nothing installed", Report("", NOW), "behind", 3, []),
    ("on a release that was withdrawn", Report("1.3.0", NOW), "behind", 1, []),
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
    found = standing(report, COURSE, SHARE, NOW)
    assert found.state == state
    assert found.behind == behind
    assert [one.sentence() for one in found.differences] == differences
    assert bool(found.to_do) == (state != "in step")


def test_where_no_release_is_open_nobody_is_in_step_and_nobody_is_told_to_do_anything() -> None:
    for there in (None, Report("", NOW), Report("1.2.0", NOW)):
        found = standing(there, Course(""), SHARE, NOW)
        assert found.state == ("behind" if there else "not heard from")
        assert (found.behind, found.to_do, message("Ada", "P", found, "http://x")) == (0, "", "")


def test_extras_alone_are_mended_in_another_way_than_alterations() -> None:
    extra = standing(Report("1.2.0", NOW, {"mods/x": Deviation.EXTRA}), COURSE, SHARE, NOW)
    altered = standing(Report("1.2.0", NOW, {"mods/ledger/a": Deviation.ALTERED}), COURSE, SHARE, NOW)
    assert "set aside" in extra.to_do
    assert "put right" in altered.to_do


def test_what_keeps_a_machine_from_running_goes_before_what_it_has() -> None:
    why = [Obstacle("It wants runtime 21; this machine has 17", "Install it."), Obstacle("No room", "Make room.")]
    found = standing(Report("1.1.0", NOW), COURSE, SHARE, NOW, obstacles=why)
    assert (found.state, found.behind, found.obstacles) == ("cannot run", 1, tuple(one.what for one in why))
    assert found.to_do == "Install it. Make room."
    assert standing(Report("1.1.0", NOW - timedelta(days=8)), COURSE, SHARE, NOW, why).state == "not heard from"


def test_what_somebody_behind_has_to_do_names_errands_and_their_own_choice() -> None:
    assert standing(Report("", NOW), COURSE, SHARE, NOW).to_do == "Install release 1.2.0."
    assert "Bring 2 files by hand, then sync to" in standing(Report("1.1.0", NOW), COURSE, SHARE, NOW, (), 2).to_do
    assert "Chose to stay at 1.0.0" in standing(Report("1.0.0", NOW), COURSE, SHARE, NOW, (), 0, "1.0.0").to_do


def test_differences_name_the_build_that_lies_there_and_the_setting_that_strayed() -> None:
    off = Strayed("mods/looks/c", "tolls.rate", "2", "5")
    report = Report(
        "1.2.0",
        NOW,
        {"mods/ledger/a": Deviation.ALTERED, "mods/looks/c": Deviation.SETTING, "mods/z/m": Deviation.EXTRA},
        strayed=(off,),
        has={"mods/ledger/a": "0.9", "mods/z/m": "Zephyr 2"},
    )
    found = standing(report, COURSE, SHARE, NOW)
    assert [one.sentence() for one in found.differences] == [
        "Ledger: 0.9 in place of 1.0",
        "Looks: tolls.rate is 5, must be 2",
        "not of the pack: Zephyr 2",
    ]
    # Looks touch their owner alone; an enforced setting counts all the same.
    assert all(one.counts for one in found.differences)


def test_a_message_names_the_to_do_and_not_everything_twice() -> None:
    many = {f"mods/x{n}.zip": Deviation.EXTRA for n in range(9)} | {"mods/looks/c": Deviation.ALTERED}
    there = {f"mods/x{n}.zip": f"Stranger {n}" for n in range(9)}
    text = message(
        "Odwin", "Night Freight", standing(Report("1.2.0", NOW, many, has=there), COURSE, SHARE, NOW), "http://x"
    )
    assert text.startswith("Hello Odwin, for Night Freight") and "Sync with extra files set aside." in text
    assert text.count("not of the pack") == MESSAGE_LINES and "and 4 more differences" in text and "Looks" not in text
    blocked = standing(Report("1.1.0", NOW), COURSE, SHARE, NOW, [Obstacle("It wants runtime 21", "Install it.")])
    assert message("Ada", "P", blocked, "http://x").count("runtime 21") == 1
    assert message("Ada", "P", standing(Report("1.2.0", NOW), COURSE, SHARE, NOW), "http://x") == ""


def test_what_keeps_somebody_is_the_first_thing_a_curator_would_ask_about() -> None:
    off = Report("1.2.0", NOW, {"mods/ledger/a": Deviation.ALTERED, "mods/mine.zip": Deviation.EXTRA})
    own = Report("1.2.0", NOW, {"mods/looks/c": Deviation.ALTERED})
    differs, in_step = (standing(one, COURSE, SHARE, NOW) for one in (off, own))
    behind = standing(Report("1.1.0", NOW), COURSE, SHARE, NOW)
    silent = standing(Report("1.0.0", NOW - timedelta(days=8)), COURSE, SHARE, NOW)
    cases = [
        (Standing(State.CANNOT_RUN, obstacles=("It needs more",), withdrawn="gone"), 3, "It needs more"),
        (Standing(State.BEHIND, withdrawn="gone"), 3, "gone"),
        (behind, 2, "2 errands"),
        (differs, 2, "Ledger: mods/ledger/a altered, and 1 more"),
        (in_step, 1, "1 errand"),
        (in_step, 0, "1 difference of their own"),
        (silent, 0, "2 releases behind when last heard"),
        (behind, 0, ""),
    ]
    assert [what_keeps(found, True, errands) for found, errands, _ in cases] == [says for *_, says in cases]
    assert what_keeps(silent, False, 0) == ""


def test_what_deviates_is_told_by_what_a_file_is() -> None:
    terms = Terms(settings=("config/**",), steps=(HandStep("run", "Run it.", Check.CHANGED, "mods/ledger/patched"),))
    paths = {"mods/ledger/a": "a", "mods/ledger/patched": "p", "config/x.toml": "x", "mods/ledger/gone": "g"}
    share = replace(lock((locked("ledger"), paths)), terms=terms, managed=("mods",))
    right = {file.path: file.sha256 for file in share.files}
    assert deviations_of(share, right) == {}
    there = {
        "mods/ledger/a": "other", "mods/ledger/patched": "changed", "config/x.toml": "mine", "mods/mine.zip": "m",
        "readme.txt": "outside of the pack's folders",
    }  # fmt: skip
    assert deviations_of(share, there) == {
        "mods/ledger/a": Deviation.ALTERED, "mods/ledger/gone": Deviation.MISSING, "mods/mine.zip": Deviation.EXTRA,
    }  # fmt: skip
    links = dict.fromkeys(right, NOT_PLAIN)
    assert deviations_of(share, links) == dict.fromkeys(right, Deviation.ALTERED)


@pytest.mark.parametrize(("side", "reach", "state"), [
    (Side.BOTH, Reach.CREW, "differs"), (Side.PLAYER, Reach.CREW, "differs"), (Side.PLAYER, Reach.SAVE, "differs"),
    (Side.PLAYER, Reach.OWN, "in step"), (Side.BOTH, Reach.OWN, "in step"),
])  # fmt: skip
def test_whether_a_difference_counts_goes_by_reach_and_the_fingerprint_by_side_too(
    side: Side, reach: Reach, state: str
) -> None:
    share = lock((locked("deck", side=side, reach=reach), {"mods/deck/a": "a"}))
    altered = Report("1.2.0", NOW, {"mods/deck/a": Deviation.ALTERED})
    assert standing(altered, COURSE, share, NOW).state == state
    told = share.fingerprint() != share.fingerprint({"mods/deck/a": "other"})
    assert told is (side is Side.BOTH and reach is not Reach.OWN)
    assert bool(replace(share, builds=(replace(share.builds[0], optional=True),)).choices) is (reach is Reach.OWN)
