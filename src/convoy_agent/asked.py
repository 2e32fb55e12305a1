"""What a member asks of an installation beside syncing: a way back, backups, steps by hand."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from convoy_core.errors import MalformedInput
from convoy_core.history import to_take_back
from convoy_core.lock import Lock

from . import steps
from .apply import Step, no_step, returned
from .backups import Backups
from .calm import Calm
from .errors import BackupRefused
from .fetch import Limits
from .files import sha256_of
from .folder import Folder, share_of
from .looking import Now
from .site import Site
from .store import Store
from .sync import Synced, Wish, nothing_installed, recover, sync, utc_now


def undo(root: Path, store: Store, now: Now = utc_now, step: Step = no_step, limits: Limits = Limits()) -> Synced:
    """Takes the last sync back: the release before it, and what it moved aside returns. Raises BackupRefused."""
    folder = Folder(root)
    folder.pairing()
    entry = to_take_back(folder.history())
    if entry is None:
        raise BackupRefused(
            "There is nothing to take back.",
            "Before the first sync the folder held nothing of the pack.",
            "“convoy leave” takes the pack's files away.",
        )
    back = {path: f"{entry['aside']}/{path}" for path in entry["moved"]}
    return sync(root, store, wish=Wish(to=entry["from"], back=back), now=now, step=step, limits=limits)


def put_back(root: Path, entry_id: str) -> tuple[str, ...]:
    """Returns what a sync moved aside to its place, where that is free: extras that were off for the time of play.

    Gives the paths. May be repeated. Raises BackupRefused for a sync that there was not.
    """
    folder = Folder(root)
    with folder.held():
        entry = next((one for one in folder.history() if one["id"] == entry_id), None)
        if entry is None:
            raise BackupRefused("There was no such sync.", now="Choose one of those in the history.")
        return tuple(path for path in entry["moved"] if returned(folder, path, folder.own / entry["aside"] / path))


def back_up(root: Path, now: Now = utc_now) -> str:
    """Backs worlds and settings up because somebody asked. Raises BackupRefused when there are none."""
    folder = Folder(root)
    with folder.held():
        Calm(folder).forget()
        terms = _terms_here(folder)
        at = now()
        made = Backups(folder).make(
            terms.terms, at.strftime("%Y-%m-%d-%H%M%S-%f"), at.isoformat(timespec="seconds"), "Asked for",
            folder.record().release, True,
        )  # fmt: skip
    if made is None:
        raise BackupRefused("There is nothing to back up yet.", "No world and no settings lie here.")
    return made.id


def restore(root: Path, backup: str, now: Now = utc_now, step: Step = no_step) -> str:
    """Goes back to a backup; gives the name of the one that was made of how things were."""
    folder = Folder(root)
    with folder.held():
        recover(folder, folder.pairing(), step)
        Calm(folder).forget()
        at = now()
        stamp, made_at = at.strftime("%Y-%m-%d-%H%M%S-%f"), at.isoformat(timespec="seconds")
        return Backups(folder).restore(backup, _terms_here(folder).terms, stamp, made_at, step).id


def drop_backup(root: Path, backup: str) -> None:
    folder = Folder(root)
    with folder.held():
        Calm(folder).forget()
        Backups(folder).drop(backup)


def tick(root: Path, step: str, done: bool) -> None:
    """The member says that a step by hand is done, or is not. Raises MalformedInput for a step that neither the
    installed release nor the one looked at last has.
    """
    folder = Folder(root)
    with folder.held():
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
        looked_at = _locks_here(folder)
        return steps.all_steps(folder, looked_at[-1]) if looked_at else nothing_installed()


def name_of(root: Path, file: Path) -> str:
    """Which build a file is, as far as the site knows; empty when it does not."""
    with Site(Folder(root).pairing()) as site:
        return site.known(sha256_of(file))


def _locks_here(folder: Folder) -> list[Lock]:
    """Of the installed release, and of the one that was looked at last."""
    pairing = folder.pairing()
    kept = [folder.kept_release(name) for name in ("release.json", "release.next.json")]
    return [share_of(folder.trusted(signed, pairing), pairing) for signed in kept if signed]


def _terms_here(folder: Folder) -> Lock:
    """The installed release's lock. Raises NothingInstalled."""
    signed = folder.kept_release() or nothing_installed()
    pairing = folder.pairing()
    return share_of(folder.trusted(signed, pairing), pairing)
