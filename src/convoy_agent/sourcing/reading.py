"""Reads a folder of archives: new and changed ones only, on all cores; hostile and unreadable ones are told by name."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence, Set
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from convoy_core.outside.inspection import refusals_of
from convoy_core.source.entries import ReadArchive
from convoy_core.source.facts import ModFacts, Trouble, read_mod_facts
from convoy_core.words.errors import ConvoyError
from convoy_core.words.profile import GameProfile
from convoy_io.archives import contents, hashes, marker_of, newest_date

from ..interruptible import SOON, ended
from ..storage.files import sha256_of, walk
from .ledger import FOLDER, Ledger

ENDING = ".zip"
LOG_ENDING = ".md"
"""`lamp-post-1.2.md` beside `lamp-post-1.2.zip` is that build's change log."""

MAX_LOG = 20_000
KEPT_EVERY = 500
"""Archives after which the ledger is written: what a stop costs at most."""


@dataclass
class ReadFolder:
    archives: list[ReadArchive] = field(default_factory=list)
    facts: list[ModFacts] = field(default_factory=list)
    troubles: list[Trouble] = field(default_factory=list)
    fresh: int = 0
    """Archives that had to be read; the others were known."""


def read_folder(
    folder: Path, profile: GameProfile, known: Set[str], besides: Sequence[Path], done: Callable[[int, int], None]
) -> ReadFolder:
    """Everything in a folder that makes a source. `known`: files that are read already. `besides`: places in it that
    are none of it (what is handed out). `done`: is told how many archives are read, of how many that have to be.
    """
    found = ReadFolder()
    ledger = Ledger(folder)
    files = {path: Path(entry.path) for path, entry in _plain_files(folder, besides)}
    _read_facts(found, {path: place for path, place in files.items() if path not in known})
    waiting = []
    for path, place in files.items():
        if place.suffix.lower() != ENDING:
            continue
        stat = place.stat()
        read_before = ledger.find(path, stat.st_size, stat.st_mtime_ns)
        if read_before:
            found.archives.append(read_before)
        else:
            waiting.append((path, place, stat.st_mtime_ns))
    try:
        for archive, trouble, changed in _read_all(waiting, profile):
            found.fresh += 1
            done(found.fresh, len(waiting))
            if archive is None:
                found.troubles.append(trouble)
                continue
            found.archives.append(archive)
            ledger.note(archive, changed)
            if found.fresh % KEPT_EVERY == 0:
                ledger.keep()
    finally:
        # Whatever stops it: what was read stays read.
        if waiting:
            ledger.keep(set(files))
    found.archives = [_with_log(one, files) for one in sorted(found.archives, key=lambda one: one.file)]
    return found


def _plain_files(folder: Path, besides: Sequence[Path]) -> Iterator[tuple[str, os.DirEntry[str]]]:
    apart = [str(place.resolve()) + os.sep for place in besides]
    root = folder.resolve()
    for path, entry in walk(folder):
        if path.split("/")[0] == FOLDER or any(str(root / path).startswith(one) for one in apart):
            continue
        if entry.is_file(follow_symlinks=False) and path.isprintable():
            yield path, entry


def _read_facts(found: ReadFolder, files: dict[str, Path]) -> None:
    for path, place in sorted(files.items()):
        if place.suffix != ".toml":
            continue
        try:
            text = place.read_text()
        except (OSError, UnicodeDecodeError) as error:
            found.troubles.append(Trouble(path, 0, f"It cannot be read: {error}"))
            continue
        facts, troubles = read_mod_facts(text, path)
        found.troubles += troubles
        if facts:
            found.facts.append(facts)
        elif not troubles:
            found.troubles.append(Trouble(path, 0, "It has no “id”, so it says nothing of any mod."))


Waiting = tuple[str, Path, int]


def _read_all(waiting: Sequence[Waiting], profile: GameProfile) -> Iterator[tuple[ReadArchive | None, Trouble, int]]:
    """In the order in which they are done. Hashing and unpacking let go of the interpreter, so threads do."""
    threads = os.cpu_count() or 1
    pool = ThreadPoolExecutor(threads)
    running: dict[Future[tuple[ReadArchive | None, Trouble]], int] = {}
    left = iter(waiting)
    try:
        while True:
            # A few more than threads: a list of 20,000 futures would keep every archive's table in memory.
            while len(running) < threads * 4 and (one := next(left, None)) is not None:
                running[pool.submit(_read_one, one[0], one[1], profile)] = one[2]
            if not running:
                return
            for future in wait(running, return_when=FIRST_COMPLETED).done:
                archive, trouble = future.result()
                yield archive, trouble, running.pop(future)
    finally:
        ended(pool, list(running), SOON)


def _read_one(path: str, place: Path, profile: GameProfile) -> tuple[ReadArchive | None, Trouble]:
    try:
        members = contents(place)
        refused = refusals_of(members)
        if refused:
            return None, Trouble(path, 0, f"Refused: {refused[0].path or 'the whole'}: {refused[0].why}")
        found = ReadArchive(
            path,
            place.stat().st_size,
            sha256_of(place),
            newest_date(place),
            tuple(one for one in members if not one.is_folder),
            dict(hashes(place, members)),
            _markers(place, [one.path for one in members], profile),
        )
        return found, Trouble(path, 0, "")
    except ConvoyError as error:
        return None, Trouble(path, 0, error.sentence())
    except OSError as error:
        return None, Trouble(path, 0, f"It cannot be read: {error.strerror or error}")


def _markers(place: Path, paths: Sequence[str], profile: GameProfile) -> dict[str, dict[str, Any]]:
    names = {layout.marker for layout in profile.kinds.values() if layout.marker}
    wanted = [path for path in paths if any(path == name or path.endswith(f"/{name}") for name in names)]
    return {path: marker_of(place, path) for path in wanted[:20]}


def _with_log(archive: ReadArchive, files: dict[str, Path]) -> ReadArchive:
    place = files.get(archive.file[: -len(ENDING)] + LOG_ENDING)
    if place is None:
        return archive
    text = place.read_bytes()[: MAX_LOG * 4].decode(errors="replace")[:MAX_LOG].replace("\0", "")
    return replace(archive, change_log=text.strip())
