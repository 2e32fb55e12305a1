"""Carries a staged change out: journalled, renamed. A stop at any moment ends in the old state or goes on to the new.

Order: 1. everything is staged (`staging`); 2. the journal is written; 3. the moves are done, each of which can be done
twice without harm; 4. the record is written, and the sync put down in the history; 5. the journal goes. Up to 2 nothing
in the folder has changed; from 2 on, the next start completes it (`recover`).

The journal holds all that completing needs: no release, site or source is asked. Nothing is placed that this very
process did not hash. A move that cannot be done any more (a link lies in its way, a name that the disk does not take)
is left out and told of: what lay there stays, the record goes on to say so, and the next sync plans it anew.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from convoy_core.outside.paths import checked_path
from convoy_core.sync.plan import BESIDE, Act, Plan

from ..site.progress import Listener, NoListener
from ..storage import disk, sealed
from ..storage.disk import is_link
from ..storage.files import (
    copy_beside,
    inside,
    is_plain,
    move,
    own_place,
    remove_empty_folders,
    sha256_of,
    trouble_told,
    unless_hopeless,
    unlinked,
)
from .backups import Backups
from .before import Before
from .beside import read_laid
from .folder import Folder
from .history import lying_in
from .record import UNSEEN, Record, read_adjusting
from .recording import keep_rendered, sight_of
from .restoring import Restoring
from .staging import Staged

Step = Callable[[str], None]
"""Called with a name before each step that changes something. Tests stop there; others pass `no_step`."""

BACK = "back"
"""A journal's own act, for undoing: a file that was moved aside returns to its place."""


def no_step(name: str) -> None:
    return


@dataclass(frozen=True)
class Change:
    """What a journal says. `moves`: act, path, the sha256 to place (for BACK: where it lies aside, relative to the
    agent's folder), and the sha256 of what may be replaced. `after`: what the record will name, path to sha256.
    """

    id: str
    number: int
    at: str
    before: str
    release: str
    moves: list[tuple[str, str, str, str]]
    after: dict[str, str]
    renderings: dict[str, str]
    adopted: dict[str, str] = field(default_factory=dict)
    mods: list[str] = field(default_factory=list)
    notes: list[dict[str, Any]] = field(default_factory=list)
    backup: str = ""
    undoes: bool = False
    sha256: str = ""
    """Of the document of `release`, and of `before`; empty in journals of earlier agents."""
    before_sha256: str = ""
    worlds: dict[str, list[str]] = field(default_factory=dict)
    """What the record will name, by mod: the worlds that its content is in."""
    adjusted: dict[str, Any] = field(default_factory=dict)
    """What the record will name, by path: what is set in files that no build carries, as `Adjusting.as_data`."""
    sets: list[str] = field(default_factory=list)
    beside: list[dict[str, Any]] = field(default_factory=list)
    """What the record will name: collections beside the pack, as `Laid.as_data`; and what it named before."""
    before_beside: list[dict[str, Any]] = field(default_factory=list)

    @property
    def aside(self) -> str:
        return f"aside/{self.id}"

    def as_data(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class Carried:
    """What a change came to: paths that were moved aside, and those that could not be done, with why."""

    moved: tuple[str, ...]
    undone: Mapping[str, str]


def plan_moves(
    plan: Plan, staged: Staged, placed: Mapping[str, str], back: Mapping[str, str]
) -> list[tuple[str, str, str, str]]:
    """A journal's moves. `placed`: path to the sha256 of the pack's own; `back`: path to where it was moved aside."""
    moves: list[tuple[str, str, str, str]] = []
    for one in plan.moves:
        if one.act is Act.ADJUST and one.path not in staged.content:
            continue
        was = staged.found.get(one.path) or placed.get(one.path, "")
        moves.append((one.act.value, one.path, staged.content.get(one.path, ""), was))
        beside = f"{one.path}{BESIDE}"
        if beside in staged.content:
            moves.append((Act.PLACE.value, beside, staged.content[beside], ""))
    for path, place in back.items():
        moves.append((BACK, path, place, staged.content.get(path) or placed.get(path, "")))
    return moves


def write_journal(folder: Folder, change: Change) -> None:
    folder.refuse_while_playing()
    """From here on, the change will be completed. Everything staged is on the disk before the journal is."""
    disk.all_on_disk()
    sealed.write(folder.journal, change.as_data())


def read_journal(folder: Folder) -> Change | None:
    """The change that is under way; None when there is none. Raises Damaged for a journal that cannot be believed."""
    try:
        return sealed.read(folder.journal, _as_change)
    except FileNotFoundError:
        return None


def _as_change(told: Any) -> Change:
    moves = [(str(act), str(path), str(sha256), str(was)) for act, path, sha256, was in told["moves"]]
    return Change(**{**told, "moves": moves})


def recover(folder: Folder, step: Step = no_step) -> bool:
    """Completes a change or a restoring that was under way when an earlier run stopped; says whether there was one.

    One whose journal is spoilt is set aside with it: what lies in the folder is then looked at by hash.
    """
    restored = Restoring(Backups(folder)).complete(step)
    try:
        change = read_journal(folder)
    except sealed.Damaged:
        folder.put_away(
            folder.journal,
            "A change was under way when the agent was stopped, and its journal is damaged. It was set aside, and "
            "every file is looked at anew; what the change had moved aside lies in .convoy/aside.",
        )
        change = None
    if change is None:
        # Left over where an earlier run could not even clear up any more.
        disk.remove_tree(folder.staging)
        return restored
    carried = carry_out(folder, step)
    folder.remarks += [f"Not done: {path}. {why}" for path, why in carried.undone.items()]
    return True


def carry_out(
    folder: Folder, step: Step = no_step, told: Listener = NoListener(), sure: Collection[str] = ()
) -> Carried:
    """Does what the journal says, from wherever it stopped, and ends it.

    `sure`: sha256 of staged files that this very process hashed; all others are hashed before they are placed.
    """
    change = read_journal(folder)
    assert change is not None
    before = folder.record()
    with trouble_told(folder.root):
        carrying = _Carrying(folder, change, set(sure))
        carrying.note_adopted()
        for move_ in change.moves:
            step(f"{move_[0]} {move_[1]}")
            carrying.do(*move_)
            told.file(move_[1], 0, 0)
        step("record")
        folder.write_record(_new_record(folder, change, before, carrying))
        step("history")
        moved = tuple(lying_in(folder.own / change.aside))
        undone = {**carrying.unreturned, **carrying.undone}
        folder.history().put_down(_entry(change, moved, undone))
        step("end of journal")
        disk.all_on_disk()
        disk.remove(folder.journal)
        disk.remove_tree(folder.staging)
        folder.sweep_settings()
    return Carried(moved, undone)


def _entry(change: Change, moved: Collection[str], undone: Mapping[str, str]) -> dict[str, Any]:
    acts = Counter(act for act, _, _, _ in change.moves)
    return {
        "id": change.id,
        "number": change.number,
        "at": change.at,
        "from": change.before,
        "from_sha256": change.before_sha256,
        **({"from_beside": change.before_beside} if change.before_beside else {}),
        "release": change.release,
        "aside": change.aside,
        "moved": list(moved),
        "back": [path for act, path, _, _ in change.moves if act == BACK],
        "counts": {act.value: acts[act.value] for act in Act if acts[act.value]},
        "mods": change.mods,
        "notes": change.notes,
        "backup": change.backup,
        "undoes": change.undoes,
        "undone": dict(undone),
    }


class _Carrying:
    """One run through a journal's moves. `verified`: paths whose content this run knows to be right; `undone`: those
    that were left out, with why; `unreturned`: those that stay aside, though they were to return.
    """

    def __init__(self, folder: Folder, change: Change, sure: set[str]) -> None:
        self._folder, self._change, self._sure = folder, change, sure
        self._before = Before(folder.own)
        self._aside = folder.own / change.aside
        self._uses = Counter(sha256 for act, _, sha256, _ in change.moves if act != BACK)
        self.verified: set[str] = set()
        self.undone: dict[str, str] = {}
        self.unreturned: dict[str, str] = {}

    def note_adopted(self) -> None:
        """Before anything is moved: what lay here before the pack is the member's from now on."""
        try:
            self._before.add(self._change.adopted)
        except sealed.Damaged as error:
            told = "The list of what lay here before joining is damaged: from now on all of it counts as yours."
            self._folder.put_away(error.place, told)
            self._folder.put_away(sealed.twin_of(error.place), told)
            self._before = Before(self._folder.own)
            # Whose a file is cannot be told any more: then it is the member's, and leaving removes none of them.
            self._before.add({**self._folder.record().hashes(), **self._change.adopted})

    def do(self, act: str, path: str, sha256: str, was: str) -> None:
        """One move. Raises OSError for what may pass; anything else is left out, and why is kept."""
        left_out = self.unreturned if act == BACK else self.undone
        with unless_hopeless(lambda why: left_out.update({path: why})):
            if act == Act.ASIDE:
                self._put_aside(path)
            elif act == Act.REMOVE:
                self._remove(path, was)
            elif act == BACK:
                if returned(self._folder, path, sha256, was):
                    # What lies there now is the member's, whatever was placed there a moment ago.
                    self.verified.discard(path)
            elif act in (Act.MERGE, Act.ADJUST):
                self._merge(path, sha256, was)
            else:
                self._place(path, sha256, was)
        if act != BACK:
            self._uses[sha256] -= 1

    def _put_aside(self, path: str) -> None:
        place = own_place(self._folder.root, path)
        if os.path.lexists(place) and not os.path.lexists(self._aside / path):
            move(place, self._aside / path)

    def _set_aside(self, path: str, place: Path) -> None:
        """Somebody put a file here since the scan: theirs is kept, beside one that was set aside before it."""
        move(place, next(free for free in self._places_aside(path) if _is_free(self._folder.own, free)))

    def _places_aside(self, path: str) -> Iterator[Path]:
        yield self._aside / path
        for number in range(2, 10_000):
            yield self._aside.with_name(f"{self._change.id}-{number}") / path

    def _remove(self, path: str, was: str) -> None:
        """Takes a file of the pack away when it is as the pack placed it; otherwise it is moved aside."""
        place = own_place(self._folder.root, path)
        if is_plain(place) and sha256_of(place) == was:
            if self._before.is_original(path, was):
                self._before.take(place, was)
            else:
                disk.remove(place)
            remove_empty_folders(self._folder.root, path)
        elif os.path.lexists(place):
            self._set_aside(path, place)

    def _place(self, path: str, sha256: str, was: str) -> None:
        """Swaps a staged file in. Done a second time it leaves its work: a staged file that is gone was placed by a run
        that stopped later on, and whatever lies there since is the member's doing. The next scan finds it out.
        """
        place = unlinked(self._folder.root, checked_path(path))
        if is_plain(place) and sha256_of(place) == sha256:
            self.verified.add(path)
            return
        staged = self._staged(sha256)
        if staged is None:
            self.undone[path] = "It was prepared by an earlier run, and is not there any more."
            return
        self._make_way(path)
        if os.path.lexists(place):
            if is_plain(place) and sha256_of(place) == was:
                if self._before.is_original(path, was):
                    self._before.take(place, was)
            else:
                self._set_aside(path, place)
        self._move_in(staged, place, sha256)
        self.verified.add(path)

    def _make_way(self, path: str) -> None:
        """A file where one of the folders on the way is to be is the member's, and goes aside."""
        parts = path.split("/")[:-1]
        for depth in range(1, len(parts) + 1):
            above = "/".join(parts[:depth])
            place = self._folder.root / above
            if os.path.lexists(place) and not place.is_dir():
                self._set_aside(above, place)
                return

    def _merge(self, path: str, sha256: str, was: str) -> None:
        """Puts a merged file in the place of the one it was merged from; one that changed since is left as it is, and
        the record goes on to name what it was merged from: the next sync merges anew.
        """
        place = inside(self._folder.root, path)
        found = sha256_of(place) if is_plain(place) else ""
        if found == sha256:
            return
        staged = self._staged(sha256)
        if staged is None or found != was:
            self.undone[path] = "It was changed since it was merged. The next sync merges it anew."
            return
        if self._before.is_original(path, was):
            self._before.copy(place, was)
        self._move_in(staged, place, sha256)

    def _staged(self, sha256: str) -> Path | None:
        """A staged file, when it holds what it must: somebody may have altered it since it was staged."""
        staged = self._folder.staging / sha256
        if not is_plain(staged):
            return None
        if sha256 not in self._sure:
            if sha256_of(staged) != sha256:
                disk.remove(staged)
                return None
            self._sure.add(sha256)
        return staged

    def _move_in(self, staged: Path, place: Path, sha256: str) -> None:
        if self._uses[sha256] == 1:
            move(staged, place)
            return
        # Copied, not linked: linked, a game that changes one of two equal files would change the other.
        copy = self._folder.staging / "copy"
        copy_beside(staged, copy)
        move(copy, place)


def _is_free(own: Path, place: Path) -> bool:
    """Whether something can be put there: nothing lies there, and no file where a folder on the way would be."""
    if os.path.lexists(place):
        return False
    above = place.parent
    while above != own:
        if os.path.lexists(above):
            return above.is_dir() and not is_link(above)
        above = above.parent
    return True


def returned(folder: Folder, path: str, kept: str, placed: str = "") -> bool:
    """Returns a file that was moved aside, where nothing lies, or only the pack's untouched file; says whether.

    `kept`: where it lies, relative to the agent's folder; `placed`: the sha256 of the pack's file that may give way.
    Raises FolderRefused or HostileArchive where a link is on the way, or the path leads out.
    """
    root, _, rest = kept.partition("/")
    source = own_place(folder.own / root, rest)
    place = own_place(folder.root, path)
    if not os.path.lexists(source):
        return False
    if os.path.lexists(place):
        if not (placed and is_plain(place) and sha256_of(place) == placed):
            return False
        before = Before(folder.own)
        with suppress(sealed.Damaged):
            if before.is_original(path, placed):
                before.take(place, placed)
    move(source, place)
    return True


def _new_record(folder: Folder, change: Change, before: Record, carried: _Carrying) -> Record:
    """The pack's files with a sight of each, so that the next scan need not hash what looks the same.

    Only what was verified just now gets a sight. A file that was altered or vanished since the scan (a change may be
    completed days after it began) keeps the pack's hash and no sight, so that the next scan finds it out. Of what was
    left out, the record goes on to say what it said.
    """
    made = Record(change.release, change.sha256, worlds=change.worlds, sets=change.sets)
    made.beside = read_laid(change.beside)
    made.adjusted = {path: read_adjusting(one) for path, one in change.adjusted.items() if path not in carried.undone}
    for path, sha256 in change.after.items():
        if path in carried.undone:
            continue
        made.files[path] = (sha256, sight_of(folder, path, sha256, before, carried.verified))
        if path in change.renderings:
            made.renderings[path] = change.renderings[path]
            if made.files[path][1] != UNSEEN:
                keep_rendered(folder, path, sha256)
    for path in carried.undone:
        if path in before.files:
            made.files[path] = before.files[path]
        if path in before.renderings:
            made.renderings[path] = before.renderings[path]
        if path in before.adjusted:
            made.adjusted[path] = before.adjusted[path]
    return made
