"""Errands: files that only the member can bring. Recognised by content alone, whatever they are called.

Looked for where downloads arrive and in the installation's inbox. Of a stranger's folder only files that have the very
size of one that is wanted are opened at all; others are told by name alone, when they look like a wanted one.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from convoy_core.lock.lock import LockedBuild

from ..storage.disk import is_link
from ..storage.files import sha256_of, trouble_told
from ..storage.store import Store

LOOK_EVERY = 1.0
"""Seconds between two looks while waiting."""


@dataclass(frozen=True)
class Arrived:
    """What a look found: builds that are in the store now, and files that look like a wanted one but are another."""

    taken: tuple[LockedBuild, ...] = ()
    wrong: tuple[tuple[Path, LockedBuild], ...] = ()


def downloads() -> Path:
    return Path(platformdirs.user_downloads_dir())


class Lookout:
    """Looks for wanted files in some folders. Remembers what it saw, so that a second look costs next to nothing."""

    def __init__(self, store: Store, places: Sequence[Path]) -> None:
        self._store, self._places = store, places
        self._seen: dict[Path, tuple[int, int]] = {}

    def look(self, wanted: Sequence[LockedBuild]) -> Arrived:
        """Takes copies of wanted files into the store; the member's own stay where they are."""
        return self._sort(self._new_files(), wanted)

    def take(self, files: Sequence[Path], wanted: Sequence[LockedBuild]) -> Arrived:
        """The same for files that the member names. Raises OSError for one that cannot be read."""
        for file in files:
            file.open("rb").close()
        return self._sort([(file, file.stat().st_size) for file in files], wanted)

    def _sort(self, files: Iterable[tuple[Path, int]], wanted: Sequence[LockedBuild]) -> Arrived:
        by_size: dict[int, dict[str, LockedBuild]] = {}
        for build in wanted:
            by_size.setdefault(build.archive.size, {})[build.archive.sha256] = build
        taken, wrong = [], []
        for file, size in files:
            if (found := self._wanted(file, by_size.get(size, {}))) is not None:
                taken.append(found)
            elif (meant := next((build for build in wanted if _looks_like(file.name, build)), None)) is not None:
                wrong.append((file, meant))
        return Arrived(tuple(taken), tuple(wrong))

    def _wanted(self, file: Path, wanted: Mapping[str, LockedBuild]) -> LockedBuild | None:
        """The build that a file is, once it is in the store. `wanted`: those of its very size, by sha256."""
        if not wanted:
            return None
        with trouble_told(self._store.root):
            try:
                sha256 = sha256_of(file)
                return wanted[sha256] if sha256 in wanted and self._store.copy_in(file, sha256) else None
            except (FileNotFoundError, PermissionError) as error:
                if str(error.filename) != str(file):
                    raise  # the store's own trouble
                # A browser renames what it has fetched, and some files are not ours to read: the next look may tell.
                self._seen.pop(file, None)
                return None

    def _new_files(self) -> Iterable[tuple[Path, int]]:
        for place in self._places:
            for file in _listed(place):
                try:
                    info = file.lstat()
                except OSError:
                    continue
                sight = (info.st_size, info.st_mtime_ns)
                if not file.is_file() or is_link(file) or self._seen.get(file) == sight:
                    continue
                self._seen[file] = sight
                yield file, info.st_size


def wait_for(
    wanted: Sequence[LockedBuild],
    lookout: Lookout,
    told: Callable[[Arrived, Sequence[LockedBuild]], None],
    go_on: Callable[[], bool],
) -> Sequence[LockedBuild]:
    """Looks until everything has come or `go_on` says no; gives what is still missing."""
    while wanted and go_on():
        arrived = lookout.look(wanted)
        if arrived.taken or arrived.wrong:
            here = {build.mod for build in arrived.taken}
            wanted = [build for build in wanted if build.mod not in here]
            told(arrived, wanted)
        if wanted:
            time.sleep(LOOK_EVERY)
    return wanted


def _listed(place: Path) -> list[Path]:
    try:
        return sorted(place.iterdir())
    except OSError:
        return []  # not there, or not ours to read: nothing arrives in it


def _looks_like(name: str, build: LockedBuild) -> bool:
    """Whether a file is called like a build of the same mod: `night-lanterns-1.3 (2).zip` for 1.4."""
    return _plain(name).startswith(_plain(build.mod)) and Path(name).suffix == Path(build.archive.name).suffix


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.casefold())
