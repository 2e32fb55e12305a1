"""A keeper's own bench: takes trials from a site, lays each down in a folder of its own, starts the game in the
sandbox, and tells how it went. It is no member's machine: it follows no pack, and nothing of a trial is left.

Which games may be started is said by its keeper's own file (`convoy_io.sandbox`). The site names archives by hash, and
a lock; nothing of it is run but what those programs load.
"""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote

from convoy_core.lock.lock import Lock, LockedBuild, without_needs
from convoy_core.lock.lock_json import read_lock
from convoy_core.log.private import Redaction
from convoy_core.outside.fields import Fields
from convoy_core.outside.game_profile import read_profile
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.model import Archive
from convoy_core.words.profile import GameProfile
from convoy_io.games import GameRun, Limits, Stopped, run_game
from convoy_io.judging import judged
from convoy_io.laying import lay_fresh
from convoy_io.sandbox import BenchGame, NoBench, command, read_games, why_no_sandbox

from .errors import FetchFailed, SiteAway, SiteRefused
from .errors import Stopped as Ended
from .fetching.fetch import Fetcher
from .folder.settings_files import settings_there
from .playing.own import own_known, without_private
from .playing.told import as_told
from .site.connection import private_networks_of
from .site.site import BenchLine
from .storage.files import SPARE_BYTES
from .storage.store import Store

ASK_EVERY = 5.0
"""Seconds between two questions while nothing waits."""

HEAR_EVERY = 2.0
STAYS = 1.5
"""Seconds that a game has to stay up after its main screen: some fall right behind it."""

MOST_LOG = 256 * 2**20
MOST_NEW = 200

PERSONS = "Only a person may fetch it, and it is not in this bench's store."
AWAY = "Its source did not give it just now."


@dataclass(frozen=True)
class Job:
    """What is to be tried. `own`: archives that only the site has."""

    trial: str
    game: str
    profile: GameProfile
    lock: Lock
    memory_mb: int
    sources: Mapping[str, str]
    own: frozenset[str]


class Bench:
    def __init__(self, site: str, token: str, games: Path, store: Store, said: Callable[[str], None]) -> None:
        self._site, self._token, self._games, self._store, self._said = site, token, games, store, said

    def run(self, once: bool = False) -> None:
        """Takes trials until it is stopped; `once`: until none waits. Raises NoBench where nothing could be started."""
        if why := why_no_sandbox():
            raise NoBench("Nothing can be tried here.", why, "Install bubblewrap.")
        trouble = ""
        while True:
            try:
                did = self._turn()
                trouble = ""
            except (SiteAway, SiteRefused) as error:
                if once or error.data.get("status") == 401:
                    raise
                if error.sentence() != trouble:
                    trouble = error.sentence()
                    self._said(trouble)
                did = False
            if not did:
                if once:
                    return
                time.sleep(ASK_EVERY)

    def _turn(self) -> bool:
        """One question; says whether there was something to try."""
        games = read_games(self._games)
        with BenchLine(self._site, self._token) as line:
            told = line.next_trial(sorted(games))
            if told is None:
                return False
            trial = quote(Fields(told).text("trial"), safe="")
            try:
                job = _read(told)
                self._said(f"Trying {len(job.lock.builds)} builds of {job.profile.name}.")
                result = self._tried(line, job, games[job.game])
            except (SiteAway, SiteRefused):
                raise
            except (ConvoyError, OSError, KeyError) as error:
                words = error.sentence() if isinstance(error, ConvoyError) else str(error)
                result = {"failed": f"The bench could not try it: {words}"[:600]}
            # Where it was stopped, or given to another bench, the answer is no news to anybody.
            with suppress(SiteRefused):
                line.result(trial, result)
            return True

    def _tried(self, line: BenchLine, job: Job, game: BenchGame) -> dict[str, Any]:
        beat = _Beat(line, job.trial)
        missing = self._gather(line, job, beat)
        left_out = without_needs(job.lock, missing)
        there = [build.mod for build in job.lock.builds if build.mod not in left_out]
        names = {build.mod: build.name for build in job.lock.builds}
        with tempfile.TemporaryDirectory(dir=_room(self._store, job.lock), ignore_cleanup_errors=True) as folder:
            root = Path(folder)
            lay_fresh(job.lock, self._store.path, root, there, beat.beat)
            before = settings_there(root, job.lock.terms)
            called = command(game, job.profile, job.lock.base, root, min(job.memory_mb, game.memory_mb), plain=False)
            limits = Limits(game.seconds, game.memory_mb, MOST_LOG)
            run = run_game(called, root, job.profile, names, limits, beat.while_it_runs)
            new = sorted(settings_there(root, job.lock.terms) - before)[:MOST_NEW]
        if run.exit is None:
            return {"failed": f"The game could not be started on the bench: {run.trouble}"[:600]}
        return _as_result(run, job, there, new, left_out)

    def _gather(self, line: BenchLine, job: Job, beat: _Beat) -> dict[str, str]:
        """Has the store hold every archive that can be had. Gives the mods whose archives cannot, each with why."""
        missing: dict[str, str] = {}
        for build in job.lock.builds:
            if build.archive.sha256 not in self._store and (why := self._why_not(line, job, build, beat)):
                missing[build.mod] = why
            else:
                beat.beat(build.archive.size)
        return missing

    def _why_not(self, line: BenchLine, job: Job, build: LockedBuild, beat: _Beat) -> str:
        """Gets an archive; says why it could not, or nothing."""
        if build.archive.sha256 in job.own:
            return "" if self._own(line, job, build.archive) else AWAY
        if not build.pickup.is_automatic:
            return PERSONS
        networks = private_networks_of(self._site)
        try:
            Fetcher(self._store, job.sources, wait=beat.beat, private=networks).fetch_all([build])
        except FetchFailed:
            return AWAY
        return ""

    def _own(self, line: BenchLine, job: Job, archive: Archive) -> bool:
        """Takes an archive that only the site has into the store, where it is the right one."""
        with tempfile.TemporaryDirectory(dir=self._store.partial) as folder:
            place = Path(folder) / "own.zip"
            came = line.own_archive(job.trial, archive.sha256, archive.size, place)
            return came and self._store.take_in(place, archive.sha256)


class _Beat:
    """Tells the site every few seconds that this bench is at it, and how far: one that says nothing loses its trial."""

    def __init__(self, line: BenchLine, trial: str) -> None:
        self._line, self._trial, self._told_at, self._stop = line, trial, 0.0, False
        self.done = 0
        """Bytes that are here, and that were laid down."""

    def beat(self, came: int = 0) -> None:
        """Raises Ended where somebody stopped it, or it is another bench's by now."""
        self.done += came
        if self._is_stopped():
            raise Ended("The trial was stopped.")

    def while_it_runs(self, up: float | None) -> Stopped | None:
        """Ends a game once it has stayed up."""
        if up is not None and up >= STAYS:
            return Stopped.DONE
        return Stopped.ASKED if self._is_stopped() else None

    def _is_stopped(self) -> bool:
        if not self._stop and time.monotonic() - self._told_at > HEAR_EVERY:
            self._told_at = time.monotonic()
            self._stop = self._line.progress(self._trial, self.done)
        return self._stop


def _read(told: Mapping[str, Any]) -> Job:
    """Raises MalformedInput."""
    fields = Fields(dict(told))
    lock = read_lock(fields.plain("lock"))
    profile = read_profile(fields.text("profile", longest=200_000))
    trial = quote(fields.text("trial"), safe="")
    return Job(
        trial, fields.text("game"), profile, lock, fields.whole("memory_mb", 0), fields.texts("sources"),
        frozenset(fields.strings("own")),
    )  # fmt: skip


def _as_result(run: GameRun, job: Job, there: list[str], new: list[str], left_out: Mapping[str, str]) -> dict[str, Any]:
    """What the site is told; what is this machine's own is replaced in it."""
    names = {build.mod: build.name for build in job.lock.builds}
    redaction = Redaction(own_known(frozenset(build.archive.sha256 for build in job.lock.builds)))
    outcome = judged(run, job.lock, there, new).as_data()
    without = [{"mod": mod, "name": names[mod], "why": why} for mod, why in left_out.items()]
    told: dict[str, Any] = without_private({"outcome": outcome, "without": without}, redaction)
    return {**told, "entries": as_told(run.log, (), redaction)}


def _room(store: Store, lock: Lock) -> Path:
    """Where trials lie while they run. Raises MalformedInput where the disk has no room for this one."""
    base = store.root / "bench"
    base.mkdir(parents=True, exist_ok=True)
    needed = 2 * sum(file.size for file in lock.files) + SPARE_BYTES
    if shutil.disk_usage(base).free < needed:
        raise MalformedInput(f"The bench's disk has no room for it: {needed // 2**20} MB are needed.")
    return base
