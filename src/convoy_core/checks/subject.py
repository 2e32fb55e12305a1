"""What the checks look at: a draft with its lock, its readings, its base, its game, and the machines that follow it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

from ..conflicts.clashes import Compared, compare
from ..conflicts.laying import Laid, Layer, Meeting, carry, lay
from ..lock.lock import OVERLAY, Lock, LockedBuild, PlacedFile
from ..lock.playthroughs import Rule
from ..lock.terms import Terms
from ..log.fates import Fate
from ..machine.memory import Needed
from ..machine.verdict import Machine
from ..outside.patterns import matcher
from ..settings.formats import MAX_BYTES, Key, format_of
from ..settings.limits import Limit, Noted, limits_of, notes_of
from ..settings.readings import Reading
from ..words.kept import Kept
from ..words.model import Base, Build
from ..words.profile import GameProfile
from .file_set import FileSet
from .finding import Way, drop, remove, switch_off

T = TypeVar("T")
Placed = tuple[LockedBuild, Sequence[PlacedFile]]


@dataclass(frozen=True, slots=True)
class DraftLine:
    """A chosen line: what it is called, whether it is on, and the version that it is held at, if any."""

    name: str
    on: bool = True
    held: str = ""
    is_library: bool = False
    collection: str = ""
    """The collection that it is a line of, if any."""


@dataclass(frozen=True, slots=True)
class Under:
    """A collection under the draft. `misfit`: why it does not suit the base; `withdrawn`: why its release was; `newer`:
    the number of a release that suits.
    """

    id: str
    name: str
    number: str
    misfit: str = ""
    withdrawn: str = ""
    newer: str = ""


@dataclass(frozen=True, slots=True)
class NoBuild:
    """A wanted line without a build. `nearest`: the newest of its builds; `refused`: why its archives cannot be used;
    `counterparts`: mods that do its job elsewhere, by id with their names; `ways`: what the resolver tried.
    """

    name: str
    why: str
    ways: tuple[Way, ...] = ()
    nearest: Build | None = None
    refused: str = ""
    counterparts: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Patch:
    """A mod of the catalogue that joins others, and would fit; it is not in the draft."""

    mod: str
    name: str
    partners: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Follower:
    """A machine that follows the pack. `lacks`: what it has not of the release that it should have, as sentences."""

    name: str
    machine: Machine
    lacks: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Playing:
    """An open playthrough. `now`: the release that its world is played with."""

    id: str
    name: str
    rule: Rule
    now: Lock


@dataclass(frozen=True, slots=True)
class Unreviewed:
    """Who uploaded a build whose claim waits for a second curator; what its marker says of side and reach; and who said
    no to it, with why.
    """

    by: str
    marker: Mapping[str, str] = field(default_factory=dict)
    refused_by: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class Tried:
    """How the bench's last start of exactly this draft went. `named`: the mods that its cause names; `fates`: by mod
    *loaded*, *silent* or *failed*; `on`: the day, as ISO 8601 has it.
    """

    came_up: bool
    sentence: str
    named: tuple[str, ...]
    fates: Mapping[str, str]
    on: str
    without: tuple[str, ...] = ()
    """Mods that the bench could not have, by name."""

    @property
    def worse(self) -> list[tuple[str, str]]:
        """Mods that did not come up, with their fate."""
        return sorted((mod, fate) for mod, fate in self.fates.items() if fate != Fate.LOADED)[:60]


@dataclass(frozen=True)
class Subject:
    """`layers`: builds in order with the files that each lays down. `readings`: by the file's sha256. `gone`: mods
    whose build no source lists any more. `newest`: mod to its newest stable build that fits the base and is not the
    draft's. `before`: the release that members have.
    """

    profile: GameProfile
    base: Base
    layers: Sequence[Placed]
    terms: Terms = Terms()
    lines: Mapping[str, DraftLine] = field(default_factory=dict)
    under: Sequence[Under] = ()
    unsettled: Mapping[str, NoBuild] = field(default_factory=dict)
    cores: Mapping[str, Build] = field(default_factory=dict)
    readings: Mapping[str, Reading] = field(default_factory=dict)
    winners: Mapping[str, str] = field(default_factory=dict)
    set_aside: Sequence[str] = ()
    set_aside_text: str = ""
    gone: Collection[str] = ()
    newest: Mapping[str, Build] = field(default_factory=dict)
    patches: Sequence[Patch] = ()
    before: Lock | None = None
    followers: Sequence[Follower] = ()
    playing: Sequence[Playing] = ()
    drafted: Lock | None = None
    """The lock that the draft would be; only where somebody plays."""
    needed: Needed = Needed()
    unreviewed: Mapping[str, Unreviewed] = field(default_factory=dict)
    """By mod the crew's own builds whose claims wait; nothing where the crew does not ask for it."""
    written: Mapping[str, str] = field(default_factory=dict)
    """Settings files that no build carries and that the game, or a mod, wrote on somebody's machine: path to sha256."""
    tried: Tried | None = None
    """None where the bench has not started the draft as it is."""
    names: Mapping[str, str] = field(default_factory=dict)
    """What mods are called that have no build in the draft."""
    kept: Kept = field(default_factory=Kept, repr=False, compare=False)
    """Handed from check to check: what an edit leaves as it was is not worked out again."""
    kept_whole: Kept = field(default_factory=Kept, repr=False, compare=False)
    """The same for what is as large as all files of a draft: one answer for each `draft`, which tells these apart."""
    draft: Hashable = ""

    @cached_property
    def builds(self) -> Mapping[str, LockedBuild]:
        return {build.mod: build for build, _ in self.layers}

    def name(self, mod: str) -> str:
        if mod in self.builds:
            return self.builds[mod].name
        return self.lines[mod].name if mod in self.lines else self.names.get(mod, mod)

    @cached_property
    def files(self) -> Mapping[str, FileSet]:
        """By mod, in order."""
        return {build.mod: files if isinstance(files, FileSet) else FileSet(files) for build, files in self.layers}

    @cached_property
    def laid(self) -> Laid:
        layers = [Layer(mod, files.hashes) for mod, files in self.files.items()]
        carried = self.of_all_files("carried", self.set_aside, lambda: carry(layers, self.set_aside))
        return lay(layers, self.winners, self.set_aside, carried)

    def of_all_files(self, what: str, equal: object, make: Callable[[], T]) -> T:
        """What rests on the files of all builds, whatever their order, and on nothing else but what has to be `equal`.
        An edit that moves lines leaves it as it was.
        """
        mods = sorted(self.files)
        return self.kept_whole.get((what, self.draft), (mods, equal), [self.files[mod] for mod in mods], make)

    @cached_property
    def hashes(self) -> Mapping[str, Mapping[str, str]]:
        """Mod to path to sha256."""
        return {mod: files.hashes for mod, files in self.files.items()}

    def held(self, mod: str, paths: Iterable[str]) -> list[str]:
        """Of some paths of a mod those where its file comes to lie."""
        return [path for path in paths if self.laid.holder.get(path) == mod]

    @cached_property
    def _readable(self) -> tuple[str, ...]:
        return (*self.profile.settings, *self.profile.data)

    def is_readable(self, path: str) -> bool:
        """Whether files at a path are read key by key: the game names the place, and the format is known."""
        return bool(self._readable and format_of(path) and matcher(self._readable).fullmatch(path))

    @cached_property
    def readable_meetings(self) -> tuple[Meeting, ...]:
        return tuple(one for one in self.laid.meetings if self.is_readable(one.path))

    @cached_property
    def to_read(self) -> frozenset[str]:
        """Hashes of the files that checks would read: those in a conflict, those that a setting of the pack is for, and
        what describes these.
        """
        wanted = {self.hashes[mod][one.path] for one in self.readable_meetings for mod in one.by}
        holders = [(tweak.path, self.laid.holder.get(tweak.path)) for _, tweak in self.terms.with_offered()]
        wanted |= {self.hashes[mod][path] for path, mod in holders if mod is not None}
        wanted |= {self.written[path] for path, mod in holders if mod is None and path in self.written}
        schemas = [self.schema_of(mod) for _, mod in holders if mod is not None]
        return frozenset(wanted | {schema.sha256 for schema in schemas if schema and schema.size <= MAX_BYTES})

    def is_data(self, path: str) -> bool:
        """Whether a path is one of the game's data: read for everybody, unlike settings."""
        return bool(self.profile.data and matcher(self.profile.data).fullmatch(path))

    def reading(self, mod: str, path: str) -> Reading | None:
        return self.readings.get(self.hashes[mod].get(path, ""))

    def schema_of(self, mod: str) -> PlacedFile | None:
        """The file that describes a build's settings; None where it names none, or lays none down."""
        named = self.builds[mod].claims.schema
        return next((file for file in self.files[mod] if file.member == named), None) if named else None

    def limits(self, mod: str) -> Mapping[Key, Limit]:
        """What a build says that its settings may be; nothing where that was not read."""
        if mod not in self._limits:
            schema = self.schema_of(mod)
            reading = self.readings.get(schema.sha256) if schema else None
            self._limits[mod] = limits_of(reading.keys) if reading and not reading.trouble else {}
        return self._limits[mod]

    def notes(self, mod: str) -> Mapping[Key, Noted]:
        """What the same description says of a build's settings for people."""
        schema = self.schema_of(mod)
        reading = self.readings.get(schema.sha256) if schema else None
        return notes_of(reading.keys) if reading and not reading.trouble else {}

    @cached_property
    def _limits(self) -> dict[str, Mapping[Key, Limit]]:
        return {}

    def is_decided(self, path: str) -> bool:
        """Whether the draft names a winner for a path, or a folder above it, and the winner carries it."""
        place = path
        while place:
            mod = self.winners.get(place)
            if mod is not None and path in self.hashes.get(mod, {}):
                return True
            place = place.rpartition("/")[0]
        return False

    @cached_property
    def open_meetings(self) -> tuple[Meeting, ...]:
        """Paths with different content for which nobody said who wins, and where the pack's own files are not."""
        return tuple(one for one in self.laid.meetings if OVERLAY not in one.by and not self.is_decided(one.path))

    @cached_property
    def _joins(self) -> tuple[frozenset[str], ...]:
        """What each patch of the draft joins, itself among them."""
        builds = (build for build, _ in self.layers if len(build.claims.partners) > 1)
        return tuple(frozenset((build.mod, *build.claims.partners)) for build in builds)

    def is_joined(self, *mods: str) -> bool:
        """Whether a patch that is in the draft joins these mods, or is one of them."""
        return any(one.issuperset(mods) for one in self._joins)

    def compared(self, meeting: Meeting) -> Compared | None:
        """A meeting key by key; None where the files are not read, or cannot be."""
        if not self.is_readable(meeting.path):
            return None
        found = {mod: self.reading(mod, meeting.path) for mod in meeting.by}
        trees = {mod: one.keys for mod, one in found.items() if one is not None and not one.trouble}
        if len(trees) < len(meeting.by):
            return None
        return self.kept.get(meeting, (), [trees[mod] for mod in meeting.by], lambda: compare(meeting, trees))

    def top(self, mod: str) -> str:
        """What the paths of a mod's files begin with; nothing for the pack's own."""
        layout = self.profile.kinds.get(self.builds[mod].kind)
        return layout.top(mod) if layout and mod != OVERLAY else ""

    def part_with(self, mod: str, paths: Sequence[str]) -> tuple[str, str] | None:
        """The smallest laid-down part of a build that all these paths belong to: id and name."""
        build, top = self.builds[mod], self.top(mod)
        fitting = []
        for part in build.claims.parts:
            caught = matcher(tuple(f"{top}{pattern}" for pattern in part.patterns))
            if all(caught.fullmatch(path) for path in paths):
                fitting.append((sum(bool(caught.fullmatch(path)) for path in self.hashes[mod]), part.id, part.name))
        return min(fitting)[1:] if fitting else None

    def ways_without(self, mod: str) -> tuple[Way, ...]:
        """Switching off and removing, for a chosen line; leaving out or dropping, for a collection's. A mod that was
        brought in leaves with what needs it.
        """
        if mod not in self.lines:
            return ()
        name, theirs = self.name(mod), self.collection_of(mod)
        return (switch_off(mod, name), drop(theirs.id, theirs.name) if theirs else remove(mod, name))

    def collection_of(self, mod: str) -> Under | None:
        """The collection that a mod is a line of."""
        line = self.lines.get(mod)
        return next((one for one in self.under if line and one.id == line.collection), None)
