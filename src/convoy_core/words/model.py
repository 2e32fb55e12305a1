"""The words of the job as plain data: base, build, what it carries and needs. Source: docs/rules.md, "Words".

Everything here is immutable and says nothing about how it is kept or sent.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from .ranges import ANY_VERSION, Range
from .versions import Version


class Kind(StrEnum):
    MOD = "mod"
    LIBRARY = "library"
    TEXTURES = "texture pack"
    LIGHTING = "lighting pack"
    SCENARIO = "scenario"
    SETTINGS = "settings"
    TOOL = "tool"


class Channel(StrEnum):
    STABLE = "stable"
    BETA = "beta"
    ALPHA = "alpha"


class Pickup(StrEnum):
    DIRECT = "direct"
    CLICK = "click"
    BY_HAND = "by hand"
    WITHHELD = "withheld"
    OURS = "ours"

    @property
    def is_automatic(self) -> bool:
        """Whether a program fetches it alone; of every other pickup each build is an errand for each member."""
        return self in (Pickup.DIRECT, Pickup.OURS)


class Side(StrEnum):
    PLAYER = "player"
    SERVER = "server"
    BOTH = "both"

    def goes_to(self, place: Side) -> bool:
        """Whether a build of this side belongs on `place` (PLAYER or SERVER)."""
        return self is Side.BOTH or self is place


class Reach(StrEnum):
    OWN = "own"
    CREW = "crew"
    SAVE = "save"

    @property
    def must_match(self) -> bool:
        """Whether everyone on whose side the build belongs must have exactly the same."""
        return self in (Reach.CREW, Reach.SAVE)


@dataclass(frozen=True, slots=True)
class Base:
    """Game version, loader and loader version; `loader` is empty for a game or pack without one."""

    game: str
    version: Version
    loader: str = ""
    loader_version: Version | None = None
    names: Mapping[str, str] = field(default_factory=dict, compare=False, repr=False)
    """What loaders are called in sentences, by id; where one is missing, its id is said."""

    def called(self, loader: str) -> str:
        return self.names.get(loader, loader)

    def as_text(self) -> str:
        text = f"{self.game} {self.version}"
        return f"{text}, {self.loader} {self.loader_version}" if self.loader else text


@dataclass(frozen=True, slots=True)
class Verdict:
    """A curator's word on one build: that it works, or does not, on a game version with a loader (empty: none),
    whatever the build says of itself. `on`: the day, as ISO 8601.
    """

    game: Version
    loader: str
    works: bool
    by: str
    on: str
    note: str = ""

    def is_about(self, base: Base) -> bool:
        return (self.game, self.loader) == (base.version, base.loader)

    def sentence(self) -> str:
        said = f"{'works' if self.works else 'does not work'} on {self.game}, {self.by} said on {self.on}"
        return f"{said} ({self.note})" if self.note else said


@dataclass(frozen=True, slots=True)
class Archive:
    """The file in which a build comes. `size` in bytes, `sha256` as lower-case hex."""

    name: str
    size: int
    sha256: str


@dataclass(frozen=True, slots=True)
class CarriedFile:
    """One file inside an archive: `path` relative to the archive's root as the layout rules find it."""

    path: str
    size: int
    sha256: str


@dataclass(frozen=True, slots=True)
class Build:
    """One published version of a mod, as far as resolving and checking need it."""

    mod: str
    version: Version
    channel: Channel = Channel.STABLE
    games: Range = ANY_VERSION
    loaders: Mapping[str, Range] = field(default_factory=dict)
    """Loader id to the loader versions it runs on; empty: fits every loader, and none."""
    needs: Mapping[str, Range] = field(default_factory=dict)
    breaks: Mapping[str, Range] = field(default_factory=dict)
    provides: Mapping[str, Version] = field(default_factory=dict)
    verdicts: tuple[Verdict, ...] = ()

    def verdict_on(self, base: Base) -> Verdict | None:
        return next((one for one in self.verdicts if one.is_about(base)), None)

    @property
    def key(self) -> tuple[str, Version]:
        return (self.mod, self.version)


def misfit(build: Build, base: Base) -> str:
    """Why a build does not fit a base, as a phrase; empty when it fits. A verdict on this base goes before everything,
    but that no verdict makes a build of another loader; then game version, then loader.

    Source: docs/rules.md, "The job" 4; "Verdicts".
    """
    said = build.verdict_on(base) if build.verdicts else None
    if said is not None and not said.works:
        return f"not used: it {said.sentence()}"
    if said is not None and (not build.loaders or base.loader in build.loaders):
        return ""
    if not build.games.holds(base.version):
        return f"made for game version {build.games.in_words()}, not {base.version}"
    if not build.loaders:
        return ""
    if not base.loader:
        return f"runs on {_either(build, base)} only, and the base has no loader"
    wanted = build.loaders.get(base.loader)
    if wanted is None:
        return f"made for {_either(build, base)}, not {base.called(base.loader)}"
    if base.loader_version is None or not wanted.holds(base.loader_version):
        return f"wants {base.called(base.loader)} {wanted.in_words()}, the base has {base.loader_version}"
    return ""


def newest_misfits(build: Build, base: Base) -> str:
    """Why a mod has nothing for a base, as a sentence about its newest build, which does not fit."""
    return f"Its newest build, {build.version}, is {misfit(build, base)}."


def _either(build: Build, base: Base) -> str:
    return " or ".join(sorted(base.called(loader) for loader in build.loaders))
