"""`convoy mend`: looks at everything that the agent keeps, says what is wrong, and puts it right without losing
anything.

What can be made anew is (the record, releases, copies in backups, archives). What cannot is moved into
`.convoy/damaged`, never deleted, and what follows from its loss is said.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted

from .folder.backups import Backups
from .folder.before import Before
from .folder.folder import Folder
from .folder.journal import Step, no_step, recover
from .hearing import heard
from .rest import Calm
from .site.connecting import connect
from .storage import sealed
from .storage.files import UNFINISHED, walk
from .storage.store import Store
from .sync import bad_backups, utc_now
from .taking_back import lying_aside
from .visit import Now, Visit

SPARE = ("head", "left-out", "count", "calm", "allowed")
"""Files that the next sync writes anew: a spoilt one is merely put away."""


@dataclass(frozen=True)
class Mended:
    """What was found and put right, and what is left for a person, both in sentences."""

    mended: tuple[str, ...]
    left: tuple[str, ...]
    aside: int
    """Files that lie aside, all told."""


def mend(root: Path, store: Store, now: Now = utc_now, step: Step = no_step) -> Mended:
    """Raises FolderRefused, SomebodyElse, NotPaired, DiskFull; what was mended by then stays so."""
    folder = Folder(root)
    with folder.held():
        if recover(folder, step):
            folder.remarks.append("A change that had been interrupted was completed.")
        folder.record()
        _spare(folder)
        left = [*_releases(folder, store, now), *_before(folder)]
        _history(folder)
        _left_over(folder)
        backups = Backups(folder)
        backups.rehearse(now())
        left += bad_backups(backups)
        _store(folder, store)
        Calm(folder).forget()
        return Mended((*folder.remarks, *store.remarks), tuple(left), len(list(lying_aside(folder))))


def _spare(folder: Folder) -> None:
    for name in SPARE:
        place = folder.own / f"{name}.json"
        try:
            sealed.read(place)
        except FileNotFoundError:
            continue
        except sealed.Damaged:
            folder.put_away(place, f"{place.name} was damaged. It is written anew at the next sync.")


def _releases(folder: Folder, store: Store, now: Now) -> list[str]:
    for place in folder.releases.spoilt():
        folder.put_away(place, "A release that was kept here was damaged. It is fetched again when it is needed.")
    record = folder.record()
    if not record.release:
        return []
    pairing = folder.pairing()
    with suppress(ConvoyError):
        if folder.installed(pairing) is not None:
            return []
    try:
        with connect(pairing) as site:
            said = heard(folder, pairing, site, now, must_answer=True)
            Visit(folder, pairing, site, store, said.head, now).release(record.named)
        folder.remarks.append(f"Release {record.release} was lost here, and was fetched again.")
    except ConvoyError as error:
        return [
            f"Release {record.release}, which is installed, is lost here, and the site cannot be asked. {error.what}"
        ]
    return []


def _before(folder: Folder) -> list[str]:
    try:
        _ = Before(folder.own).files
    except sealed.Damaged:
        return [
            "Which files lay here before joining is lost. Until you sync, leaving removes nothing of the pack by "
            "itself; what the pack replaced lies in .convoy/before."
        ]
    return []


def _history(folder: Folder) -> None:
    """What is known of a damaged entry becomes the entry; the damaged file is put away."""
    history = folder.history()
    if earlier := history.carry_over():
        folder.put_away(earlier, "The history that an earlier agent wrote was carried over.")
    entries = history.all()
    for name in history.damaged:
        entry = next((one for one in entries if one["id"] == name), None)
        if entry is not None:
            told = f"{counted(len(entry['moved']), 'file')} that it moved aside can still be put back."
            folder.put_away(
                folder.own / "history" / f"{name}.json", f"An entry of the history was damaged ({name[:10]}). {told}"
            )
            history.put_down(entry)


def _left_over(folder: Folder) -> None:
    """Copies that a stop left unfinished. They are the agent's, and are put away all the same."""
    for path, entry in list(walk(folder.root)):
        if UNFINISHED.fullmatch(entry.name):
            folder.put_away(Path(entry.path), f"{path} was an unfinished copy, and was put away.")


def _store(folder: Folder, store: Store) -> None:
    brought = store.brought()
    for sha256 in store.damaged(mend=True):
        again = f"{brought[sha256]} has to be brought again" if sha256 in brought else "it is fetched again when needed"
        folder.remarks.append(f"An archive in the store was damaged and was thrown away: {again}.")
