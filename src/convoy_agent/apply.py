"""Carries a staged plan out: journalled, renamed. A stop at any moment ends in the old state or goes on to the new.

Order: 1. everything is staged (`staging`); 2. the journal is written; 3. the moves are done, each of which can be done
twice without harm; 4. the record is written, and the sync put down in the history; 5. the journal goes. Up to 2 nothing
in the folder has changed; from 2 on, the next start completes it (`sync.recover`).
"""

from __future__ import annotations

import json
import os
import shutil
from collections import Counter
from collections.abc import Callable, Collection, Mapping
from pathlib import Path
from typing import Any

from convoy_core.lock import Lock
from convoy_core.plan import BESIDE, Act, Plan

from .errors import FolderRefused
from .files import (
    copy_beside,
    inside,
    move,
    remove_empty_folders,
    sha256_of,
    to_disk,
    trouble_told,
    unlinked,
    write_at_once,
)
from .folder import Folder, Record, Sight
from .progress import Told, Untold
from .staging import Staged

Step = Callable[[str], None]
"""Called with a name before each step that changes something. Tests stop there; others pass `no_step`."""

UNSEEN: Sight = (-1, -1, -1)
"""A sight that no file has: it is hashed at the next scan."""

BACK = "back"
"""A journal's own act, for undoing: a file that was moved aside returns to its place."""


def no_step(name: str) -> None:
    return


def write_journal(
    folder: Folder,
    plan: Plan,
    staged: Staged,
    release: str,
    record: Record,
    stamp: str,
    back: Mapping[str, str] | None = None,
    backup: str = "",
) -> None:
    """From here on, the change will be completed. Everything staged is on the disk before the journal is.

    `back`: path to where it was moved aside, relative to the agent's folder; `backup`: the one that was made for this.
    """
    to_disk()
    placed = record.hashes()
    moves = []
    for one in plan.moves:
        was = staged.found.get(one.path) or placed.get(one.path, "")
        moves.append([one.act, one.path, staged.content.get(one.path, ""), was])
        beside = f"{one.path}{BESIDE}"
        if beside in staged.content:
            moves.append([Act.PLACE, beside, staged.content[beside], ""])
    for path, place in (back or {}).items():
        moves.append([BACK, path, place, staged.content.get(path) or placed.get(path, "")])
    journal = {
        "id": stamp,
        "from": record.release,
        "release": release,
        "aside": f"aside/{stamp}",
        "moves": moves,
        "rendered": staged.rendered,
        "notes": staged.notes,
        "backup": backup,
        "undoes": bool(back is not None),
    }
    write_at_once(folder.journal, json.dumps(journal).encode())


def carry_out(folder: Folder, share: Lock, step: Step = no_step, told: Told = Untold()) -> tuple[str, ...]:
    """Does what the journal says, from wherever it stopped, and ends it. Gives the paths that were moved aside."""
    journal = json.loads(folder.journal.read_bytes())
    before = folder.record()
    aside = folder.own / journal["aside"]
    uses = Counter(sha256 for act, _, sha256, _ in journal["moves"] if act != BACK)
    verified: set[str] = set()
    with trouble_told(folder.root):
        for act, path, sha256, was in journal["moves"]:
            step(f"{act} {path}")
            if act == Act.ASIDE:
                _set_aside(unlinked(folder.root, path), aside / path)
            elif act == Act.REMOVE:
                _remove(folder, path, was, aside)
            elif act == BACK:
                returned(folder, path, folder.own / sha256, was)
            elif act == Act.MERGE:
                _swap(folder, path, sha256, was, last_use=uses[sha256] == 1)
            elif _place(folder, path, sha256, was, aside, last_use=uses[sha256] == 1):
                verified.add(path)
            uses[sha256] -= 1
            told.file(path, 0, 0)
        step("record")
        folder.write_record(_new_record(folder, share, journal, before, verified))
        step("release")
        if (folder.own / "release.next.json").exists():
            (folder.own / "release.next.json").replace(folder.own / "release.json")
        step("history")
        moved = _moved(folder, aside)
        folder.put_down(_entry(journal, moved))
        step("end of journal")
        to_disk()
        folder.journal.unlink()
        shutil.rmtree(folder.staging, ignore_errors=True)
        folder.sweep_settings()
    return moved


def _moved(folder: Folder, aside: Path) -> tuple[str, ...]:
    """What this change moved aside, whichever of its runs did it."""
    files = (path for path in aside.rglob("*") if path.is_symlink() or not path.is_dir())
    return tuple(sorted(path.relative_to(aside).as_posix() for path in files))


def _entry(journal: Mapping[str, Any], moved: Collection[str]) -> dict[str, Any]:
    acts = Counter(act for act, _, _, _ in journal["moves"])
    told = ("id", "from", "release", "aside", "notes", "backup", "undoes")
    return {
        **{name: journal[name] for name in told},
        "moved": list(moved),
        "back": [path for act, path, _, _ in journal["moves"] if act == BACK],
        "counts": {act.value: acts[act] for act in Act if acts[act]},
    }


def _remove(folder: Folder, path: str, was: str, aside: Path) -> None:
    """Takes a file of the pack away when it is as the pack placed it; otherwise it is moved aside."""
    place = inside(folder.root, path)
    if place.is_file() and sha256_of(place) == was:
        place.unlink()
        remove_empty_folders(folder.root, path)
    elif os.path.lexists(place):
        _set_aside(place, aside / path)


def _place(folder: Folder, path: str, sha256: str, was: str, aside: Path, last_use: bool) -> bool:
    """Swaps a staged file in; says whether the right content lies there now. Done a second time it leaves its work.

    A staged file that is gone was placed by a run that stopped later on. Whatever lies there since is the
    member's doing: it stays, and the next scan finds it out.
    """
    place, staged = inside(folder.root, path), folder.staging / sha256
    if place.is_file() and sha256_of(place) == sha256:
        return True
    if not staged.exists():
        return False
    if os.path.lexists(place) and not (place.is_file() and sha256_of(place) == was):
        # Somebody put a file here since the scan: theirs is kept, beside one that was set aside before it.
        _set_aside(place, _free_name(aside / path))
    _move_in(folder, staged, place, last_use)
    return True


def _swap(folder: Folder, path: str, sha256: str, was: str, last_use: bool) -> None:
    """Puts a merged file in the place of the one it was merged from; one that changed since is left as it is."""
    place, staged = inside(folder.root, path), folder.staging / sha256
    if staged.exists() and place.is_file() and sha256_of(place) == was:
        _move_in(folder, staged, place, last_use)


def _move_in(folder: Folder, staged: Path, place: Path, last_use: bool) -> None:
    if last_use:
        move(staged, place)
        return
    # Copied, not linked: linked, a game that changes one of two equal files would change the other.
    copy = folder.staging / "copy"
    copy_beside(staged, copy)
    move(copy, place)


def returned(folder: Folder, path: str, kept: Path, placed: str = "") -> bool:
    """Returns a file that was moved aside, where nothing lies, or only the pack's untouched file; says whether.

    `placed`: the sha256 of the pack's file, when it may give way.
    """
    place = inside(folder.root, path)
    if not os.path.lexists(kept):
        return False
    if os.path.lexists(place) and not (placed and place.is_file() and sha256_of(place) == placed):
        return False
    move(kept, place)
    return True


def _free_name(path: Path) -> Path:
    number = 2
    free = path
    while os.path.lexists(free):
        free = path.with_name(f"{path.name}.{number}")
        number += 1
    return free


def _set_aside(place: Path, to: Path) -> None:
    if os.path.lexists(to) or not os.path.lexists(place):
        return
    move(place, to)


def _new_record(
    folder: Folder, share: Lock, journal: Mapping[str, Any], before: Record, verified: Collection[str]
) -> Record:
    """The pack's files with a sight of each, so that the next scan need not hash what looks the same.

    Only what was verified just now gets a sight. A file that was altered or vanished since the scan (a change may be
    completed days after it began) keeps the pack's hash and no sight, so that the next scan finds it out.
    """
    files: dict[str, tuple[str, Sight]] = {}
    renderings: dict[str, str] = {}
    for file in share.files:
        sha256 = file.sha256
        if share.terms.is_settings(file.path):
            sha256, renderings[file.path] = journal["rendered"].get(file.path) or (
                before.files.get(file.path, (file.sha256, UNSEEN))[0],
                before.renderings.get(file.path, file.sha256),
            )
        files[file.path] = (sha256, _sight(folder, file.path, sha256, before, verified))
        if file.path in renderings and files[file.path][1] != UNSEEN:
            _keep_rendered(folder, file.path, sha256)
    return Record(journal["release"], files, renderings)


def _sight(folder: Folder, path: str, sha256: str, before: Record, verified: Collection[str]) -> Sight:
    place = folder.root / path
    try:
        info = place.lstat()
    except OSError:
        return UNSEEN
    sight = (info.st_size, info.st_mtime_ns, info.st_ctime_ns)
    is_known = path in verified or before.files.get(path) == (sha256, sight)
    is_right = is_known or (place.is_file() and not place.is_symlink() and sha256_of(place) == sha256)
    return sight if is_right else UNSEEN


def _keep_rendered(folder: Folder, path: str, sha256: str) -> None:
    """Settings that were there already, as the release has them: a later merge starts from them."""
    kept = folder.settings / sha256
    if not kept.exists():
        folder.settings.mkdir(exist_ok=True)
        data = inside(folder.root, path).read_bytes()
        write_at_once(kept, data)


def journal_release(folder: Folder) -> str:
    """The release that a change under way leads to; empty when there is none. Raises FolderRefused."""
    try:
        journal: Mapping[str, Any] = json.loads(folder.journal.read_bytes())
        return str(journal["release"])
    except FileNotFoundError:
        return ""
    except (ValueError, KeyError, TypeError) as error:
        raise FolderRefused(
            f"{folder.journal} cannot be read.",
            "A change was under way, and somebody altered its journal.",
            "Remove the journal, then sync: every file is looked at anew.",
        ) from error
