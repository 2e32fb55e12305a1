"""The way back: the last sync undone, and what was moved aside returned."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from convoy_core.sync.undoing import to_take_back
from convoy_core.trust.statement import Named

from .change import Wish
from .errors import BackupRefused
from .fetching.limits import Limits
from .folder.beside import read_laid
from .folder.folder import Folder
from .folder.history import lying_in
from .folder.journal import Step, no_step, recover, returned
from .storage.files import unless_hopeless
from .storage.store import Store
from .sync import Synced, sync, utc_now
from .visit import Now


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
    beside = read_laid(entry.get("from_beside", ()))
    wish = Wish(to=Named(entry["from"], entry.get("from_sha256", "")), back=back, beside=beside)
    return sync(root, store, wish=wish, now=now, step=step, limits=limits)


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
