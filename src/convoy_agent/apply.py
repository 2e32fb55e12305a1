"""Carries a plan out: staged, journalled, renamed. A stop at any moment ends in the old state or goes on to the new.

Order: 1. every file is unpacked into staging and verified; 2. the journal is written; 3. the moves are done, each of
which can be done twice without harm; 4. the record is written; 5. the journal goes. Up to 2 nothing in the folder has
changed; from 2 on, the next start completes it (`recover`).
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import stat
import zipfile
from collections import Counter
from collections.abc import Callable, Collection, Mapping
from pathlib import Path
from typing import Any

from convoy_core.lock import Lock, PlacedFile
from convoy_core.plan import Act, Plan

from .errors import ArchiveWrong
from .files import CHUNK, inside, remove_empty_folders, sha256_of, told_when_full, unlinked, write_at_once
from .folder import Folder, Record, Sight
from .store import Store

Step = Callable[[str], None]
"""Called with a name before each step that changes something. Tests stop there; others pass `no_step`."""


UNSEEN: Sight = (-1, -1, -1)
"""A sight that no file has: it is hashed at the next scan."""


def no_step(name: str) -> None:
    return


def stage(folder: Folder, plan: Plan, target: Lock, store: Store, told: Callable[[int, str], None]) -> None:
    """Unpacks what the plan places into staging, named by sha256, each file verified. Changes nothing else."""
    shutil.rmtree(folder.staging, ignore_errors=True)
    folder.staging.mkdir(parents=True)
    wanted: dict[str, list[PlacedFile]] = {}
    for move in plan.moves:
        if move.file:
            inside(folder.root, move.path)
            wanted.setdefault(move.file.mod, []).append(move.file)
    for mod, files in wanted.items():
        build = target.by_mod[mod]
        archive = store.path(build.archive.sha256)
        try:
            with told_when_full(folder.root), zipfile.ZipFile(archive) as packed:
                for file in files:
                    _unpack(packed, file, folder.staging / file.sha256)
                    told(file.size, build.name)
        except (zipfile.BadZipFile, ArchiveWrong, NotImplementedError, RuntimeError, EOFError) as error:
            # Right when it was fetched: either the store's copy was damaged since, or the release is wrong about it.
            damaged = sha256_of(archive) != build.archive.sha256
            if damaged:
                store.drop(build.archive.sha256)
            raise ArchiveWrong(
                f"The archive of {build.name} {build.version} cannot be unpacked.",
                "The copy in the store is damaged and was dropped." if damaged else str(error),
                "Sync again to fetch it anew." if damaged else "Nothing was changed. Tell your curator.",
                mod=mod,
            ) from error


def _unpack(packed: zipfile.ZipFile, file: PlacedFile, to: Path) -> None:
    """One member into staging; never more bytes than the release names, never through a link."""
    try:
        info = packed.getinfo(file.member)
    except KeyError as error:
        raise ArchiveWrong(f"It holds no {file.member}.") from error
    if stat.S_ISLNK(info.external_attr >> 16) or info.flag_bits & 1 or info.file_size != file.size:
        raise ArchiveWrong(f"{file.member} in it is a link, encrypted, or of another size.")
    digest = hashlib.sha256()
    size = 0
    with packed.open(info) as source, to.open("wb") as target:
        while block := source.read(CHUNK):
            size += len(block)
            if size > file.size:
                break
            digest.update(block)
            target.write(block)
    if size != file.size or digest.hexdigest() != file.sha256:
        to.unlink()
        raise ArchiveWrong(f"{file.member} in it is not the file that the release names.")


def write_journal(folder: Folder, plan: Plan, release: str, record: Record, stamp: str) -> None:
    """From here on, the change will be completed. Everything staged is on the disk before the journal is."""
    if hasattr(os, "sync"):
        os.sync()
    journal = {
        "release": release,
        "aside": f"aside/{stamp}",
        "moves": [[move.act, move.path, move.file.sha256 if move.file else ""] for move in plan.moves],
        "was": {move.path: record.files[move.path][0] for move in plan.moves if move.path in record.files},
    }
    write_at_once(folder.journal, json.dumps(journal).encode())


def carry_out(folder: Folder, share: Lock, step: Step = no_step) -> tuple[str, ...]:
    """Does what the journal says, from wherever it stopped, and ends it. Gives the paths that were moved aside."""
    journal = json.loads(folder.journal.read_bytes())
    before = folder.record()
    aside = folder.own / journal["aside"]
    uses = Counter(sha256 for _, _, sha256 in journal["moves"])
    moved: list[str] = []
    verified: set[str] = set()
    with told_when_full(folder.root):
        for act, path, sha256 in journal["moves"]:
            step(f"{act} {path}")
            was = journal["was"].get(path, "")
            if act == Act.ASIDE:
                _set_aside(unlinked(folder.root, path), aside / path)
                moved.append(path)
            elif act == Act.REMOVE:
                _remove(folder, path, was, aside)
            elif _place(folder, path, sha256, was, aside, last_use=uses[sha256] == 1):
                verified.add(path)
            uses[sha256] -= 1
        step("record")
        folder.write_record(_new_record(folder, share, journal["release"], before, verified))
        step("release")
        if (folder.own / "release.next.json").exists():
            (folder.own / "release.next.json").replace(folder.own / "release.json")
        step("end of journal")
        folder.journal.unlink()
        shutil.rmtree(folder.staging, ignore_errors=True)
    return tuple(moved)


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
    place.parent.mkdir(parents=True, exist_ok=True)
    if last_use:
        staged.replace(place)
        return True
    # Copied, not linked: linked, a game that changes one of two equal files would change the other.
    beside = place.with_name(place.name + ".convoy-new")
    shutil.copyfile(staged, beside)
    beside.replace(place)
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
    to.parent.mkdir(parents=True, exist_ok=True)
    place.rename(to)


def _new_record(folder: Folder, share: Lock, release: str, before: Record, verified: Collection[str]) -> Record:
    """The pack's files with a sight of each, so that the next scan need not hash what looks the same.

    Only what was verified just now gets a sight. A file that was altered or vanished since the scan (a change may be
    completed days after it began) keeps the pack's hash and no sight, so that the next scan finds it out.
    """
    files: dict[str, tuple[str, Sight]] = {}
    for file in share.files:
        place = folder.root / file.path
        try:
            info = place.lstat()
        except OSError:
            files[file.path] = (file.sha256, UNSEEN)
            continue
        seen = (file.sha256, (info.st_size, info.st_mtime_ns, info.st_ctime_ns))
        is_known = file.path in verified or before.files.get(file.path) == seen
        is_right = is_known or (place.is_file() and sha256_of(place) == file.sha256)
        files[file.path] = seen if is_right else (file.sha256, UNSEEN)
    return Record(release, files)


def journal_release(folder: Folder) -> str:
    """The release that a change under way leads to; empty when there is none."""
    try:
        journal: Mapping[str, Any] = json.loads(folder.journal.read_bytes())
    except FileNotFoundError:
        return ""
    return str(journal["release"])
