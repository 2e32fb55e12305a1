"""Playing: looks whether the folder is in step, starts the member's own game, watches it, and tells how it ended.

While it runs no sync changes the folder (`Folder.playing`). Which program is run is the member's word alone
(`playing.program`); the game's profile gives its arguments, from the site or from a file, and is kept for when neither
is at hand.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from convoy_core.lock.recipe import Recipe
from convoy_core.lock.terms import Terms
from convoy_core.log import Log
from convoy_core.log.entries import Ended
from convoy_core.machine.verdict import Machine, judge
from convoy_core.outside.calling import arguments_of
from convoy_core.outside.game_profile import read_profile
from convoy_core.sync.deviations import Deviation
from convoy_core.sync.starts import StartState
from convoy_core.words.profile import GameProfile
from convoy_core.words.wording import counted, listed
from convoy_io.games import GameRun, Limits, Stopped, run_game

from . import backing_up, sync, worlds
from .errors import CannotPlay, NotInStep, SiteAway, SiteRefused
from .folder import machine as machines
from .folder.allowed import Ask, nobody_to_ask
from .folder.folder import Folder
from .folder.off import switched_off
from .folder.releases import share_of
from .folder.settings_files import settings_there
from .playing.program import confirmed
from .playing.runs import Run, Runs
from .playing.telling import Telling
from .site.connecting import connect
from .storage.store import Store
from .visit import Now

MOST_NEW = 200
"""Settings files that are told as new after one start."""


@dataclass(frozen=True)
class How:
    """What the member wants of a start. `anyway`: although the folder is not in step; `profile`: of a folder that
    follows a file; `memory_mb`: 0 for what this machine can give; `alone`: what lies among the pack's files and is
    not of it is off while it runs.
    """

    plain: bool = False
    server: str = ""
    window: str = ""
    program: Path | None = None
    profile: Path | None = None
    memory_mb: int = 0
    anyway: bool = False
    alone: bool = False


@dataclass(frozen=True)
class Played:
    run: Run
    log: Log
    backed_up: bool
    sentence: str


Wanted = Callable[[float | None], Stopped | None]


def play(
    root: Path,
    store: Store,
    how: How,
    ask: Ask = nobody_to_ask,
    said: Callable[[str], None] = lambda text: None,
    wanted: Wanted = lambda up: None,
    now: Now = sync.utc_now,
    environment: Mapping[str, str] | None = None,
) -> Played:
    """Starts the game and stays until it has ended. Raises NotInStep, NoProgram, CannotPlay, SomebodyElse, and what
    looking at the folder raises; the game has not been started then.
    """
    folder = Folder(root)
    narrowing = folder.is_narrowing
    deviations = {} if narrowing else _looked(root, store, how, now)
    profile, departs = _profile(folder, how.profile)
    if profile.start is None:
        raise CannotPlay(f"The profile of {profile.name} does not say how it is started.", now="Start it by yourself.")
    record, recipe = folder.record(), folder.installed_recipe(folder.pairing())
    program = confirmed(folder, profile.start, how.program, ask)
    given = how.memory_mb or _figure(recipe, root)
    values = {"folder": str(folder.root), "memory_mb": str(given), "server": how.server, "window": how.window}
    known = {name: one for name, one in values.items() if one not in ("", "0")}
    arguments = arguments_of(profile.start, known, how.plain)
    backed_up = not (how.plain or narrowing) and _backed_up(root, said, now)
    lock = share_of(recipe, folder.pairing()) if recipe else None
    with folder.playing():
        began, runs = now(), Runs(folder.own)
        id = runs.new(began)
        terms = lock.terms if lock else Terms()
        before = settings_there(folder.root, terms)
        names = {build.mod: build.name for build in lock.builds} if lock else {}
        said(f"Starting {program.name}. Its log is watched; this ends when the game does.")
        off = {path for path, what in deviations.items() if how.alone and what is Deviation.EXTRA}
        if off:
            said(f"Off while it runs, as nobody else has them: {listed(sorted(off)[:6])}.")
        tells = departs and not (how.plain or narrowing)
        in_step = deviations.keys() <= off
        with (
            Telling(folder.pairing(), tells, began.isoformat(), record.named, in_step) as telling,
            switched_off(folder.root, folder.own, off),
            runs.log_writer(id) as copy,
        ):
            run = run_game(
                [str(program), *arguments], folder.root, profile, names, Limits(), _heard(wanted, telling), copy,
                environment,
            )  # fmt: skip
            if run.exit is not None:
                telling.say(StartState.CRASHED if _ended(run) == Ended.CRASHED else StartState.CLOSED)
        if run.exit is None:
            runs.forget(id)
            raise CannotPlay(f"{program} could not be started.", run.trouble, "Say which program with --program.")
        new = tuple(sorted(settings_there(folder.root, terms) - before))[:MOST_NEW]
        kept = Run(
            id, record.release, began.isoformat(timespec="seconds"), round(run.seconds, 1),
            None if run.to_main_screen is None else round(run.to_main_screen, 1), run.memory_mb, given, how.plain,
            str(_ended(run)), run.exit, str(run.stopped or ""), run.log.cause.sentence if run.log.cause else "",
            {str(severity): count for severity, count in run.log.by_severity().items()}, new,
            reports=tuple((one.path, one.text) for one in run.reports), narrowing=narrowing,
        )  # fmt: skip
        runs.keep(kept)
        if kept.to_main_screen is not None:
            runs.count(run.seconds)
    return Played(kept, run.log, backed_up, in_words(kept))


def _heard(wanted: Wanted, telling: Telling) -> Wanted:
    def heard(up: float | None) -> Stopped | None:
        telling.say(StartState.STARTING if up is None else StartState.UP)
        return wanted(up)

    return heard


def _looked(root: Path, store: Store, how: How, now: Now) -> Mapping[str, Deviation]:
    """What differs from the release. Raises NotInStep, unless it is to be started anyway."""
    status = sync.status(root, store, now=now)
    if how.plain:
        return status.deviations
    only_extras = how.alone and all(one is Deviation.EXTRA for one in status.deviations.values())
    is_right = not status.is_other and status.release == status.followed
    if not (only_extras and is_right):
        _refuse_out_of_step(status, how.anyway)
    return status.deviations


def _refuse_out_of_step(status: sync.Status, anyway: bool) -> None:
    differences = len(status.deviations)
    behind = status.release != status.followed and bool(status.followed)
    if anyway or not (differences or behind or status.is_other):
        return
    raise NotInStep(
        f"This folder is not in step with {status.pairing.pack}.",
        f"It is release {status.release or 'none'}, and {status.followed} is to be played."
        if behind
        else f"Not as the release has it: {listed(sorted(status.deviations)[:4])}.",
        "Sync first (convoy play --sync does), or start it all the same with --anyway.",
        differences=differences,
    )


def _profile(folder: Folder, said: Path | None) -> tuple[GameProfile, bool]:
    """From a file, else from the site, else as it was kept last; and whether a departure is near."""
    place = folder.own / "game.toml"
    text, departs = "", False
    if said is not None:
        text = said.read_text("utf-8")
    else:
        try:
            with connect(folder.pairing()) as site:
                text, departs = site.game()
        except (SiteAway, SiteRefused):
            text = place.read_text("utf-8") if place.is_file() else ""
    if not text:
        raise CannotPlay(
            "Nothing here says how the game is started.",
            "The site was not reached, and nothing of it is kept here.",
            "Try again when it is, or name the game's profile with --game.",
        )
    profile = read_profile(text)
    folder.own.mkdir(exist_ok=True)
    place.write_text(text, "utf-8")
    return profile, departs


def _figure(recipe: Recipe | None, root: Path) -> int:
    """MB that this machine gives the game, by the pack's demand. 0 where the release does not say what it demands."""
    if recipe is None or not recipe.needed.minimum:
        return 0
    told = machines.facts(root)
    return judge(recipe.needed, Machine(told["memory_mb"], told["disk_free"])).figure


def _backed_up(root: Path, said: Callable[[str], None], now: Now) -> bool:
    """Where a world was played with something else than what lies here now: what opens it may change it for good."""
    at_stake = [one.name for one in worlds.worlds_of(root, now) if one.told]
    if not at_stake:
        return False
    said(f"{listed(at_stake)}: played with something else before, so worlds are backed up first.")
    backing_up.back_up(root, now)
    return True


def _ended(run: GameRun) -> Ended:
    """What the log says goes first; a game that left without a word has crashed, where the system says so."""
    if run.log.ended in (Ended.CRASHED, Ended.CLOSED):
        return run.log.ended
    return Ended.CRASHED if run.exit and run.stopped is None else run.log.ended


def in_words(run: Run) -> str:
    """How a start ended, in one sentence or two."""
    minutes = round(run.seconds / 60)
    long = counted(minutes, "minute") if minutes else f"{run.seconds:.0f} seconds"
    up = f"It reached the main screen after {run.to_main_screen:.1f} s" if run.to_main_screen is not None else ""
    if run.stopped:
        return f"{up or 'It never reached the main screen'}; it was stopped after {long}: {run.stopped}."
    if run.ended == Ended.CRASHED:
        when = f"{up} and crashed after {long}." if up else f"It crashed after {long}, before the main screen."
        return f"{when} {run.cause or 'Its log names no cause.'}"
    if not up:
        return f"It ended after {long} without reaching the main screen. {run.cause or 'Its log names no cause.'}"
    return f"{up} and was played for {long}."
