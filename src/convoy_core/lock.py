"""The lock: the exact outcome. Base, every build with its archive's sha256, every placed file with path and sha256.

Written as plain JSON data by `as_data`, read back by `read_lock`, which trusts nothing: a lock reaches an agent from
outside, and its paths decide where bytes are written.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from .errors import MalformedInput
from .fingerprint import fingerprint
from .model import MATCHING_REACHES, Archive, Base, Channel, Kind, Pickup, Reach, Side
from .paths import checked_path, refuse_twins
from .reading import Fields
from .versions import parse_version

MAX_ARCHIVE_BYTES = 4 * 1024**3
"""Bytes. A build's archive above 4 GiB is refused: ZIP without extensions ends there, and so do many file systems."""


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

    @property
    def must_match(self) -> bool:
        """Whether every machine, the server included, has to have exactly this build."""
        return self.side is Side.BOTH and self.reach in MATCHING_REACHES


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
    """Builds in the order in which they are laid down; files sorted by path, each path once (the later build's)."""

    base: Base
    builds: tuple[LockedBuild, ...]
    files: tuple[PlacedFile, ...]
    managed: tuple[str, ...] = ()

    @cached_property
    def by_mod(self) -> Mapping[str, LockedBuild]:
        return {build.mod: build for build in self.builds}

    @cached_property
    def by_path(self) -> Mapping[str, PlacedFile]:
        return {file.path: file for file in self.files}

    def share(self, place: Side) -> Lock:
        """What belongs on a player's machine or on the server (rules.md, *side*)."""
        mods = {build.mod for build in self.builds if build.side.goes_to(place)}
        return Lock(
            self.base,
            tuple(build for build in self.builds if build.mod in mods),
            tuple(file for file in self.files if file.mod in mods),
            self.managed,
        )

    def fingerprint(self, present: Mapping[str, str] | None = None) -> str:
        """The fingerprint of this lock, or of what a machine has in its place (`present`: path to sha256)."""
        lines = [f"base {self.base.as_text()}"]
        for file in self.files:
            if self.by_mod[file.mod].must_match:
                lines.append(f"{file.path} {file.sha256 if present is None else present.get(file.path, 'missing')}")
        return fingerprint(lines)


def lay_down(layers: Iterable[tuple[LockedBuild, Iterable[PlacedFile]]], base: Base, managed: Iterable[str]) -> Lock:
    """A lock from builds in order, each with the files it places; on one path the later build wins."""
    builds: list[LockedBuild] = []
    files: dict[str, PlacedFile] = {}
    for build, placed in layers:
        builds.append(build)
        files.update((file.path, file) for file in placed)
    refuse_twins(files)
    return Lock(base, tuple(builds), tuple(files[path] for path in sorted(files)), tuple(managed))


def as_data(lock: Lock) -> dict[str, Any]:
    """The lock as JSON data. Files are rows [path, size, sha256, mod, member]: packs have tens of thousands."""
    return {
        "base": {
            "game": lock.base.game,
            "version": str(lock.base.version),
            "loader": lock.base.loader,
            "loader_version": str(lock.base.loader_version or ""),
        },
        "managed": list(lock.managed),
        "builds": [
            {
                "mod": build.mod,
                "name": build.name,
                "version": build.version,
                "kind": build.kind,
                "channel": build.channel,
                "chosen": build.chosen,
                "side": build.side,
                "reach": build.reach,
                "licence": build.licence,
                "source": build.source,
                "pickup": build.pickup,
                "urls": list(build.urls),
                "page": build.page,
                "archive": {
                    "name": build.archive.name,
                    "size": build.archive.size,
                    "sha256": build.archive.sha256,
                },
            }
            for build in lock.builds
        ],
        "files": [[file.path, file.size, file.sha256, file.mod, file.member] for file in lock.files],
    }


def read_lock(data: Any) -> Lock:
    """A lock from JSON data. Raises MalformedInput or HostileArchive; after it, every path is safe to place."""
    top = Fields(data)
    builds = tuple(_read_build(one) for one in top.items("builds"))
    if len({build.mod for build in builds}) != len(builds):
        raise MalformedInput("The lock names a mod twice.", field="builds")
    mods = {build.mod for build in builds}
    files = tuple(_read_file(row, index, mods) for index, row in enumerate(_rows(data)))
    refuse_twins(file.path for file in files)
    managed = tuple(checked_path(folder) for folder in top.strings("managed"))
    return Lock(_read_base(top.fields("base")), builds, files, managed)


def _rows(data: Any) -> list[Any]:
    rows = data.get("files", [])
    if not isinstance(rows, list):
        raise MalformedInput("“files” cannot be read.", "It must be a list.", field="files")
    return rows


def _read_file(row: Any, index: int, mods: set[str]) -> PlacedFile:
    if not isinstance(row, list) or len(row) != 5:
        raise MalformedInput(f"“files[{index}]” cannot be read.", "A row has five parts.", field=f"files[{index}]")
    fields = Fields(dict(zip(("path", "size", "sha256", "mod", "member"), row, strict=True)), f"files[{index}]")
    file = PlacedFile(
        checked_path(fields.text("path")),
        fields.whole("size"),
        fields.sha256("sha256"),
        fields.text("mod"),
        checked_path(fields.text("member")),
    )
    if file.mod not in mods:
        raise MalformedInput(f"“{file.path}” belongs to no build of the lock.", field=f"files[{index}]")
    return file


def _read_base(fields: Fields) -> Base:
    loader_version = fields.text("loader_version", "")
    return Base(
        fields.text("game"),
        parse_version(fields.text("version")),
        fields.text("loader", ""),
        parse_version(loader_version) if loader_version else None,
    )


def _read_build(fields: Fields) -> LockedBuild:
    archive = fields.fields("archive")
    size = archive.whole("size")
    if size > MAX_ARCHIVE_BYTES:
        raise MalformedInput(f"The archive {archive.text('name')} is too large.", field="archive.size", size=size)
    return LockedBuild(
        mod=fields.text("mod"),
        name=fields.text("name"),
        version=fields.text("version"),
        kind=fields.one_of("kind", Kind),
        channel=fields.one_of("channel", Channel),
        chosen=fields.flag("chosen"),
        side=fields.one_of("side", Side),
        reach=fields.one_of("reach", Reach),
        licence=fields.text("licence", ""),
        source=fields.text("source", ""),
        pickup=fields.one_of("pickup", Pickup),
        urls=fields.strings("urls"),
        page=fields.text("page", ""),
        archive=Archive(archive.text("name"), size, archive.sha256("sha256")),
    )
