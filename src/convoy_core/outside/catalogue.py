"""A source's catalogue as it sends it: mods and their builds, read one by one so that one bad entry harms no other.

JSON; described in docs/formats.md.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ..words.errors import ConvoyError, MalformedInput
from ..words.model import Archive, Build, CarriedFile, Channel, Kind, Reach, Side
from ..words.profile import GameProfile
from ..words.versions import parse_version
from .archive_root import placements
from .claims import Claims, read_claims
from .fields import Fields, checked_text
from .paths import checked_path
from .relations import read_relations


@dataclass(frozen=True, slots=True)
class ListedBuild:
    """A build as a source lists it. `files` are the members of its archive, `refused` why it cannot be installed."""

    build: Build
    date: str
    side: Side
    reach: Reach
    archive: Archive
    urls: tuple[str, ...]
    """Where the archive lies: the source's own place first, then others that hold the same file."""
    files: tuple[CarriedFile, ...]
    change_log: str
    memory: int
    """MB that it wants, as its author says; 0 where nobody said."""
    root: str | None
    """The folder of the archive that is laid down, where somebody chose it; None: as the rules find it."""
    claims: Claims
    refused: str


@dataclass(frozen=True, slots=True)
class ListedMod:
    id: str
    name: str
    summary: str
    author: str
    category: str
    kind: Kind
    licence: str
    page: str
    downloads: int
    followers: int
    rating: int
    """Hundredths of five stars' worth: 0 to 500; 0 where nobody has rated it."""
    counterpart: str
    """The mod that does the same job on another loader, if any."""
    on_removal: str
    """What removing it does to a saved world, and what to do before, in its author's words."""
    pictures: tuple[str, ...]
    """Addresses relative to the source's, the most telling first."""
    builds: tuple[ListedBuild, ...]


@dataclass(frozen=True, slots=True)
class UnreadableEntry:
    """An entry that could not be read: which one, and why, for the source's freshness report."""

    entry: str
    why: str


@dataclass(frozen=True, slots=True)
class ListedPage:
    """One page of a catalogue that comes in several: its name below the source's address, and its sha256."""

    name: str
    sha256: str


MAX_PAGES = 20_000
MAX_SERIAL = 2**53
MAX_PICTURES = 6
MAX_MIRRORS = 3
MAX_MEMORY = 2**20
"""MB that one build may say it wants."""


def read_index(data: Any) -> list[ListedPage] | None:
    """The pages of a catalogue, or None when it comes in one piece. Raises MalformedInput, HostileArchive (names)."""
    top = Fields(data)
    if not top.has("pages"):
        return None
    pages = [ListedPage(checked_path(one.text("name")), one.sha256("sha256")) for one in top.items("pages")]
    if len(pages) > MAX_PAGES or len({page.name for page in pages}) < len(pages):
        raise MalformedInput(
            "The index of the catalogue cannot be used.", f"It names a page twice, or more than {MAX_PAGES}."
        )
    return pages


def read_serial(data: Any) -> int:
    """The number of an index: one more with each change. 0 where its source does not count. Raises MalformedInput."""
    serial = Fields(data).whole("serial", 0)
    if not 0 <= serial <= MAX_SERIAL:
        raise MalformedInput("The number of the catalogue cannot be used.", f"It lies between 0 and {MAX_SERIAL}.")
    return serial


def read_catalogue(data: Any, profile: GameProfile) -> Iterator[ListedMod | UnreadableEntry]:
    """The entries of a source's catalogue for one game. Raises MalformedInput only when it is no catalogue at all."""
    top = Fields(data)
    for index, fields in enumerate(top.items("mods")):
        try:
            yield _read_mod(fields, profile)
        except ConvoyError as error:
            yield UnreadableEntry(_entry_name(fields, index), error.sentence())


def _entry_name(fields: Fields, index: int) -> str:
    try:
        return fields.text("id")[:80]
    except ConvoyError:
        return f"entry {index + 1}"


def _read_mod(fields: Fields, profile: GameProfile) -> ListedMod:
    mod, kind = checked_path(fields.text("id", longest=80)), fields.one_of("kind", Kind)
    return ListedMod(
        id=mod,
        name=fields.text("name", longest=120),
        summary=fields.text("summary", "", longest=500),
        author=fields.text("author", "", longest=120),
        category=fields.text("category", "", longest=60),
        kind=kind,
        licence=fields.text("licence", "", longest=80),
        page=fields.text("page", ""),
        downloads=fields.whole("downloads", 0),
        followers=fields.whole("followers", 0),
        rating=min(500, fields.whole("rating", 0)),
        counterpart=fields.text("counterpart", ""),
        on_removal=fields.text("on_removal", "", longest=1000),
        pictures=tuple(checked_path(one) for one in fields.strings("pictures")[:MAX_PICTURES]),
        builds=tuple(_read_build(one, mod, kind, profile) for one in fields.items("builds")),
    )


def _read_build(fields: Fields, mod: str, kind: Kind, profile: GameProfile) -> ListedBuild:
    archive = fields.fields("archive")
    files = tuple(
        CarriedFile(one.text("path"), one.whole("size"), one.sha256("sha256")) for one in fields.items("files")
    )
    date = fields.text("date", "")
    root = fields.text("root", longest=300) if fields.has("root") else None
    return ListedBuild(
        build=Build(
            mod,
            parse_version(fields.text("version", longest=120), date),
            fields.one_of("channel", Channel, Channel.STABLE),
            **read_relations(fields),
        ),
        date=date,
        side=fields.one_of("side", Side, Side.BOTH),
        reach=fields.one_of("reach", Reach, Reach.CREW),
        archive=Archive(archive.text("name"), archive.whole("size"), archive.sha256("sha256")),
        urls=_places(fields),
        files=files,
        memory=min(fields.whole("memory_mb", 0), MAX_MEMORY),
        change_log=fields.text("change_log", "", longest=20_000),
        root=root,
        claims=read_claims(fields),
        refused=_refused(files, mod, kind, profile, root),
    )


def _places(fields: Fields) -> tuple[str, ...]:
    own = fields.text("url", "", longest=500)
    others = fields.strings("mirrors")[:MAX_MIRRORS]
    return tuple(checked_text(one, 500, "mirrors") for one in (own, *others) if one)


def _refused(files: tuple[CarriedFile, ...], mod: str, kind: Kind, profile: GameProfile, root: str | None) -> str:
    """Why the game profile's layout rules refuse the archive; empty when they take it."""
    layout = profile.kinds.get(kind)
    if layout is None:
        return f"{profile.name} has no place for a {kind}."
    try:
        placements((file.path for file in files), layout, mod, root)
    except ConvoyError as error:
        return error.sentence()
    return ""
