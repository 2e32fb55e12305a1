"""The one next thing to do in an installation's folder, from how it stands. Every door that ends with *Next:* asks
here.

A command is named only where it changes something: whoever does it finds the next thing, or nothing left.
Source: docs/rules.md, "The job" 10 to 12; docs/rules.md, "Roll call".
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..words.wording import counted
from .deviations import Deviation


@dataclass(frozen=True, slots=True)
class Here:
    """How a folder stands. `release`: installed, empty for none; `followed`: what it is to have by its member's choice;
    `newest`: the pack's own, empty while none is open; `moves`: what a sync would do to files.
    """

    release: str
    followed: str = ""
    newest: str = ""
    deviations: Mapping[str, Deviation] = field(default_factory=dict)
    moves: int = 0
    errands: int = 0
    steps_left: Sequence[str] = ()
    bad_backups: int = 0
    interrupted: bool = False
    is_other: bool = False
    """The installed release has the number of the one that is followed, and other content."""
    doubt: str = ""
    """Why what the site says of its newest release is not to be believed, or is out of date, as sentences."""

    @property
    def is_in_step(self) -> bool:
        at_newest = bool(self.release) and self.release == self.newest and not self.is_other
        return at_newest and not self.deviations and not self.doubt


@dataclass(frozen=True, slots=True)
class Next:
    """What to do and why, as a sentence; `command` is empty where there is nothing for a command to do."""

    why: str
    command: str = ""

    def sentence(self) -> str:
        return f"{self.why} Next: {self.command}" if self.command else self.why


def next_step(here: Here) -> Next:
    """The first of these that applies; the last always does."""
    if here.interrupted:
        return Next("A change was interrupted; it is completed first.", "convoy sync")
    if not here.followed:
        return Next("No release is open. Wait for a release.")
    if here.errands:
        return Next(f"{counted(here.errands, 'file')} to bring by hand.", "convoy errands")
    if not here.release:
        return Next("Nothing is installed yet.", "convoy sync")
    if here.doubt:
        return Next(here.doubt)
    if here.release != here.followed:
        return Next(f"Release {here.followed} is there.", "convoy sync")
    if here.is_other:
        return Next(
            f"The pack's release {here.followed} is another than the one that is installed here.", "convoy sync"
        )
    if here.moves:
        return Next(f"{counted(here.moves, 'file')} to be put right.", "convoy sync")
    kinds = set(here.deviations.values())
    if kinds == {Deviation.EXTRA}:
        told = f"{counted(len(here.deviations), 'file')} of yours in the pack's folders, which others do not have."
        return Next(told, "convoy sync --extras-aside")
    if Deviation.SETTING in kinds:
        path = min(path for path, what in here.deviations.items() if what is Deviation.SETTING)
        return Next(f"{path} cannot be read as settings, so nothing sets it right. Mend or move it by hand, then sync.")
    if here.deviations:
        return Next(f"{counted(len(here.deviations), 'file')} not as the release has them.", "convoy mend")
    if here.steps_left:
        return Next(f"{counted(len(here.steps_left), 'step')} that only you can do.", "convoy steps")
    if here.bad_backups:
        return Next(f"{counted(here.bad_backups, 'backup')} damaged.", "convoy backup")
    if here.release != here.newest:
        if not here.newest:
            return Next(f"No release is open any more; {here.release} stays as it is. Wait for a release.")
        return Next(f"You stay at {here.release} by your choice; the newest is {here.newest}.")
    return Next("In step. Nothing is left to do.")


def what_a_sync_does(release: str, target: str, is_earlier: bool, differs: bool, has_changes: bool) -> str:
    """What a sync would do, as its button says it. `is_earlier`: the target is an older release than the installed one;
    `has_changes`: files would move, or mods come and go, although the release is the same.
    """
    if not release:
        return f"Install release {target}"
    if release != target:
        return f"Go back to {target}" if is_earlier else f"Sync to {target}"
    if differs:
        return "Put it right"
    return "Apply my choices" if has_changes else "Check and sync again"
