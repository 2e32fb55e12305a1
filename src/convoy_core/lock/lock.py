"""The lock: the exact outcome. Base, every build with its archive's sha256, every placed file with path and sha256."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from ..conflicts.laying import EVERYTHING, Layer, Parts, lay
from ..outside.claims import NO_CLAIMS, Claims
from ..outside.paths import refuse_twins
from ..settings.formats import Key, Value
from ..settings.readings import as_json
from ..words.model import Archive, Base, Channel, Kind, Pickup, Reach, Side
from .canonical import canonical_json
from .fingerprint import fingerprint
from .terms import Terms

OVERLAY = "_own"
"""Stands for a mod in a lock: the pack's own files, laid over everything. No source can list a mod of this name."""


@dataclass(frozen=True, slots=True)
class LockedBuild:
    """One build as a release fixes it: identity, how it is fetched, and what it means for the crew."""

    mod: str
    name: str
    version: str
    kind: Kind
    channel: Channel
    chosen: bool
    """Chosen by the curator; otherwise brought in by what others need."""
    side: Side
    reach: Reach
    licence: str
    source: str
    pickup: Pickup
    urls: tuple[str, ...]
    page: str
    archive: Archive
    needs: tuple[str, ...] = ()
    """Mods of the lock that meet its needs."""
    optional: bool = False
    advice: str = ""
    """For an optional build: what the curator tells those who choose."""
    on_removal: str = ""
    """For a *save* build: what its leaving does to worlds, in its author's words."""
    memory: int = 0
    """MB that it takes, given or estimated; 0 in releases that did not say."""
    claims: Claims = NO_CLAIMS
    """What it says of itself; nothing in releases that did not say."""
    laid: Parts = EVERYTHING
    """Which of its files are laid down, where it is not all of them."""
    collection: str = ""
    """The collection that it is a line of; empty for the pack's own, and for what was brought in."""

    @property
    def must_match(self) -> bool:
        """Whether everyone on its side has to have exactly this build: a machine that differs in it is not in step."""
        return self.reach.must_match

    @property
    def in_fingerprint(self) -> bool:
        """Whether the fingerprint tells it. That is equal on every machine, the server included, so that a build which
        must match on one side alone cannot be told by it.
        """
        return self.must_match and self.side is Side.BOTH


@dataclass(frozen=True, slots=True)
class TakenUp:
    """A collection that was laid under the pack. `sha256`: of its release's document."""

    id: str
    name: str
    number: str
    sha256: str


@dataclass(frozen=True, slots=True)
class PlacedFile:
    """One file of an installation: path, size in bytes, sha256, and the member of the mod's archive it comes from."""

    path: str
    size: int
    sha256: str
    mod: str
    member: str


@dataclass(frozen=True)
class Lock:
    """Builds in the order in which they are laid down; files sorted by path, each path once (the later build's).

    `covered`: files that lie under another build's, and come to light where that build is left out. `winners`: a path
    or folder to the mod whose file lies there before later ones. `set_aside`: patterns of what is not there at all.
    """

    base: Base
    builds: tuple[LockedBuild, ...]
    files: tuple[PlacedFile, ...]
    managed: tuple[str, ...] = ()
    covered: tuple[PlacedFile, ...] = ()
    terms: Terms = Terms()
    winners: Mapping[str, str] = field(default_factory=dict)
    set_aside: tuple[str, ...] = ()
    collections: tuple[TakenUp, ...] = ()
    """In the order in which they are laid down, under the pack's own lines."""

    @cached_property
    def bare(self) -> Lock:
        """The same builds without their files: enough, and quick, for what asks about builds alone."""
        return replace(self, files=(), covered=())

    @cached_property
    def by_mod(self) -> Mapping[str, LockedBuild]:
        return {build.mod: build for build in self.builds}

    @cached_property
    def by_path(self) -> Mapping[str, PlacedFile]:
        return {file.path: file for file in self.files}

    @cached_property
    def adjusted(self) -> tuple[str, ...]:
        """Settings files that no build carries and in which keys are set as soon as the game, or a mod, wrote them."""
        paths = [path for path in self.terms.by_path if path not in self.by_path and self.terms.is_own_settings(path)]
        return tuple(sorted(path for path in paths if any(one.sets for one in self.terms.by_path[path])))

    def with_sets(self, chosen: Collection[str]) -> Lock:
        """This lock with the offered sets that a member chose."""
        terms = self.terms.with_sets(chosen)
        return self if terms is self.terms else replace(self, terms=terms)

    def share(self, place: Side) -> Lock:
        """What belongs on a player's machine or on the server (docs/rules.md, "Words")."""
        share = self.only({build.mod for build in self.builds if build.side.goes_to(place)})
        terms = self.terms.share(place)
        return share if terms is self.terms else replace(share, terms=terms)

    @property
    def choices(self) -> tuple[LockedBuild, ...]:
        """Builds that a member may leave out: optional, nobody's business but theirs, and needed by no other chosen
        build that stays.
        """
        free = {build.mod for build in self.builds if build.optional and not build.must_match}
        needed = {mod for build in self.builds if build.mod not in free for mod in build.needs}
        return tuple(build for build in self.builds if build.mod in free and build.mod not in needed)

    def without(self, left_out: Collection[str]) -> Lock:
        """What remains when a member leaves optional builds out: what only they needed goes with them.

        Names that are no choice of this lock are passed by: a later release may have made them part of the pack.
        """
        gone = {build.mod for build in self.choices} & set(left_out)
        if not gone:
            return self
        while askers := {one.mod for one in self.choices if one.mod not in gone and gone & set(one.needs)}:
            gone |= askers
        chosen = {build.mod for build in self.builds if build.chosen}
        reached, once = self._reached_from(chosen - gone), self._reached_from(chosen)
        # A brought-in build that no need leads to is there for a reason that this lock does not tell: it stays.
        return self.only({mod for mod in self.by_mod if mod in reached or mod not in once})

    def _reached_from(self, mods: Collection[str]) -> set[str]:
        reached: set[str] = set()
        waiting = list(mods)
        while waiting:
            mod = waiting.pop()
            if mod not in reached:
                reached.add(mod)
                waiting += [need for need in self.by_mod[mod].needs if need in self.by_mod]
        return reached

    def only(self, mods: Collection[str]) -> Lock:
        """This lock with these mods alone; what lay under another's file comes to light."""
        if len(mods) == len(self.builds):
            return self
        gathered: dict[str, list[PlacedFile]] = {build.mod: [] for build in self.builds if build.mod in mods}
        for file in (*self.files, *self.covered):
            if file.mod in gathered:
                gathered[file.mod].append(file)
        files, covered = laid_over([(self.by_mod[mod], placed) for mod, placed in gathered.items()], self.winners)
        builds = tuple(build for build in self.builds if build.mod in mods)
        return replace(self, builds=builds, files=files, covered=covered)

    def fingerprint(
        self,
        present: Mapping[str, str] | None = None,
        values: Mapping[str, Mapping[Key, Value]] | None = None,
    ) -> str:
        """The fingerprint of this lock, or of what a machine has in its place.

        `present`: path to sha256; `values`: enforced keys with what they say there, by path. Settings files count by
        their enforced keys alone: the rest of them is the member's.
        """
        lines = [f"base {self.base.as_text()}"]
        by_hand = self.terms.by_hand
        for file in self.files:
            if file.path in by_hand or self.terms.is_settings(file.path):
                continue
            if self.by_mod[file.mod].in_fingerprint:
                lines.append(f"{file.path} {file.sha256 if present is None else present.get(file.path, 'missing')}")
        for file in self.files:
            if self.by_mod[file.mod].side is Side.BOTH:
                for tweak in self.terms.enforced(file.path):
                    if tweak.side is not Side.BOTH:
                        continue
                    value = tweak.value if present is None else (values or {}).get(file.path, {}).get(tweak.key)
                    lines.append(f"{file.path} {_spelled(tweak.key, value)}")
        return fingerprint(lines)


def without_needs(lock: Lock, missing: Mapping[str, str]) -> dict[str, str]:
    """By mod what is left out, each with why: what cannot be had (`missing`), and what needs it."""
    found = dict(missing)
    grew = True
    while grew:
        grew = False
        for build in lock.builds:
            if build.mod not in found and (need := next((one for one in build.needs if one in found), None)):
                name = lock.by_mod[need].name if need in lock.by_mod else need
                found[build.mod] = f"It needs {name}, which is not there."
                grew = True
    return found


def _spelled(key: Key, value: Value) -> str:
    """A value on a machine may be anything that files hold. What JSON cannot say is no setting's, and equals none."""
    try:
        return canonical_json([list(key), as_json(value)]).decode()
    except UnicodeEncodeError:
        return canonical_json([list(key), None]).decode()


def lay_down(
    layers: Iterable[tuple[LockedBuild, Iterable[PlacedFile]]],
    base: Base,
    managed: Iterable[str],
    terms: Terms = Terms(),
    winners: Mapping[str, str] | None = None,
    set_aside: Sequence[str] = (),
    collections: Sequence[TakenUp] = (),
) -> Lock:
    """A lock from builds in order, each with the files it places; on one path the named winner's file lies, else the
    later build's. Raises HostileArchive where two paths are one file on some systems.
    """
    rows = [(build, tuple(placed)) for build, placed in layers]
    files, covered = laid_over(rows, winners or {}, set_aside)
    refuse_twins(file.path for file in files)
    return Lock(
        base,
        tuple(build for build, _ in rows),
        files,
        tuple(managed),
        covered,
        terms,
        dict(winners or {}),
        tuple(set_aside),
        tuple(collections),
    )


def laid_over(
    layers: Sequence[tuple[LockedBuild, Sequence[PlacedFile]]],
    winners: Mapping[str, str],
    set_aside: Sequence[str] = (),
) -> tuple[tuple[PlacedFile, ...], tuple[PlacedFile, ...]]:
    """What lies there, sorted by path, and what lies below it, in order."""
    carried = [Layer(build.mod, {one.path: one.sha256 for one in files}) for build, files in layers]
    laid = lay(carried, winners, set_aside)
    there: dict[str, PlacedFile] = {}
    below: list[PlacedFile] = []
    for build, files in layers:
        for file in files:
            holder = laid.holder.get(file.path)
            if holder == build.mod:
                there[file.path] = file
            elif holder is not None:
                below.append(file)
    return tuple(there[path] for path in sorted(there)), tuple(below)
