"""Settings as the pack has them again, key by key, because their member asked. What they said before is in a backup."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from convoy_core.lock.lock import Lock
from convoy_core.settings.formats import Key, open_settings
from convoy_core.settings.formats.base import same
from convoy_core.words.errors import MalformedInput

from .backing_up import lock_here
from .folder.backups import Backups
from .folder.folder import Folder
from .folder.journal import recover
from .folder.settings_files import bytes_at
from .rest import Calm
from .storage.files import inside, write_at_once
from .sync import utc_now
from .visit import Now

Place = tuple[str, Key]
Plain = bool | int | float | str


def set_back(root: Path, places: Sequence[Place], now: Now = utc_now) -> int:
    """Sets keys to what the installed release rendered; gives how many said something else. Settings are backed up
    first, and nothing is written where one of the files cannot be read.

    Raises MalformedInput for a file that the pack rendered no settings in, UnreadableSettings, NothingInstalled.
    """
    return _set(root, places, {}, "Before settings were set back", now)


def set_own(root: Path, values: Mapping[Place, Plain], now: Now = utc_now) -> int:
    """Sets keys to what their member takes on, otherwise than the pack has them. Only in files that the pack rendered
    settings in, and only keys that stand there; as `set_back` else.
    """
    return _set(root, list(values), values, "Before settings were set otherwise", now)


def _set(root: Path, places: Sequence[Place], own: Mapping[Place, Plain], why: str, now: Now) -> int:
    folder = Folder(root)
    with folder.held():
        recover(folder)
        Calm(folder).forget()
        lock = lock_here(folder)
        files = {path: _file(folder, lock, path, places, own) for path, _ in places}
        changed = {path: data for path, (data, _) in files.items()}
        if any(many for _, many in files.values()):
            Backups(folder).make(lock.terms, now(), why, folder.record().release, False)
        for path, data in changed.items():
            write_at_once(inside(folder.root, path), data, among_others=True)
        return sum(many for _, many in files.values())


def _file(
    folder: Folder, lock: Lock, path: str, places: Sequence[Place], own: Mapping[Place, Plain]
) -> tuple[bytes, int]:
    """A file as it would lie there, and how many of the keys it changes."""
    placed = folder.record().files.get(path)
    kept = folder.settings / placed[0] if placed else None
    if kept is None or not lock.terms.is_settings(path) or not kept.is_file():
        raise MalformedInput(f"The pack has no settings of its own in {path[:120]}.", now="Look at the folder again.")
    document = open_settings(path, bytes_at(folder.root, path))
    wanted = dict(open_settings(path, kept.read_bytes()).values)
    there = document.values
    keys = [key for where, key in places if where == path]
    for key in keys:
        if (path, key) in own:
            if key not in there and key not in wanted:
                raise MalformedInput(f"{'.'.join(key)[:120]} is no setting in {path[:120]}.", now="Look at its name.")
            wanted[key] = own[path, key]
    sets = {key: wanted[key] for key in keys if key in wanted and not (key in there and same(there[key], wanted[key]))}
    removes = [key for key in keys if key not in wanted and key in there]
    return document.changed(sets, removes), len(sets) + len(removes)
