"""What only a member can do for an installation: files to bring, and steps."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.lock.beside import beside
from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Side

from .beside import Taking
from .folder import steps
from .folder.folder import Folder
from .folder.journal import recover
from .hearing import nothing_installed
from .rest import Calm
from .site.connecting import connect
from .site.head import Head
from .site.site import page_of
from .storage.files import sha256_of
from .storage.store import Store
from .sync import status, utc_now


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
    pairing, record = folder.pairing(), folder.record()
    head = folder.kept_head() or Head(record.release, record.release, {}, sha256=record.sha256)
    with connect(pairing) as site:
        site.away = True
        taking = Taking(folder, pairing, site, head, utc_now)
        found = []
        for named, owns in ((record.named, taking.recorded(record)), (head.named, taking.wanted)):
            if named.number and (signed := folder.releases.kept(named)):
                recipe = folder.releases.trusted(signed, pairing)
                side = Side(pairing.side)
                found.append(beside(recipe.lock, recipe.lock.share(side), side, owns, head.left_out).lock)
        return found
