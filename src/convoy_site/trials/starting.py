"""One start on the bench: what of a lock can be had, laid down fresh, and the game started over it in its sandbox."""

import os
import shutil
import tempfile
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings

from convoy_core.lock.in_worlds import in_worlds
from convoy_core.lock.lock import Lock, without_needs
from convoy_core.outside.patterns import matcher
from convoy_core.words.model import Side
from convoy_io.games import GameRun, Limits, Stopped, run_game
from convoy_io.laying import lay_fresh
from convoy_io.sandbox import NoBench, command

from ..kept_files import StorageAway
from ..packs.models import Pack
from ..receiving import SPARE_BYTES
from ..releases.as_files.packing import Subject, subject_of
from . import archives
from .bench import bench_game

MOST_LOG = 256 * 2**20
"""Bytes of log, after which a game is stopped."""

MOST_NEW = 200

Moved = Callable[[int], None]


class NoRoom(StorageAway):
    """The bench's disk is full."""


class NotStarted(NoBench):
    """The keeper's program cannot be started."""


@dataclass(frozen=True)
class Prepared:
    """`lock`: a player's share; `left_out`: mods that the bench cannot have, each with the reason."""

    lock: Lock
    memory_mb: int
    left_out: Mapping[str, str]

    @property
    def names(self) -> dict[str, str]:
        return {build.mod: build.name for build in self.lock.builds}

    @property
    def there(self) -> tuple[str, ...]:
        """Mods that can be laid down, in the order in which they are."""
        return tuple(build.mod for build in self.lock.builds if build.mod not in self.left_out)


def prepare(pack: Pack, number: str, moved: Moved) -> Prepared:
    """Has the archives lie here. `moved`: told of every block's size; what it raises ends it."""
    return prepare_subject(subject_of(pack, number), moved)


def prepare_subject(subject: Subject, moved: Moved) -> Prepared:
    lock = in_worlds(subject.recipe.lock.share(Side.PLAYER), {}, ())
    missing = archives.gather(subject, moved)
    known = {build.mod for build in lock.builds}
    left_out = {mod: why for mod, why in without_needs(lock, missing).items() if mod in known}
    return Prepared(lock, subject.recipe.needed.recommended, left_out)


def start(
    pack: Pack,
    prepared: Prepared,
    mods: Collection[str],
    moved: Moved,
    wanted: Callable[[float | None], Stopped | None],
) -> tuple[GameRun, list[str]]:
    """Starts the game over a fresh installation with these mods. Gives the run, and settings files that it wrote.

    Raises NoBench, NoRoom, NotStarted, and what laying down raises. Nothing is left of it on the disk.
    """
    game, profile, lock = bench_game(pack.game_id), pack.game.profile, prepared.lock
    base = Path(settings.DATA) / "bench" / "running"
    base.mkdir(parents=True, exist_ok=True)
    if shutil.disk_usage(base).free < 2 * sum(file.size for file in lock.files if file.mod in mods) + SPARE_BYTES:
        raise NoRoom("There is no room on the bench.", now="Tell the site's keeper.")

    def ask(up: float | None) -> Stopped | None:
        return wanted(up) or (Stopped.TOO_MUCH_SAID if shutil.disk_usage(base).free < SPARE_BYTES // 2 else None)

    with tempfile.TemporaryDirectory(dir=base, ignore_cleanup_errors=True) as folder:
        root = Path(folder)
        lay_fresh(lock, archives.place_of, root, mods, moved)
        before = _settings_in(root, lock)
        called = command(game, profile, lock.base, root, min(prepared.memory_mb, game.memory_mb), plain=False)
        limits = Limits(game.seconds, game.memory_mb, MOST_LOG)
        run = run_game(called, root, profile, prepared.names, limits, ask)
        new = sorted(_settings_in(root, lock) - before)[:MOST_NEW]
    if run.exit is None:
        raise NotStarted("The game could not be started on the bench.", run.trouble, "Tell the site's keeper.")
    return run, new


def _settings_in(folder: Path, lock: Lock) -> set[str]:
    """Paths of settings files, by the game's patterns. Links are passed by."""
    wanted = matcher(lock.terms.settings) if lock.terms.settings else None
    if wanted is None:
        return set()
    found = set()
    for at, _, files in os.walk(folder):
        for name in files:
            path = (Path(at) / name).relative_to(folder).as_posix()
            if wanted.fullmatch(path) and not (Path(at) / name).is_symlink():
                found.add(path)
    return found
