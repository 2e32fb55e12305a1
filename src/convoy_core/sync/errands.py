"""What a member has to do by hand for a build that no program may fetch. Source:

Source: docs/rules.md, "Words"; "The job" 9.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..lock.lock import LockedBuild
from ..words.model import Pickup

MINUTES = {Pickup.CLICK: 1, Pickup.BY_HAND: 3, Pickup.WITHHELD: 3}
"""What an errand takes, roughly: a page, a button, and the way back."""

_WHAT_TO_DO = {
    Pickup.CLICK: "Open the page and confirm the download of {file}. Nothing else is needed.",
    Pickup.BY_HAND: "Open the page, follow its own way to the download, and choose {version}: the file is {file}.",
    Pickup.WITHHELD: "This source gives nothing to programs. Open the page yourself and download {version}: {file}.",
}
_AFTERWARDS = "Leave it in your downloads, under whatever name; it is recognised."


def what_to_do(build: LockedBuild) -> str:
    """An errand's instructions: the same before, meanwhile and afterwards."""
    text = _WHAT_TO_DO[build.pickup].format(file=build.archive.name, version=f"{build.name} {build.version}")
    return f"{text} {_AFTERWARDS}"


def minutes(errands: Iterable[LockedBuild]) -> int:
    return sum(MINUTES[build.pickup] for build in errands)
