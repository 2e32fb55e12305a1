"""Narrowing a fault down with a person who starts the game and says how it went. Each next try is made ready in the
folder itself; worlds are put by meanwhile, and everything comes back as it was.

.convoy/narrowing.json holds what is asked among and what was answered. It can be put down for days: while it pauses the
folder is as ever. Where it is lost, what was put by still goes back (`folder.put_by`).
"""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.narrow import Answered, Found, Outcome, Question, Suspects, asked, tries_for_one
from convoy_core.words.errors import ConvoyError

from .errors import CannotNarrow
from .folder.folder import Folder
from .folder.journal import recover
from .folder.put_by import PutBy
from .folder.settings_files import settings_there
from .hearing import nothing_installed
from .rest import Calm
from .site.connecting import connect
from .storage import disk, sealed
from .storage.store import Store
from .sync import utc_now
from .visit import Now, Visit

OF_TEN = 3
"""Of ten starts, how many fail where somebody says *sometimes* and no more."""


@dataclass(frozen=True)
class State:
    """`needs`: by mod those of `mods` that it needs. `answers`: rows of places in `mods`, outcome, and the chance that
    held before. `worlds`, `settings`: what lay there when it was begun, or gone on with.
    """

    release: str
    sha256: str
    mods: tuple[str, ...]
    needs: Mapping[str, tuple[str, ...]]
    worlds: tuple[str, ...]
    settings: tuple[str, ...]
    begun_at: str
    chance: float = 1.0
    answers: tuple[tuple[tuple[int, ...], str, float], ...] = ()

    @property
    def suspects(self) -> Suspects:
        return Suspects(self.mods, self.needs)

    @property
    def question(self) -> Question:
        told = [
            Answered(frozenset(self.mods[at] for at in mods), Outcome(outcome)) for mods, outcome, _ in self.answers
        ]
        return asked(self.suspects, told, self.chance)


@dataclass(frozen=True)
class Asking:
    """How a narrowing stands. `tries`: answered so far; `planned`: about how many one culprit takes in all; `missing`:
    mods of which a file is not there in this try, as their archives are not here.
    """

    question: Question
    names: Mapping[str, str]
    among: int
    tries: int
    planned: int
    chance: float
    missing: tuple[str, ...] = ()

    def named(self, mods: tuple[str, ...]) -> list[str]:
        return [self.names.get(mod, mod) for mod in mods]


def go_on(root: Path, store: Store, now: Now = utc_now) -> Asking:
    """Begins, or goes on where it was put down: the next try is ready in the folder then. Raises CannotNarrow where
    another release lies there now, and what looking at the folder raises.
    """
    folder = Folder(root)
    with folder.held(narrowing=True):
        folder.refuse_while_playing()
        state = _read(folder)
        if state is None:
            _refuse_orphaned(folder)
            recover(folder)
            state = _begun(folder, _lock(folder, store, now), now)
            _write(folder, state)
        return _laid(folder, store, state, now)


def say(root: Path, store: Store, outcome: Outcome, of_ten: int = 0, now: Now = utc_now) -> Asking:
    """How the try went that is ready; the next one is, then. `of_ten`: it fails in about so many of ten starts only."""
    folder = Folder(root)
    with folder.held(narrowing=True):
        folder.refuse_while_playing()
        state = _open(folder)
        if not folder.is_narrowing:
            raise CannotNarrow("It pauses: no try is ready.", now="Go on with “convoy narrow-here”.")
        question = state.question
        if question.mods is None:
            raise CannotNarrow("It has ended: there is nothing left to try.", now="“convoy narrow-here stop” ends it.")
        place = {mod: at for at, mod in enumerate(state.mods)}
        row = (tuple(place[mod] for mod in question.mods), str(outcome), state.chance)
        chance = of_ten / 10 if of_ten else state.chance
        state = replace(state, answers=(*state.answers, row), chance=chance)
        _write(folder, state)
        return _laid(folder, store, state, now)


def take_back(root: Path, store: Store, now: Now = utc_now) -> Asking:
    """Takes the last answer back: that try is ready again."""
    folder = Folder(root)
    with folder.held(narrowing=True):
        folder.refuse_while_playing()
        state = _open(folder)
        if not state.answers:
            raise CannotNarrow("Nothing was answered yet.")
        _refuse_other(folder, state)
        state = replace(state, answers=state.answers[:-1], chance=state.answers[-1][2])
        _write(folder, state)
        return _laid(folder, store, state, now)


def put_down(root: Path, store: Store, for_good: bool, now: Now = utc_now) -> tuple[Found | None, int]:
    """Everything as it was; gives what was found, and how many files that the game wrote in tries went aside.
    `for_good` forgets what was answered. What was found is kept for a call for help.
    """
    folder = Folder(root)
    with folder.held(narrowing=True):
        folder.refuse_while_playing()
        state = _read(folder)
        if state is None and not folder.is_narrowing:
            raise CannotNarrow("Nothing is being narrowed down here.")
        wrote: tuple[str, ...] = ()
        with suppress(ConvoyError):
            # Where the release that lies here is spoilt, everything goes back all the same.
            wrote = _wrote(folder, state, _lock(folder, store, now)) if state else ()
        many = PutBy(folder, store).end(wrote, f"narrowed-{now():%Y-%m-%d-%H%M%S}") if folder.is_narrowing else 0
        found = state.question.found if state else None
        if found and found.fails and state:
            kept = {**asdict(found), "release": state.release, "at": now().isoformat(timespec="seconds")}
            sealed.write(folder.own / "narrowed.json", kept)
        if for_good:
            disk.remove(folder.own / "narrowing.json")
        Calm(folder).forget()
        return found, many


def narrowed(folder: Folder) -> Mapping[str, Any] | None:
    """What the last one came to, as `Found`, with its `release` and `at`."""
    with suppress(FileNotFoundError, sealed.Damaged):
        told: Any = sealed.read(folder.own / "narrowed.json")
        return told if isinstance(told, dict) else None
    return None


def _lock(folder: Folder, store: Store, now: Now) -> Lock:
    """What is installed, with what its member takes up beside and without what they leave out."""
    pairing, head, record = folder.pairing(), folder.kept_head(), folder.record()
    if head is None or not record.release:
        nothing_installed()
    with connect(pairing) as site:
        site.away = True
        visit = Visit(folder, pairing, site, store, head, now)
        recipe = visit.release(record.named)
        if recipe.is_sealed(now()):
            raise CannotNarrow(
                f"Release {recipe.number} is sealed until {recipe.sealed_until}.", "Trying would tell what is in it."
            )
        return visit.installed(recipe)


def _begun(folder: Folder, lock: Lock, now: Now) -> State:
    there = {file.mod for file in lock.files}
    mods = tuple(build.mod for build in lock.builds if build.mod in there)
    if len(mods) < 2:
        raise CannotNarrow("There are no two mods here, and nothing to be told apart.")
    needs = {build.mod: tuple(need for need in build.needs if need in there) for build in lock.builds}
    record = folder.record()
    return State(
        record.release,
        record.sha256,
        mods,
        {mod: wanted for mod, wanted in needs.items() if wanted and mod in there},
        (),
        (),
        now().isoformat(timespec="seconds"),
    )


def _refuse_other(folder: Folder, state: State) -> None:
    named = folder.record().named
    if (named.number, named.sha256) != (state.release, state.sha256):
        raise CannotNarrow(
            f"Another release lies here than when this was begun: {named.number}, and not {state.release}.",
            "What failed then may not fail now.",
            "End it with “convoy narrow-here stop”, and begin anew.",
        )


def _laid(folder: Folder, store: Store, state: State, now: Now) -> Asking:
    """Has the folder hold what is to be tried next; all of it, where nothing is."""
    if not folder.is_narrowing:
        # While it paused, a sync may have been cut short.
        recover(folder)
    _refuse_other(folder, state)
    lock = _lock(folder, store, now)
    if not folder.is_narrowing:
        state = replace(
            state,
            worlds=tuple(folder.worlds_there(lock.terms)),
            settings=tuple(sorted(settings_there(folder.root, lock.terms))),
        )
        _write(folder, state)
    question = state.question
    put_by = PutBy(folder, store)
    put_by.begin(state.worlds, state.settings)
    mods = state.mods if question.mods is None else question.mods
    missing = put_by.ready(lock, mods, _wrote(folder, state, lock))
    names = {build.mod: build.name for build in lock.builds}
    return Asking(
        question, names, len(state.mods), len(state.answers), tries_for_one(len(state.mods), state.chance),
        state.chance, tuple(missing),
    )  # fmt: skip


def _open(folder: Folder) -> State:
    state = _read(folder)
    if state is None:
        raise CannotNarrow("Nothing is being narrowed down here.", now="Begin with “convoy narrow-here”.")
    return state


def _refuse_orphaned(folder: Folder) -> None:
    if folder.is_narrowing:
        raise CannotNarrow(
            "What was asked and answered here is lost; what was put by is not.",
            now="“convoy narrow-here stop” puts everything back.",
        )


def _wrote(folder: Folder, state: State, lock: Lock) -> tuple[str, ...]:
    """Worlds and settings files that lie there and did not before."""
    if not folder.is_narrowing:
        return ()
    own = {*state.settings, *lock.by_path}
    return (*folder.worlds_there(lock.terms), *sorted(settings_there(folder.root, lock.terms) - own))


def _read(folder: Folder) -> State | None:
    try:
        return sealed.read(folder.own / "narrowing.json", _as_state)
    except FileNotFoundError:
        return None
    except sealed.Damaged:
        folder.put_away(
            folder.own / "narrowing.json", "What was asked and answered in narrowing a fault down was lost."
        )
        return None


def _as_state(told: Any) -> State:
    rows = {name: tuple(told[name]) for name in ("mods", "worlds", "settings")}
    answers = tuple((tuple(mods), str(Outcome(outcome)), float(chance)) for mods, outcome, chance in told["answers"])
    needs = {mod: tuple(wanted) for mod, wanted in told["needs"].items()}
    return State(**{**told, **rows, "answers": answers, "needs": needs})


def _write(folder: Folder, state: State) -> None:
    sealed.write(folder.own / "narrowing.json", asdict(state))
