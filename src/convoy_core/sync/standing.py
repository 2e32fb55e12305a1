"""Roll call: who is in step, and what each who is not must do. Source: docs/rules.md, "Roll call"; "The job" 11.

A machine reports only where it differs from the release it follows; from that, the lock and the clock's reading, the
standing follows. What keeps a machine from running the pack at all is judged by `machine.verdict`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from ..lock.lock import Lock
from ..machine.verdict import Obstacle
from ..words.wording import counted
from .deviations import Deviation, Difference, Report, differences_of

UNHEARD_AFTER = timedelta(days=7)
"""A machine that has not reported for a week says nothing about tonight: crews play weekly."""


class State(StrEnum):
    IN_STEP = "in step"
    BEHIND = "behind"
    DIFFERS = "differs"
    CANNOT_RUN = "cannot run"
    UNHEARD = "not heard from"


@dataclass(frozen=True, slots=True)
class Standing:
    state: State
    behind: int = 0
    """How many releases lie between the machine's and the current one."""
    differences: tuple[Difference, ...] = ()
    to_do: str = ""
    """What this machine's person has to do, as a sentence; empty when nothing."""
    obstacles: tuple[str, ...] = ()
    """Why the pack cannot run there."""
    other: str = ""
    """That the release it has is none that the pack has now, whatever its number, as a sentence."""
    withdrawn: str = ""
    """That the release it has was withdrawn, and why, as a sentence. Whoever knows of withdrawals adds it."""


@dataclass(frozen=True, slots=True)
class Course:
    """What a machine follows: the current release's number, and those that it may still have, newest first.

    `current` is empty while no release is open to it: none was published, or all were withdrawn.
    """

    current: str
    others: Sequence[str] = ()
    hashes: Mapping[str, str] = field(default_factory=dict)
    """What each release of the pack is, by its number, withdrawn ones among them: SHA-256 of its document."""


def standing(
    report: Report | None,
    course: Course,
    share: Lock | None,
    now: datetime,
    obstacles: Sequence[Obstacle] = (),
    errands: int = 0,
    stays_at: str = "",
) -> Standing:
    """Where a machine stands.

    `share`: this machine's share of the lock of the release it reports (None when it reports none); `obstacles`: what
    keeps it from running the current release; `errands`: files that its person still has to bring; `stays_at`: the
    release that its person chose to stay at.
    """
    blocked = tuple(one.what for one in obstacles)
    if report is None:
        to_do = f"Install release {course.current} from the installation's page." if course.current else ""
        return Standing(State.UNHEARD, to_do=to_do, obstacles=blocked)
    differences = differences_of(report, share)
    behind = _behind(report.release, course)
    if now - report.heard_at > UNHEARD_AFTER:
        return Standing(State.UNHEARD, behind, differences, "Start the agent once, so that it reports.", blocked)
    if blocked:
        return Standing(State.CANNOT_RUN, behind, differences, " ".join(one.to_do for one in obstacles), blocked)
    if other := _other(report, course):
        to_do = f"Sync to release {course.current}." if report.release in course.hashes else HIGHER
        return Standing(State.BEHIND, max(1, behind), differences, to_do, other=other)
    if not course.current:
        # What it has is not open any more, and there is nowhere to go: its person can only wait.
        return Standing(State.BEHIND, behind, differences)
    if behind:
        return Standing(State.BEHIND, behind, differences, _catch_up(report.release, course, errands, stays_at))
    if any(one.counts for one in differences):
        return Standing(State.DIFFERS, 0, differences, _mend(differences))
    return Standing(State.IN_STEP, 0, differences)


HIGHER = "The curator publishes a release with a higher number; then it syncs."
"""What ends it that a machine has a release which the site has lost: machines never go back by themselves."""


def _other(report: Report, course: Course) -> str:
    """A site that was set back to a backup has lost releases, and may have given their numbers to others since."""
    if not report.release or not course.hashes:
        return ""
    if report.release not in course.hashes:
        return f"It has release {report.release}, which the site does not know"
    if report.sha256 in ("", course.hashes[report.release]):
        return ""
    return f"Its release {report.release} is another than the pack's of that number"


def _behind(release: str, course: Course) -> int:
    """How many releases back; one that is none of these any more (withdrawn) counts as one step off."""
    if release == course.current or not course.current:
        return 0
    if not release:
        return 1 + len(course.others)
    return 1 + (course.others.index(release) if release in course.others else 0)


def _catch_up(release: str, course: Course, errands: int, stays_at: str) -> str:
    sync = f"{'sync to' if release else 'install'} release {course.current}"
    if stays_at and stays_at != course.current:
        return f"Chose to stay at {stays_at}. Follow the pack again, then {sync}."
    if errands:
        return f"Bring {counted(errands, 'file')} by hand, then {sync}."
    return f"{sync.capitalize()}."


def _mend(differences: Sequence[Difference]) -> str:
    if all(one.what is Deviation.SETTING for one in differences if one.counts):
        return "Sync: that setting is set right, others stay."
    if all(one.what is Deviation.EXTRA for one in differences if one.counts):
        return "Sync with extra files set aside."
    return "Sync: it is put right, altered files move aside."


def what_keeps(found: Standing, installed: bool, errands: int) -> str:
    """What keeps a machine from being in step, as a phrase: the first thing that a curator would want to know. Where
    nothing does, how many differences are its owner's own; empty for none.
    """
    counting = [one for one in found.differences if one.counts]
    if found.obstacles:
        return found.obstacles[0]
    if found.withdrawn or found.other:
        return found.withdrawn or found.other
    if found.state is State.BEHIND and errands:
        return counted(errands, "errand")
    if counting:
        return counting[0].sentence() + (f", and {len(counting) - 1} more" if len(counting) > 1 else "")
    if errands:
        return counted(errands, "errand")
    if found.state is State.UNHEARD and installed and found.behind:
        return f"{counted(found.behind, 'release')} behind when last heard"
    return f"{counted(len(found.differences), 'difference')} of their own" if found.differences else ""
