"""The lock as JSON data, and back. `read_lock` trusts nothing: a lock reaches an agent from outside, and its paths
decide where bytes are written. Source: docs/formats.md.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from ..conflicts.laying import EVERYTHING, Parts
from ..conflicts.set_aside import MAX_LINES
from ..outside.claims import read_claims
from ..outside.fields import Fields
from ..outside.paths import checked_path, refuse_twins
from ..outside.patterns import checked_patterns
from ..words.errors import MalformedInput
from ..words.model import Archive, Base, Channel, Kind, Pickup, Reach, Side
from ..words.versions import parse_version
from .lock import Lock, LockedBuild, PlacedFile, TakenUp
from .terms import read_terms

MAX_WINNERS = 2_000
"""Paths and folders for which a pack names a winner: more than it has conflicts that anybody looked at."""

MAX_COLLECTIONS = 60
"""Twice as many as anybody laid under one pack when it was measured."""

MAX_ARCHIVE_BYTES = 4 * 1024**3
"""Bytes. A build's archive above 4 GiB is refused: ZIP without extensions ends there, and so do many file systems."""


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
                "needs": list(build.needs),
                "optional": build.optional,
                "advice": build.advice,
                "on_removal": build.on_removal,
                "memory_mb": build.memory,
                "archive": {
                    "name": build.archive.name,
                    "size": build.archive.size,
                    "sha256": build.archive.sha256,
                },
                **build.claims.as_data(),
                **_laid_out(build.laid),
                **({"collection": build.collection} if build.collection else {}),
            }
            for build in lock.builds
        ],
        "files": _rows(lock.files),
        "covered": _rows(lock.covered),
        # Only where there is something to say: releases without stay as they were, to the byte.
        **({"winners": dict(lock.winners)} if lock.winners else {}),
        **({"set_aside": list(lock.set_aside)} if lock.set_aside else {}),
        **({"collections": [asdict(one) for one in lock.collections]} if lock.collections else {}),
        **lock.terms.as_data(),
    }


def _laid_out(laid: Parts) -> dict[str, Any]:
    told = {"only": list(laid.only), "leave_out": list(laid.leave_out)}
    told = {name: patterns for name, patterns in told.items() if patterns}
    return {"laid": told} if told else {}


def _rows(files: Iterable[PlacedFile]) -> list[list[str | int]]:
    return [[file.path, file.size, file.sha256, file.mod, file.member] for file in files]


def read_lock(data: Any) -> Lock:
    """A lock from JSON data. Raises MalformedInput or HostileArchive; after it, every path is safe to place."""
    top = Fields(data)
    builds = tuple(_read_build(one) for one in top.items("builds"))
    if len({build.mod for build in builds}) != len(builds):
        raise MalformedInput("The lock names a mod twice.", field="builds")
    mods = {build.mod for build in builds}
    files, covered = (
        tuple(_read_file(row, f"{name}[{index}]", mods) for index, row in enumerate(top.entries(name)))
        for name in ("files", "covered")
    )
    refuse_twins(file.path for file in files)
    managed = tuple(checked_path(folder) for folder in top.strings("managed"))
    winners = top.texts("winners") if top.has("winners") else {}
    if len(winners) > MAX_WINNERS:
        raise MalformedInput(f"The lock names more than {MAX_WINNERS} winners.", field="winners")
    return Lock(
        _read_base(top.fields("base")),
        builds,
        files,
        managed,
        covered,
        read_terms(top),
        {checked_path(place.rstrip("/")): mod for place, mod in winners.items()},
        checked_patterns(top.strings("set_aside"), "set_aside", MAX_LINES),
        _read_collections(top),
    )


def _read_collections(top: Fields) -> tuple[TakenUp, ...]:
    found = tuple(
        TakenUp(one.text("id", longest=80), one.text("name"), one.text("number"), one.sha256("sha256"))
        for one in top.items("collections")
    )
    if len(found) > MAX_COLLECTIONS or len({one.id for one in found}) < len(found):
        raise MalformedInput("The lock names a collection twice, or too many of them.", field="collections")
    return found


def _read_laid(build: Fields) -> Parts:
    if not build.has("laid"):
        return EVERYTHING
    told = build.fields("laid")
    return Parts(*(checked_patterns(told.strings(name), name, MAX_LINES) for name in ("only", "leave_out")))


def _read_file(row: Any, where: str, mods: set[str]) -> PlacedFile:
    if not isinstance(row, list) or len(row) != 5:
        raise MalformedInput(f"“{where}” cannot be read.", "A row has five parts.", field=where)
    fields = Fields(dict(zip(("path", "size", "sha256", "mod", "member"), row, strict=True)), where)
    file = PlacedFile(
        checked_path(fields.text("path")),
        fields.whole("size"),
        fields.sha256("sha256"),
        fields.text("mod"),
        checked_path(fields.text("member")),
    )
    if file.mod not in mods:
        raise MalformedInput(f"“{file.path}” belongs to no build of the lock.", field=where)
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
        needs=fields.strings("needs"),
        optional=fields.flag("optional", False),
        advice=fields.text("advice", ""),
        on_removal=fields.text("on_removal", ""),
        memory=fields.whole("memory_mb", 0),
        claims=read_claims(fields),
        laid=_read_laid(fields),
        collection=fields.text("collection", "", longest=80),
    )
