"""Backups as a member asks for them; in a folder that was left, those that were kept."""

from __future__ import annotations

from pathlib import Path

from convoy_core.lock.lock import Lock
from convoy_core.lock.terms import Terms

from .errors import BackupRefused, NotPaired
from .folder.backup import Backup, Rehearsal
from .folder.backups import Backups
from .folder.folder import Folder
from .folder.journal import Step, no_step, recover
from .folder.restoring import Restoring
from .hearing import nothing_installed
from .leave import kept_backups
from .rest import Calm
from .sync import utc_now
from .visit import Now


def back_up(root: Path, now: Now = utc_now) -> Backup:
    """Backs worlds and settings up because somebody asked. Raises BackupRefused when there are none."""
    folder = Folder(root)
    with folder.held():
        recover(folder)
        Calm(folder).forget()
        terms = lock_here(folder).terms
        made = Backups(folder).make(terms, now(), "Asked for", folder.record().release, True)
    if made is None:
        raise BackupRefused("There is nothing to back up yet.", "No world and no settings lie here.")
    return made


def backups_of(root: Path) -> tuple[list[Backup], Rehearsal]:
    """The backups of an installation, or of a folder that was left, newest first, and what reading them came to."""
    folder = Folder(root)
    try:
        with folder.held():
            recover(folder)
            backups = Backups(folder)
            found = backups.all()
            known = backups.rehearsal()
            damaged = dict.fromkeys(backups.damaged, "Its list is damaged. What it holds is kept.")
            return found, Rehearsal(known.at, {**known.bad, **damaged})
    except NotPaired:
        kept = [one for backups in kept_backups(root) for one in backups.all()]
        if not kept:
            raise
        return kept, Rehearsal()


def rehearse(root: Path, now: Now = utc_now) -> Rehearsal:
    """Reads every backup as restoring would."""
    folder = Folder(root)
    with folder.held():
        recover(folder)
        return Backups(folder).rehearse(now())


def restore(root: Path, backup: str, now: Now = utc_now, step: Step = no_step) -> Backup:
    """Goes back to a backup; gives the one that was made of how things were. In a folder that was left, to one of those
    that were kept.
    """
    folder = Folder(root)
    try:
        with folder.held():
            recover(folder, step)
            Calm(folder).forget()
            return Restoring(Backups(folder)).restore(backup, lock_here(folder).terms, now(), step)
    except NotPaired:
        kept = _kept(root, backup)
        if kept is None:
            raise
        Restoring(kept).complete()
        return Restoring(kept).restore(backup, Terms(), now(), step)


def extract(root: Path, backup: str, into: Path) -> tuple[int, list[str]]:
    """Writes a backup's files into a folder of its own; gives how many, and those that are damaged."""
    folder = Folder(root)
    try:
        with folder.held():
            return Backups(folder).extract(backup, into)
    except NotPaired:
        kept = _kept(root, backup)
        if kept is None:
            raise
        return kept.extract(backup, into)


def _kept(root: Path, backup: str) -> Backups | None:
    """Which of the kept ones a backup is among; the newest that there are, when it is among none; None without any."""
    places = kept_backups(root)
    return next((one for one in places if any(each.id == backup for each in one.all())), next(iter(places), None))


def drop_backup(root: Path, backup: str) -> None:
    folder = Folder(root)
    with folder.held():
        recover(folder)
        Calm(folder).forget()
        Backups(folder).drop(backup)


def has_kept_backups(root: Path) -> bool:
    return any(backups.all() for backups in kept_backups(root))


def lock_here(folder: Folder) -> Lock:
    """The installed release's lock. Raises NothingInstalled."""
    return folder.installed(folder.pairing()) or nothing_installed()
