"""What a member asks of an installation beside syncing: a way back, backups, steps by hand."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.lock.terms import Terms
from convoy_core.sync.next_step import Here, Next, next_step
from convoy_core.sync.undoing import to_take_back
from convoy_core.words.errors import MalformedInput

from .change import Wish
from .errors import BackupRefused, NotPaired
from .fetching.fetch import Limits
from .folder import steps
from .folder.backups import Backup, Backups, Rehearsal
from .folder.folder import Folder, share_of
from .folder.history import lying_in
from .folder.journal import Step, no_step, recover, returned
from .leave import kept_backups
from .rest import Calm
from .site.site import Site, page_of
from .storage.files import sha256_of, unless_hopeless
from .storage.store import Store
from .sync import Synced, nothing_installed, status, sync, utc_now
from .visit import Now, Visit


def undo(root: Path, store: Store, now: Now = utc_now, step: Step = no_step, limits: Limits = Limits()) -> Synced:
    """Takes the last sync back: the release before it, and what it moved aside returns. Needs no site where the release
    and its archives are still here. Raises BackupRefused.
    """
    folder = Folder(root)
    with folder.held():
        recover(folder, step)
        entry = to_take_back(folder.entries())
    if entry is None:
        raise BackupRefused(
            "There is nothing to take back.",
            "Before the first sync the folder held nothing of the pack.",
            "“convoy leave” takes the pack's files away.",
        )
    back = {path: f"{entry['aside']}/{path}" for path in entry["moved"]}
    return sync(root, store, wish=Wish(to=entry["from"], back=back), now=now, step=step, limits=limits)


@dataclass(frozen=True)
class Aside:
    """A file that was moved aside. `id`: the sync (or restoring) that did it; `place`: below the agent's folder."""

    id: str
    path: str
    place: str


def lying_aside(folder: Folder) -> Iterator[Aside]:
    """Everything that was moved aside and still is, the earliest first. The caller holds the folder."""
    place = folder.own / "aside"
    for moment in sorted(place.iterdir()) if place.exists() else ():
        for path in lying_in(moment):
            yield Aside(moment.name, path, f"aside/{moment.name}/{path}")


def aside_here(root: Path) -> list[Aside]:
    folder = Folder(root)
    with folder.held():
        recover(folder)
        return list(lying_aside(folder))


def put_back(root: Path, what: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Returns what was moved aside to its place, where that is free: extras that were off for the time of play.

    `what`: a sync's id, or a path (or folder) as it was called. Gives the paths that are back, and those that stay
    aside as something lies in their places. May be repeated. Raises BackupRefused where nothing of the kind lies aside.
    """
    folder = Folder(root)
    with folder.held():
        recover(folder)
        known = {str(one["id"]) for one in folder.entries()}
        # Of one path that was moved aside twice, the newest is what its person last had.
        meant = [
            one
            for one in reversed(list(lying_aside(folder)))
            if one.id == what or one.path == what or one.path.startswith(f"{what.rstrip('/')}/")
        ]
        if not meant and what not in known:
            raise BackupRefused(
                f"Nothing called “{what[:120]}” lies aside.", now="“convoy put-back” alone lists what does."
            )
        back: list[str] = []
        stays: list[str] = []
        for one in meant:
            done = False
            with unless_hopeless(lambda why: None):
                done = returned(folder, one.path, one.place)
            (back if done else stays).append(one.path)
    return tuple(sorted(back)), tuple(sorted(set(stays) - set(back)))


def back_up(root: Path, now: Now = utc_now) -> Backup:
    """Backs worlds and settings up because somebody asked. Raises BackupRefused when there are none."""
    folder = Folder(root)
    with folder.held():
        recover(folder)
        Calm(folder).forget()
        terms = _terms_here(folder).terms
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
        kept = [one for _, backups in kept_backups(root) for one in backups.all()]
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
            return Backups(folder).restore(backup, _terms_here(folder).terms, now(), step)
    except NotPaired:
        kept = _kept(root, backup)
        if kept is None:
            raise
        kept.complete()
        return kept.restore(backup, Terms(), now(), step)


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
    places = [backups for _, backups in kept_backups(root)]
    return next((one for one in places if any(each.id == backup for each in one.all())), next(iter(places), None))


def drop_backup(root: Path, backup: str) -> None:
    folder = Folder(root)
    with folder.held():
        recover(folder)
        Calm(folder).forget()
        Backups(folder).drop(backup)


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


@dataclass(frozen=True)
class Stands:
    """How a folder stands by what is known in it."""

    pack: str
    side: str
    here: Here
    next: Next
    remarks: tuple[str, ...]


def here(root: Path, store: Store, now: Now = utc_now) -> Stands:
    """Looks at a folder without asking its site, and changes nothing: an interrupted change is only told of."""
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        interrupted = folder.journal.exists() or (folder.own / "restore.json").exists()
        site.away = True
        head, record = folder.kept_head(), folder.record()
        if head is None and record.release and not interrupted:
            lost = Next("What the site said last is lost here, so that nothing can be said of it.", "convoy status")
            return Stands(pairing.pack, pairing.side, Here(record.release), lost, tuple(folder.remarks))
        if interrupted or head is None or not folder.kept_release(head.number):
            wanted = head.number if head else record.release or "?"
            stands = Here(record.release, wanted, head.newest if head else wanted, interrupted=interrupted)
            return Stands(pairing.pack, pairing.side, stands, next_step(stands), tuple(folder.remarks))
        visit = Visit(folder, pairing, site, store, head, now)
        told = visit.report(visit.release(head.number))
        about = told.about["steps"]
        left = [str(one["text"]) for one in about if not one["done"]] if isinstance(about, list) else []
        stands = Here(
            told.release, head.number, head.newest, told.look.deviations, len({one.path for one in told.plan.moves}),
            len(told.plan.errands), left, len(Backups(folder).rehearsal().bad),
        )  # fmt: skip
        return Stands(pairing.pack, pairing.side, stands, next_step(stands), tuple(folder.remarks))


def has_kept_backups(root: Path) -> bool:
    return any(backups.all() for _, backups in kept_backups(root))


def name_of(root: Path, file: Path) -> str:
    """Which build a file is, as far as the site knows; empty when it does not."""
    with Site(Folder(root).pairing()) as site:
        return site.known(sha256_of(file))


def _locks_here(folder: Folder) -> list[Lock]:
    """Of the installed release, and of the one that is followed, as far as they are here."""
    pairing, head = folder.pairing(), folder.kept_head()
    numbers = [folder.record().release, head.number if head else ""]
    kept = [folder.kept_release(number) for number in dict.fromkeys(numbers) if number]
    return [share_of(folder.trusted(signed, pairing), pairing) for signed in kept if signed]


def _terms_here(folder: Folder) -> Lock:
    """The installed release's lock. Raises NothingInstalled."""
    return folder.installed(folder.pairing()) or nothing_installed()
