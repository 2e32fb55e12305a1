"""What a game profile makes of something real: an archive as a mod, or a folder as an installation.

For whoever writes a profile: it shows what would be recognised, where everything would go, and what would be called
settings and worlds, before anybody depends on it. Nothing is opened here; names and sizes are enough.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..words.errors import ConvoyError
from ..words.model import Kind
from ..words.profile import GameProfile, KindLayout
from .archive_root import placements
from .inspection import Member, Refusal, inspect_members, refusals_of
from .paths import is_agents
from .patterns import matcher

SHOWN = 12
"""Paths shown of a group: enough to see what it is."""

EXAMPLE = "example-mod"
"""The id that a tried archive's mod is taken to have."""


@dataclass(frozen=True, slots=True)
class AsKind:
    """An archive as content of one kind: `placed` rows of (path in the installation, path in the archive), the first
    SHOWN; or `why` it cannot be laid down as that.
    """

    kind: Kind
    root: str
    files: int
    placed: tuple[tuple[str, str], ...]
    settings: tuple[str, ...]
    why: str
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TriedArchive:
    """`recognised`: kinds that the archive's own marker speaks for. `refusals` condemn it whatever it is."""

    files: int
    refusals: tuple[Refusal, ...]
    kinds: tuple[AsKind, ...]
    recognised: tuple[Kind, ...]


class Role(StrEnum):
    """What a file of an installation is by a profile."""

    CONTENT = "content that packs place"
    SETTINGS = "settings file"
    WORLD = "saved world"
    DATA = "data that is read"
    LOG = "log"
    OUTSIDE = "the game's own, left alone"
    AGENT = "the agent's"


@dataclass(frozen=True, slots=True)
class RoleShare:
    """How many files have a role, their bytes, and the first SHOWN of them."""

    role: Role
    files: int
    size: int
    paths: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TriedFolder:
    """`loaded`: folders that would be taken for a mod, with their kinds; `unmarked`: those that lack the marker."""

    shares: tuple[RoleShare, ...]
    loaded: tuple[tuple[str, tuple[Kind, ...]], ...]
    unmarked: tuple[str, ...]


def try_archive(members: Sequence[Member], profile: GameProfile) -> TriedArchive:
    """Never raises: what is wrong with it is told."""
    refusals = refusals_of(members)
    if refusals:
        return TriedArchive(len(members), refusals, (), ())
    kinds = tuple(_as_kind(members, profile, kind, layout) for kind, layout in profile.kinds.items())
    recognised = tuple(one.kind for one in kinds if profile.kinds[one.kind].marker and not one.why)
    return TriedArchive(sum(not one.is_folder for one in members), (), kinds, recognised)


def _as_kind(members: Sequence[Member], profile: GameProfile, kind: Kind, layout: KindLayout) -> AsKind:
    looked = inspect_members(members, layout, ())
    try:
        placed = placements((one.path for one in members), layout, EXAMPLE)
    except ConvoyError as error:
        return AsKind(kind, "", 0, (), (), error.sentence(), looked.notes)
    settings = [path for path in placed if profile.settings and matcher(profile.settings).fullmatch(path)]
    return AsKind(
        kind, looked.root or "", len(placed), tuple(placed.items())[:SHOWN], tuple(settings[:SHOWN]), "", looked.notes
    )


def try_folder(files: Iterable[tuple[str, int]], profile: GameProfile) -> TriedFolder:
    """`files`: paths relative to the game's folder, with forward slashes, and their sizes in bytes."""
    files = list(files)
    by_role: dict[Role, list[tuple[str, int]]] = {role: [] for role in Role}
    for path, size in files:
        by_role[role_of(path, profile)].append((path, size))
    shares = tuple(
        RoleShare(role, len(found), sum(size for _, size in found), tuple(path for path, _ in found[:SHOWN]))
        for role, found in by_role.items()
        if found
    )
    paths = {path for path, _ in files}
    loaded: dict[str, list[Kind]] = {}
    unmarked = set()
    for kind, layout in profile.kinds.items():
        top, _, below = layout.place.partition("{mod}")
        if not below and layout.place.endswith("{mod}"):
            for folder in sorted({_first_below(path, top) for path in paths} - {""}):
                if not layout.marker or f"{folder}/{layout.marker}" in paths:
                    loaded.setdefault(folder, []).append(kind)
                else:
                    unmarked.add(folder)
    return TriedFolder(
        shares,
        tuple((folder, tuple(kinds)) for folder, kinds in sorted(loaded.items())),
        tuple(sorted(unmarked - loaded.keys())),
    )


def role_of(path: str, profile: GameProfile) -> Role:
    """The first of these that it is: the agent's, a world's, settings, data, log, content, the game's own."""
    if is_agents(path.split("/")[0]):
        return Role.AGENT
    if any(path.startswith(f"{folder}/") for folder in profile.worlds):
        return Role.WORLD
    if profile.settings and matcher(profile.settings).fullmatch(path):
        return Role.SETTINGS
    if profile.data and matcher(profile.data).fullmatch(path):
        return Role.DATA
    if profile.log and path == profile.log.place:
        return Role.LOG
    if any(path.startswith(f"{folder}/") for folder in profile.managed):
        return Role.CONTENT
    return Role.OUTSIDE


def _first_below(path: str, top: str) -> str:
    """`mods/lamps` of `mods/lamps/a/b.dat` below `mods/`; nothing where it lies elsewhere or loose in there."""
    name, slash, _ = path.removeprefix(top).partition("/") if path.startswith(top) else ("", "", "")
    return f"{top}{name}" if slash else ""
