"""What only a member can do for an installation: files to bring, and steps."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.words.errors import MalformedInput

from .folder import steps
from .folder.folder import Folder
from .folder.journal import recover
from .folder.releases import share_of
from .rest import Calm
from .site.connecting import connect
from .site.site import page_of
from .storage.files import sha256_of
from .storage.store import Store
from .sync import nothing_installed, status


def tick(root: Path, step: str, done: bool) -> None:
    """The member says that a step by hand is done, or is not. Raises MalformedInput for a step that neither the
    installed release nor the one looked at last has.
    """
    folder = Folder(root)
    with folder.held():
        recover(folder)
        if step not in {one.id for lock in _locks_here(folder) for one in lock.terms.steps}:
            raise MalformedInput(
                f"There is no step “{step[:80]}”.", now="Look at what the pack asks for.", field="step"
            )
        Calm(folder).forget()
        steps.tick(folder, step, done)


def steps_of(root: Path) -> list[dict[str, Any]]:
    """The steps by hand of the release that was looked at last, each with whether it is done. Raises NothingInstalled
    where nobody has looked yet.
    """
    folder = Folder(root)
    with folder.held():
        recover(folder)
        looked_at = _locks_here(folder)
        return steps.all_steps(folder, looked_at[-1]) if looked_at else nothing_installed()


@dataclass(frozen=True)
class Errand:
    """A file that only its member can bring, and the page where it is."""

    build: LockedBuild
    page: str


def errands_of(root: Path, store: Store) -> list[Errand]:
    """What is still to be brought for the release that is followed."""
    plan = status(root, store).plan
    head = Folder(root).kept_head()
    sources = head.sources if head else {}
    return [Errand(build, page_of(build, sources)) for build in plan.errands] if plan else []


def name_of(root: Path, file: Path) -> str:
    """Which build a file is, as far as the site knows; empty when it does not."""
    with connect(Folder(root).pairing()) as site:
        return site.known(sha256_of(file))


def _locks_here(folder: Folder) -> list[Lock]:
    """Of the installed release, and of the one that is followed, as far as they are here."""
    pairing, head = folder.pairing(), folder.kept_head()
    record = folder.record()
    named = [record.named, head.named if head else record.named]
    kept = [folder.releases.kept(one) for one in dict.fromkeys(named) if one.number]
    return [share_of(folder.releases.trusted(signed, pairing), pairing) for signed in kept if signed]
