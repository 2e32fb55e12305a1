"""A trial, as a worker makes it: archives, a fresh installation, a start in the sandbox, and what came of it.

A worker that is killed takes its game along (the sandbox dies with it); the job is run again from its beginning.
"""

import hashlib
import os
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from convoy_core.lock.in_worlds import in_worlds
from convoy_core.lock.lock import Lock
from convoy_core.outside.patterns import matcher
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side
from convoy_io.games import GameRun, Limits, Stopped, run_game
from convoy_io.laying import lay_fresh

from .. import kept_files
from ..receiving import SPARE_BYTES
from ..releases.as_files.packing import Subject, subject_of
from ..releases.models import FAILED, MakingState
from . import archives
from .bench import bench_game, command
from .models import Trial
from .outcome import Kept, judged, read_kept, read_outcome

STAYS = 1.5
"""Seconds that a game has to stay up after its main screen: some fall right behind it."""

MOST_LOG = 256 * 2**20
"""Bytes of log, after which a game is stopped."""

LOOK_SECONDS = 0.5
"""Between two looks at whether somebody stopped it, and two tellings of how far it is."""


class _Ended(Exception):
    """Somebody stopped it: nobody has to be told."""


def try_out(trial_id: UUID) -> None:
    """What the worker does."""
    one = Trial.objects.select_related("pack__crew", "pack__game", "pack__draft", "release").filter(pk=trial_id).first()
    if one is None or one.stop or one.state not in (MakingState.WAITS, MakingState.WORKING):
        return
    one.pack.draft.pack = one.pack
    Trial.objects.filter(pk=one.pk).update(state=MakingState.WORKING, began_at=timezone.now(), done=0, told="")
    try:
        _try(one)
    except _Ended:
        _end(one, MakingState.STOPPED)
    except ConvoyError as error:
        _end(one, MakingState.FAILED, error.sentence())
    except Exception:
        _end(one, MakingState.FAILED, FAILED)
        raise
    finally:
        archives.sweep()


def _end(one: Trial, state: MakingState, told: str = "") -> None:
    Trial.objects.filter(pk=one.pk).update(state=state, told=told, ended_at=timezone.now())


def _try(one: Trial) -> None:
    game = bench_game(one.pack.game_id)
    subject = subject_of(one.pack, one.number)
    if one.release is None and one.pack.draft.revision != one.revision:
        raise _changed()
    lock = in_worlds(subject.recipe.lock.share(Side.PLAYER), {}, ())
    follow = _Follow(one)
    left_out = archives.without_needs(lock, archives.gather(subject, follow.moved))
    names = {build.mod: build.name for build in lock.builds}
    rows = [{"mod": mod, "name": names.get(mod, mod), "why": why} for mod, why in left_out.items() if mod in names]
    Trial.objects.filter(pk=one.pk).update(without=rows)
    base = Path(settings.DATA) / "bench" / "running"
    base.mkdir(parents=True, exist_ok=True)
    if shutil.disk_usage(base).free < 2 * sum(file.size for file in lock.files) + SPARE_BYTES:
        raise ConvoyError("There is no room on the bench.", now="Tell the site's keeper.")
    with tempfile.TemporaryDirectory(dir=base, prefix=f"{one.pk}-", ignore_cleanup_errors=True) as folder:
        root = Path(folder)
        lay_fresh(lock, archives.place_of, root, names.keys() - left_out.keys(), follow.moved)
        there = _settings_in(root, lock)
        profile = one.pack.game.profile
        memory = min(subject.recipe.needed.recommended or 0, game.memory_mb)
        called = command(game, profile, lock.base, root, memory, plain=False)
        limits = Limits(game.seconds, game.memory_mb, MOST_LOG)
        run = run_game(called, root, profile, names, limits, follow.wanted(root))
        new = sorted(_settings_in(root, lock) - there)[:200]
    if run.stopped is Stopped.ASKED:
        raise _Ended
    _keep(one, run, subject, lock, new)


def _changed() -> ConvoyError:
    return ConvoyError(
        "The draft was changed before its turn came.", "What was to be tried is not there any more.", "Try it again."
    )


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


def _keep(one: Trial, run: GameRun, subject: Subject, lock: Lock, new: list[str]) -> None:
    if run.exit is None:
        raise ConvoyError("The game could not be started on the bench.", run.trouble, "Tell the site's keeper.")
    good = last_good(one)
    outcome, log = judged(run, lock, new, _log_of(good) if good else None, str(good.pk) if good else "")
    data = log.as_bytes()
    kept_files.keep(one.place, data, hashlib.sha256(data).hexdigest())
    with transaction.atomic():
        Trial.objects.filter(pk=one.pk).update(
            outcome=outcome.as_data(), state=MakingState.DONE, ended_at=timezone.now(), done=one.total
        )


def last_good(one: Trial) -> Trial | None:
    """The newest trial of the pack before this one that reached the main screen."""
    earlier = one.pack.trials.filter(state=MakingState.DONE, at__lt=one.at, outcome__came_up=True)
    return next((each for each in earlier[:5] if read_outcome(each.outcome).ended != "crashed"), None)


def _log_of(one: Trial) -> Kept | None:
    try:
        return read_kept(kept_files.read(one.place))
    except FileNotFoundError:
        return None


class _Follow:
    """Tells how far it is, and notices that somebody stopped it."""

    def __init__(self, one: Trial) -> None:
        self._one, self._done, self._at = one, 0, time.monotonic()

    def moved(self, size: int) -> None:
        self._done += size
        if self._is_due():
            Trial.objects.filter(pk=self._one.pk).update(done=min(self._done, self._one.total))
            if self._is_stopped():
                raise _Ended

    def wanted(self, folder: Path) -> Callable[[float | None], Stopped | None]:
        """Asked while the game runs."""

        def ask(up: float | None) -> Stopped | None:
            if up is not None and up >= STAYS:
                return Stopped.DONE
            if not self._is_due():
                return None
            if shutil.disk_usage(folder).free < SPARE_BYTES:
                return Stopped.TOO_MUCH_SAID
            return Stopped.ASKED if self._is_stopped() else None

        return ask

    def _is_due(self) -> bool:
        due = time.monotonic() - self._at >= LOOK_SECONDS
        if due:
            self._at = time.monotonic()
        return due

    def _is_stopped(self) -> bool:
        return Trial.objects.filter(pk=self._one.pk).values_list("stop", flat=True).first() is not False
