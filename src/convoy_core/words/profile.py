"""Game profiles: everything the product knows about a game. `outside.game_profile` reads them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from .errors import ConvoyError
from .log_shape import LogShape
from .model import Base, Kind
from .ranges import Range
from .versions import Version, parse_version


class GameChannel(StrEnum):
    STABLE = "stable"
    PREVIEW = "preview"
    ARCHIVED = "archived"


class NoSuchBase(ConvoyError):
    """A base that the game profile does not list."""

    code = "no-such-base"


WORLD = "{world}"
"""Stands in a place, and in a lock's path, for every saved world that a member names."""

MAX_NEIGHBOURS = 6
"""Bases that are tried as ways out: more would only be a longer list to read."""


@dataclass(frozen=True, slots=True)
class GameVersion:
    version: Version
    label: str
    channel: GameChannel
    runtime: str
    """Version of the runtime that this game version wants."""


@dataclass(frozen=True, slots=True)
class LoaderVersion:
    version: Version
    games: Range
    recommended: bool


@dataclass(frozen=True, slots=True)
class Loader:
    id: str
    name: str
    versions: tuple[LoaderVersion, ...]

    def versions_for(self, game: Version) -> tuple[LoaderVersion, ...]:
        """Loader versions that run on a game version, newest first."""
        fitting = [one for one in self.versions if one.games.holds(game)]
        return tuple(sorted(fitting, key=lambda one: one.version, reverse=True))


@dataclass(frozen=True, slots=True)
class KindLayout:
    """Where content of a kind goes (`place`, with `{mod}`, and `{world}` for what goes into saved worlds), and the
    marker file that its root carries, if any.
    """

    place: str
    marker: str

    @property
    def folder(self) -> str:
        """The folder in the game, or in a world, by whose name an archive's content of this kind is known."""
        return (self.place.partition(f"{WORLD}/")[2] or self.place).split("/")[0]

    def top(self, mod: str) -> str:
        """What the paths of a mod's files begin with: `mods/lock-ledger/`, or nothing."""
        place = self.place.replace("{mod}", mod)
        return f"{place}/" if place else ""

    def marker_at(self, mod: str) -> str:
        """Where a mod's marker lies in an installation; empty where the kind has none."""
        return self.top(mod) + self.marker if self.marker else ""


@dataclass(frozen=True, slots=True)
class Estimate:
    """Memory of a build that gives no figure of its own: `each` MB, and `per_mb` for every MB of its files."""

    each: float
    per_mb: float


@dataclass(frozen=True, slots=True)
class MemoryFigures:
    """A game's own: MB without any mod, and estimates by kind."""

    base: int
    estimates: Mapping[Kind, Estimate]


@dataclass(frozen=True, slots=True)
class StartHints:
    """How a game is started. `files`: the program's name by system, by which it is looked for; it is the member who
    says what is run. Arguments are handed over one by one, without a shell; what stands in braces is filled in, and
    `memory`, `window` and `server` are added where there is something to fill in.
    """

    files: Mapping[str, str]
    arguments: tuple[str, ...]
    plain: tuple[str, ...]
    """Arguments for a start without mods."""
    memory: tuple[str, ...] = ()
    window: tuple[str, ...] = ()
    server: tuple[str, ...] = ()


SYSTEMS = ("linux", "macos", "windows")
PLACEHOLDERS = frozenset({"memory_mb", "server", "window", "folder"})
"""What may stand in braces in an argument."""


COMMENT_PARTS = frozenset({"title", "description", "default", "allowed", "lowest", "highest", "unit"})
"""What a pattern for comments may take from one."""


@dataclass(frozen=True, slots=True)
class GameProfile:
    id: str
    name: str
    summary: str
    versions: tuple[GameVersion, ...]
    """Newest first."""
    loaders: tuple[Loader, ...]
    kinds: Mapping[Kind, KindLayout]
    memory: MemoryFigures
    managed: tuple[str, ...]
    """Folders in which a file that the pack does not name is a difference, not the member's own business."""
    settings: tuple[str, ...] = ()
    """Patterns of the paths where settings files lie (`lock.terms`): they are merged, never just replaced."""
    worlds: tuple[str, ...] = ()
    """Folders of saved worlds."""
    data: tuple[str, ...] = ()
    """Patterns of other files that can be read key by key, and are compared so."""
    comments: tuple[str, ...] = ()
    """How comments in settings files say what a setting is (`settings.knowledge`); none: as people usually do."""
    start: StartHints | None = None
    log: LogShape | None = None

    @property
    def loader_names(self) -> dict[str, str]:
        return {loader.id: loader.name for loader in self.loaders}

    def runtime_of(self, base: Base) -> str:
        """The runtime that a base's game version wants; empty where the profile no longer lists it."""
        return next((one.runtime for one in self.versions if one.version == base.version), "")

    def game_version(self, text: str) -> GameVersion:
        wanted = parse_version(text)
        for one in self.versions:
            if one.version == wanted:
                return one
        raise NoSuchBase(f"{self.name} has no version {text}.", now="Choose one of those listed.", version=text)

    def loader(self, loader_id: str) -> Loader:
        for one in self.loaders:
            if one.id == loader_id:
                return one
        raise NoSuchBase(f"{self.name} has no loader “{loader_id}”.", loader=loader_id)

    def base_in_words(self, base: Base) -> str:
        """A base as people say it: "Tillerway 2.1, Bosun 5.2.0"."""
        known = [one.label for one in self.versions if one.version == base.version]
        game = f"{self.name} {known[0] if known else base.version}"
        return f"{game}, {self.loader(base.loader).name} {base.loader_version}" if base.loader else game

    def bases(self) -> list[Base]:
        """Every game version with every loader that runs on it, in its newest version; newest first.

        A game without loaders gives its versions alone.
        """
        found = []
        for game in self.versions:
            if not self.loaders:
                found.append(Base(self.id, game.version, names=self.loader_names))
            for loader in self.loaders:
                if newest := loader.versions_for(game.version)[:1]:
                    found.append(Base(self.id, game.version, loader.id, newest[0].version, self.loader_names))
        return found

    def neighbours(self, base: Base) -> list[Base]:
        """Other stable bases that one might move to, the likeliest first: same loader, nearest game version."""
        stable = [one.version for one in self.versions if one.channel is GameChannel.STABLE]
        place = {version: at for at, version in enumerate(stable)}
        here = place.get(base.version, 0)
        others = [
            one
            for one in self.bases()
            if one.version in place and (one.version, one.loader) != (base.version, base.loader)
        ]
        others.sort(key=lambda one: (one.loader != base.loader, abs(place[one.version] - here)))
        return others[:MAX_NEIGHBOURS]

    def base(self, version: str, loader: str, loader_version: str) -> Base:
        """A base of this game. Raises NoSuchBase when the parts do not exist or do not go together."""
        game = self.game_version(version)
        if not loader:
            return Base(self.id, game.version, names=self.loader_names)
        chosen = self.loader(loader)
        wanted = parse_version(loader_version)
        for one in chosen.versions_for(game.version):
            if one.version == wanted:
                return Base(self.id, game.version, loader, one.version, self.loader_names)
        raise NoSuchBase(
            f"{chosen.name} {loader_version} does not run on {self.name} {game.label}.",
            now="Choose one of the loader versions listed for it.",
            loader_version=loader_version,
        )
