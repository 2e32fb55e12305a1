"""Reads a game profile from TOML: a new game is a new file, not new code."""

from __future__ import annotations

import tomllib

from ..words.errors import MalformedInput
from ..words.model import Kind
from ..words.profile import (
    Estimate,
    GameChannel,
    GameProfile,
    GameVersion,
    KindLayout,
    Loader,
    LoaderVersion,
    MemoryFigures,
)
from ..words.ranges import parse_range
from ..words.versions import parse_version
from .fields import Fields


def read_profile(text: str) -> GameProfile:
    """A profile from TOML text. Raises MalformedInput naming the field that is wrong."""
    try:
        top = Fields(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise MalformedInput("The game profile is no TOML.", str(error)) from error
    versions = [
        GameVersion(
            parse_version(one.text("version")),
            one.text("label"),
            one.one_of("channel", GameChannel, GameChannel.STABLE),
            one.text("runtime"),
        )
        for one in top.items("versions")
    ]
    return GameProfile(
        id=top.text("id"),
        name=top.text("name"),
        summary=top.text("summary", ""),
        versions=tuple(sorted(versions, key=lambda one: one.version, reverse=True)),
        loaders=tuple(_loader(one) for one in top.items("loaders")),
        kinds={Kind(kind): _layout(top.fields("kinds").fields(kind)) for kind in top.mapping("kinds")},
        memory=_memory(top.fields("memory")) if top.has("memory") else MemoryFigures(0, {}),
        managed=top.strings("managed"),
        settings=top.strings("settings"),
        worlds=top.strings("worlds"),
    )


def _loader(fields: Fields) -> Loader:
    return Loader(
        fields.text("id"),
        fields.text("name"),
        tuple(
            LoaderVersion(
                parse_version(one.text("version")), parse_range(one.text("games")), one.flag("recommended", False)
            )
            for one in fields.items("versions")
        ),
    )


def _memory(fields: Fields) -> MemoryFigures:
    estimates = fields.fields("estimates")
    each = {Kind(kind): estimates.fields(kind) for kind in fields.mapping("estimates")}
    found = {kind: Estimate(one.number("each"), one.number("per_mb")) for kind, one in each.items()}
    return MemoryFigures(fields.whole("base"), found)


def _layout(fields: Fields) -> KindLayout:
    return KindLayout(fields.text("place"), fields.text("marker", ""))
