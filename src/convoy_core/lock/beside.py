"""Collections that a member takes up beside a pack: what of them is laid down on their machine, and what is not.

They touch nobody else. Only builds of reach *own* are laid down, below everything of the pack's, whose files, settings
and worlds stay as they are. Source: docs/rules.md, "Collections".
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..outside.paths import fold
from ..words.model import Side
from ..words.profile import WORLD
from .lock import OVERLAY, Lock, LockedBuild, PlacedFile, TakenUp, laid_over
from .suits import SUITS_ALL, Suits
from .terms import Check, HandStep, How, Tweak, step_id

MOST_BESIDE = 30
"""Collections that one installation may take up."""


@dataclass(frozen=True)
class Own:
    """One release of a collection beside a pack. `refused`: builds of it that do not go together with the pack, each
    with why; whoever can ask the catalogue finds that out.
    """

    taken: TakenUp
    lock: Lock
    suits: Suits = SUITS_ALL
    refused: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A build of a collection that is not laid down, and why, as a phrase."""

    collection: str
    mod: str
    name: str
    version: str
    because: str


@dataclass(frozen=True)
class Beside:
    """`lock`: a pack's share with what is its member's own below it; `paths`: what lies there for that alone, and is
    nobody else's business; `mods`: by collection, the builds of it that are laid down.
    """

    lock: Lock
    paths: frozenset[str] = frozenset()
    mods: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    left_out: tuple[LeftOut, ...] = ()


def beside(pack: Lock, share: Lock, side: Side, owns: Sequence[Own], without: Collection[str] = ()) -> Beside:
    """`share`: what of the pack belongs on the machine; `owns`: as they are laid down, first to last; `without`:
    optional builds that the member does without.
    """
    if not owns:
        return Beside(share)
    laid = _Laying(pack, share, side, owns, without)
    rows = [(build, laid.files[build.mod]) for _, build in laid.in_order()]
    winners = {
        place: mod for one in owns for place, mod in one.lock.winners.items() if laid.keeper.get(mod) == one.taken.id
    }
    placed, _ = laid_over(rows, winners, share.set_aside)
    terms = share.terms
    # Where the pack sets keys in a settings file that the game writes, nobody else lays one down.
    not_theirs = {*share.by_path, *terms.by_path, *terms.by_hand}
    own = tuple(file for file in placed if file.path not in not_theirs)
    paths = frozenset(file.path for file in own)
    lock = replace(
        share,
        builds=(*(build for build, _ in rows), *share.builds),
        files=tuple(sorted((*share.files, *own), key=lambda file: file.path)),
        terms=replace(
            terms,
            tweaks=(*terms.tweaks, *_tweaks(share, owns, laid)),
            steps=(*_steps(owns, laid, paths), *terms.steps),
        ),
    )
    mods = {one.taken.id: tuple(build.mod for theirs, build in laid.in_order() if theirs is one) for one in owns}
    return Beside(lock, paths, mods, tuple(laid.left_out))


class _Laying:
    """Which builds are laid down: `keeper`, by mod the collection whose build it is, and `files`, where they lie."""

    def __init__(self, pack: Lock, share: Lock, side: Side, owns: Sequence[Own], without: Collection[str]) -> None:
        self.owns, self.left_out = owns, list[LeftOut]()
        self.keeper: dict[str, str] = {}
        self.files: dict[str, list[PlacedFile]] = {}
        self.misfits: set[str] = set()
        self._pack, self._share, self.side = pack, share, side
        self._shares = {one.taken.id: one.lock.share(side).without(without) for one in owns}
        self._taken = {fold(path): path for path in share.by_path}
        self._folders = {folder for path in self._taken for folder in _folders(path)}
        for one in reversed(owns):
            self._judge(one)
        while unmet := [(one, build, need) for one, build in self.in_order() if (need := self._unmet(one, build))]:
            for one, build, need in unmet:
                self._leave_out(one, build, f"it needs {_name(one, need)}, which is not here")
                del self.keeper[build.mod]
        self._drop_idle()
        holds = {one.taken.id for one in owns if any(build.chosen for build in one.lock.builds)}
        self.counts = ({one.taken.id for one in owns} - holds | set(self.keeper.values())) - self.misfits
        """Collections of which settings and steps count: something of them is there, or they are nothing else."""

    def in_order(self) -> Iterator[tuple[Own, LockedBuild]]:
        for one in self.owns:
            for build in self._shares[one.taken.id].builds:
                if self.keeper.get(build.mod) == one.taken.id:
                    yield one, build

    def _judge(self, one: Own) -> None:
        misfit = one.suits.misfit(self._share.base)
        if misfit:
            self.misfits.add(one.taken.id)
        share = self._shares[one.taken.id]
        files: dict[str, list[PlacedFile]] = {build.mod: [] for build in share.builds}
        for file in (*share.files, *share.covered):
            files[file.mod].append(file)
        for build in reversed(share.builds):
            if build.mod == OVERLAY:
                continue
            because = f"it is {misfit}" if misfit else self._against(one, build, files[build.mod])
            if because:
                self._leave_out(one, build, because)
                continue
            self.keeper[build.mod], self.files[build.mod] = one.taken.id, files[build.mod]
            folded = {fold(file.path): file.path for file in files[build.mod]}
            self._taken = folded | self._taken
            self._folders |= {folder for path in folded for folder in _folders(path)}

    def _against(self, one: Own, build: LockedBuild, files: Sequence[PlacedFile]) -> str:
        """Why a build is not laid down, as a phrase; empty where it is."""
        if there := self._pack.by_mod.get(build.mod):
            return "the pack has it" if there.version == build.version else f"the pack has {there.version}"
        if later := self.keeper.get(build.mod):
            return f"{next(each.taken.name for each in self.owns if each.taken.id == later)} has it"
        if build.must_match:
            return "it must be the same for everyone, so that only the pack can bring it"
        if build.mod in one.refused:
            return one.refused[build.mod]
        if any(WORLD in file.path or self._share.terms.is_world(file.path) for file in files):
            return "it lies in saved worlds"
        for file in files:
            path = fold(file.path)
            if path in self._folders or self._taken.get(path, file.path) != file.path:
                return f"{file.path} would stand in the way of what lies there"
            if any(folder in self._taken for folder in _folders(path)):
                return f"{file.path} would lie in what is a file there"
        return ""

    def _unmet(self, one: Own, build: LockedBuild) -> str:
        """A mod that a build needs and that nobody brings; empty where there is none."""
        theirs = one.lock.by_mod
        for need in build.needs:
            if need in self._share.by_mod or need in self.keeper:
                continue
            there = self._pack.by_mod.get(need) or theirs.get(need)
            if there is None or there.side.goes_to(self.side):
                return need
        return ""

    def _drop_idle(self) -> None:
        """What was brought in for what is not laid down is not told: nobody asked for it."""
        builds = {build.mod: build for _, build in self.in_order()}
        reached: set[str] = set()
        waiting = [mod for mod, build in builds.items() if build.chosen]
        while waiting:
            mod = waiting.pop()
            if mod in builds and mod not in reached:
                reached.add(mod)
                waiting += builds[mod].needs
        for mod in builds.keys() - reached:
            del self.keeper[mod]

    def _leave_out(self, one: Own, build: LockedBuild, because: str) -> None:
        if build.chosen:
            self.left_out.append(LeftOut(one.taken.id, build.mod, build.name, build.version, because))


def _name(one: Own, mod: str) -> str:
    return one.lock.by_mod[mod].name if mod in one.lock.by_mod else mod


def _folders(path: str) -> Iterator[str]:
    while path := path.rpartition("/")[0]:
        yield path


def _tweaks(share: Lock, owns: Sequence[Own], laid: _Laying) -> list[Tweak]:
    """Settings of files that the pack has nothing to say of; of one key the later collection's. Nothing of them must
    match anybody's: they are starting values.
    """
    theirs = {
        (tweak.path, tweak.key): replace(tweak, how=How.START) if tweak.how is How.ENFORCED else tweak
        for one in owns
        if one.taken.id in laid.counts
        for tweak in one.lock.terms.share(laid.side).tweaks
        if tweak.path not in share.by_path and share.terms.is_own_settings(tweak.path)
    }
    for tweak in share.terms.tweaks:
        theirs.pop((tweak.path, tweak.key), None)
    return list(theirs.values())


def _steps(owns: Sequence[Own], laid: _Laying, paths: Collection[str]) -> list[HandStep]:
    """A step that changes a file excuses it; a collection excuses none but its own."""
    found = []
    for step in (
        replace(step, id=step_id(one.taken.id, step.id))
        for one in owns
        if one.taken.id in laid.counts
        for step in one.lock.terms.steps
    ):
        is_theirs = step.check is Check.NONE or step.path in paths
        found.append(step if is_theirs else replace(step, check=Check.NONE, path=""))
    return found
