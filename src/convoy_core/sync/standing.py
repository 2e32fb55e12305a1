"""Roll call: who is in step, and what each who is not must do. Source: rules.md, "Roll call"; job.md 11.

A machine reports only where it differs from the release it follows; from that, the lock and the clock's reading, the
standing follows. What keeps a machine from running the pack at all is judged by `convoy_core.machine.memory`.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from ..lock.lock import Lock
from ..machine.verdict import Obstacle
from ..words.model import MATCHING_REACHES
from ..words.wording import counted

UNHEARD_AFTER = timedelta(days=7)
"""A machine that has not reported for a week says nothing about tonight: crews play weekly."""


class State(StrEnum):
    IN_STEP = "in step"
    BEHIND = "behind"
    DIFFERS = "differs"
    CANNOT_RUN = "cannot run"
    UNHEARD = "not heard from"


class Deviation(StrEnum):
    MISSING = "missing"
    ALTERED = "altered"
    EXTRA = "extra"
    SETTING = "setting"
    """An enforced setting of the file says something else. Other settings are the member's."""


@dataclass(frozen=True, slots=True)
class Strayed:
    """One enforced setting: what it must say, and what it says there. As texts, for people."""

    path: str
    key: str
    wanted: str
    there: str


@dataclass(frozen=True, slots=True)
class Report:
    """What a machine says of itself: the release its record follows (empty: none yet) and every deviating path."""

    release: str
    heard_at: datetime
    deviations: Mapping[str, Deviation] = field(default_factory=dict)
    fingerprint: str = ""
    strayed: tuple[Strayed, ...] = ()
    has: Mapping[str, str] = field(default_factory=dict)
    """For altered files, and extra ones: the other build that they are of, where the site knows it, by path."""
    harmless: Collection[str] = ()
    """Extra files that are known to be of builds with reach *own*: they touch nobody else, and never count."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One mod (or extra file) that is not as the release has it. `counts` is false where only its owner is touched."""

    mod: str
    name: str
    what: Deviation
    paths: tuple[str, ...]
    counts: bool
    version: str = ""
    """Of the build as the release has it."""
    has: str = ""
    """The build that lies there instead, where it is known."""
    strayed: tuple[Strayed, ...] = ()

    def sentence(self) -> str:
        files = self.paths[0] if len(self.paths) == 1 else f"{len(self.paths)} files"
        if self.has and self.what is Deviation.ALTERED:
            return f"{self.name}: {self.has} in place of {self.version}"
        if self.has and self.what is Deviation.EXTRA:
            return f"not of the pack: {self.has}"
        if self.strayed:
            one = self.strayed[0]
            more = f", and {len(self.strayed) - 1} more" if len(self.strayed) > 1 else ""
            return f"{self.name}: {one.key} is {one.there}, must be {one.wanted}{more}"
        return {
            Deviation.MISSING: f"{self.name}: {files} missing",
            Deviation.ALTERED: f"{self.name}: {files} altered",
            Deviation.EXTRA: f"not of the pack: {files}",
            Deviation.SETTING: f"{self.name}: a setting that must match differs in {files}",
        }[self.what]


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
    withdrawn: str = ""
    """That the release it has was withdrawn, and why, as a sentence. Whoever knows of withdrawals adds it."""


@dataclass(frozen=True, slots=True)
class Course:
    """What a machine follows: the current release's number, and those that it may still have, newest first.

    `current` is empty while no release is open to it: none was published, or all were withdrawn.
    """

    current: str
    others: Sequence[str] = ()


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
    differences = _differences(report, share)
    behind = _behind(report.release, course)
    if now - report.heard_at > UNHEARD_AFTER:
        return Standing(State.UNHEARD, behind, differences, "Start the agent once, so that it reports.", blocked)
    if blocked:
        return Standing(State.CANNOT_RUN, behind, differences, " ".join(one.to_do for one in obstacles), blocked)
    if not course.current:
        # What it has is not open any more, and there is nowhere to go: its person can only wait.
        return Standing(State.BEHIND, behind, differences)
    if behind:
        return Standing(State.BEHIND, behind, differences, _catch_up(report.release, course, errands, stays_at))
    if any(one.counts for one in differences):
        return Standing(State.DIFFERS, 0, differences, _mend(differences))
    return Standing(State.IN_STEP, 0, differences)


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


def _differences(report: Report, share: Lock | None) -> tuple[Difference, ...]:
    """Deviating paths gathered by mod and by what is wrong with them, in the order of the lock; extras last."""
    gathered: dict[tuple[str, Deviation, str], list[str]] = {}
    for path in sorted(report.deviations):
        file = share.by_path.get(path) if share else None
        key = (file.mod if file else "", report.deviations[path], report.has.get(path, ""))
        gathered.setdefault(key, []).append(path)
    found = []
    for (mod, what, has), paths in gathered.items():
        build = share.by_mod[mod] if share and mod else None
        # An enforced setting counts whatever the mod's reach: the curator said that it must match.
        own = not build and what is Deviation.EXTRA and all(path in report.harmless for path in paths)
        counts = what is Deviation.SETTING or (build.reach in MATCHING_REACHES if build else not own)
        strayed = tuple(one for one in report.strayed if one.path in paths) if what is Deviation.SETTING else ()
        name, version = (build.name, build.version) if build else ("", "")
        found.append(Difference(mod, name, what, tuple(paths), counts, version, has, strayed))
    return tuple(sorted(found, key=lambda one: (not one.counts, one.what is Deviation.EXTRA, one.name, one.what)))


def message(person: str, pack: str, found: Standing, address: str) -> str:
    """What a curator may send to whoever has something to do: what is wrong, the exact to-do, and where. Polite."""
    if not found.to_do:
        return ""
    reasons = [one.sentence() for one in found.differences if one.counts][:MESSAGE_LINES] or []
    more = sum(one.counts for one in found.differences) - len(reasons)
    lines = [f"Hello {person}, for {pack} to run together this is still to do on your side:", found.to_do]
    lines += [f"- {one}." for one in (found.withdrawn.rstrip("."), *found.obstacles, *reasons) if one]
    if more > 0:
        lines.append(f"- and {counted(more, 'more difference')}.")
    lines += [f"Your page has the button and every detail: {address}", "Nothing of yours is lost by it. Thank you."]
    return "\n".join(lines)


MESSAGE_LINES = 5
"""Differences that a message names; the page has them all."""


def _mend(differences: Sequence[Difference]) -> str:
    if all(one.what is Deviation.SETTING for one in differences if one.counts):
        return "Sync: that setting is set right, others stay."
    if all(one.what is Deviation.EXTRA for one in differences if one.counts):
        return "Sync with extra files set aside."
    return "Sync: it is put right, altered files move aside."
