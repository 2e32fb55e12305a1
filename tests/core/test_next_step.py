"""The one next thing: named only where doing it changes something."""

import pytest

from convoy_core.sync.deviations import Deviation
from convoy_core.sync.next_step import Here, next_step, what_a_sync_does

EXTRA, SETTING, ALTERED = Deviation.EXTRA, Deviation.SETTING, Deviation.ALTERED
AT = {"release": "1.2", "followed": "1.2", "newest": "1.2"}

CASES = [
    ("in step", Here(**AT), "", "In step."),
    ("nothing yet", Here("", "1.2", "1.2", moves=9), "convoy sync", "Nothing is installed"),
    ("behind", Here("1.1", "1.2", "1.2"), "convoy sync", "Release 1.2 is there."),
    ("to be mended", Here(**AT, deviations={"a": ALTERED}, moves=2), "convoy sync", "2 files to be put right."),
    ("extras alone", Here(**AT, deviations={"a": EXTRA, "b": EXTRA}), "convoy sync --extras-aside", "2 files of yours"),
    ("settings that cannot be read", Here(**AT, deviations={"s": SETTING, "x": EXTRA}), "", "s cannot be read"),
    ("a difference without a way", Here(**AT, deviations={"a": ALTERED}), "convoy mend", "1 file not as"),
    ("errands first", Here("1.1", "1.2", "1.2", moves=3, errands=2), "convoy errands", "2 files to bring"),
    ("interrupted first", Here("1.1", "1.2", "1.2", errands=1, interrupted=True), "convoy sync", "interrupted"),
    ("steps last", Here(**AT, steps_left=("Look.",)), "convoy steps", "1 step that only you"),
    ("a backup that is damaged", Here(**AT, bad_backups=1), "convoy backup", "1 backup damaged."),
    ("stays by choice", Here("1.1", "1.1", "1.2"), "", "You stay at 1.1 by your choice; the newest is 1.2."),
    ("none open any more", Here("1.1", "1.1", ""), "", "Wait for a release."),
    ("none open at all", Here("", "", ""), "", "Wait for a release."),
]


@pytest.mark.parametrize(("here", "command", "why"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])
def test_the_next_thing(here: Here, command: str, why: str) -> None:
    told = next_step(here)
    assert told.command == command and why in told.sentence()
    assert here.is_in_step == (here.release == here.newest != "" and not here.deviations)


@pytest.mark.parametrize(
    ("has", "target", "earlier", "differs", "changes", "says"),
    [
        ("", "1.2", False, True, True, "Install release 1.2"),
        ("1.1", "1.2", False, True, True, "Sync to 1.2"),
        ("1.3", "1.2", True, False, True, "Go back to 1.2"),
        ("1.2", "1.2", False, True, True, "Put it right"),
        ("1.2", "1.2", False, False, True, "Apply my choices"),
        ("1.2", "1.2", False, False, False, "Check and sync again"),
    ],
)
def test_the_button_says_what_a_sync_does(
    has: str, target: str, earlier: bool, differs: bool, changes: bool, says: str
) -> None:
    assert what_a_sync_does(has, target, earlier, differs, changes) == says
