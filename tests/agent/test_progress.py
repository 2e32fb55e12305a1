"""How far it is, told rightly whatever happens: a cut line, an attempt that starts over, a site that is away."""

from typing import Any

import pytest

from convoy_agent.site import progress as module
from convoy_agent.site.progress import Progress, Silent

from .conftest import Member


class Page:
    """The site's end: keeps what it is told, and answers as a test says. None: nobody answers."""

    def __init__(self) -> None:
        self.told: list[dict[str, Any]] = []
        self.answers: list[str | None] = []

    def progress(self, **told: Any) -> str | None:
        self.told.append(told)
        return self.answers.pop(0) if self.answers else ""


@pytest.fixture
def page() -> Page:
    return Page()


@pytest.fixture
def progress(page: Page, monkeypatch: pytest.MonkeyPatch) -> Progress:
    monkeypatch.setattr(module, "TELL_EVERY", 0)
    return Progress(page, Silent())


def test_each_file_is_told_and_nothing_is_counted_twice(page: Page, progress: Progress) -> None:
    progress.phase("fetching", 300, 3)
    progress.file("whole already", 100, 100)
    progress.file("ledger", 0, 100)
    progress.file("ledger", 60, 100)
    progress.file("bells", 0, 100)
    told = page.told[-1]
    assert (told["done"], told["total"], told["files_done"], told["files"]) == (160, 300, 1, 3)
    assert told["under_way"] == [
        {"name": "ledger", "done": 60, "total": 100},
        {"name": "bells", "done": 0, "total": 100},
    ]
    # Cut at 60 and gone on with from there; then it was the wrong file after all, and comes once more.
    for at in (60, 100, 0, 100):
        progress.file("ledger", at, 100)
    assert (page.told[-1]["done"], page.told[-1]["files_done"]) == (200, 2)
    assert [one["name"] for one in page.told[-1]["under_way"]] == ["bells"]
    assert progress.came()[0] == 100  # what was there before says nothing about the line


def test_what_was_there_and_pauses_say_nothing_about_the_speed(
    page: Page, progress: Progress, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = [1000.0]
    monkeypatch.setattr(module.time, "monotonic", lambda: clock[0])
    monkeypatch.setattr(module.time, "sleep", lambda seconds: clock.__setitem__(0, clock[0] + 500))
    progress.phase("fetching", 1_100, 1)
    progress.file("ledger", 100, 1_100)
    clock[0] += 10
    page.answers = ["pause", "pause", ""]
    progress.file("ledger", 600, 1_100)
    assert (page.told[-1]["seconds_left"], page.told[-1]["rate"]) == (10, 50)
    progress.wait()
    assert [one["phase"] for one in page.told[-2:]] == ["paused", "paused"]
    progress.file("ledger", 600, 1_100)
    assert progress.came() == (500, 10) and page.told[-1]["seconds_left"] == 10


def test_a_site_that_is_away_takes_no_pause_back(page: Page, progress: Progress) -> None:
    """On a metered line that would cost the member money."""
    progress.phase("fetching", 100, 1)
    page.answers = ["pause", None, None, "pause", ""]
    progress.file("ledger", 50, 100)
    progress.wait()
    assert page.answers == [] and [one["phase"] for one in page.told[-4:]] == ["paused"] * 4


def test_a_sync_counts_files_to_the_last_one(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whether a file was unpacked while others still came, or afterwards, and whether its line was cut meanwhile."""
    monkeypatch.setattr(module, "TELL_EVERY", 0)
    member.fault("ledger", "cut short", times=1)
    member.sync()
    # Tellings of several threads may overtake each other: the furthest of each phase, not the last.
    told = sorted(member.harbour.progress, key=lambda one: (one.get("files_done", 0), one.get("done", 0)))
    last = {one["phase"]: one for one in told}
    fetching, placing = last["fetching"], last["placing"]
    assert fetching["done"] == fetching["total"] > 0 and fetching["files_done"] == fetching["files"] == 2
    assert last["unpacking"]["done"] == last["unpacking"]["total"]
    assert placing["files_done"] == placing["files"] == 6 and placing["what"].startswith("mods/")


def test_a_pause_that_outlasts_its_phase_leaves_the_time_right(
    page: Page, progress: Progress, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = [1000.0]
    monkeypatch.setattr(module.time, "monotonic", lambda: clock[0])
    page.answers = ["pause"]
    progress.phase("fetching", 100, 1)
    clock[0] += 50
    page.answers = ["pause", ""]
    progress.phase("unpacking", 100, 1)
    clock[0] += 7
    progress.file("ledger", 0, 100)
    clock[0] += 5
    progress.file("ledger", 50, 100)
    assert progress.came() == (50, 5) and page.told[-1]["seconds_left"] == 5
