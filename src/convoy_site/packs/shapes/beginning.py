"""Shapes of starting a pack with what one wants to play."""

from typing import Annotated
from uuid import UUID

from pydantic import Field

from convoy_core.outside.pasting import MAX_TEXT

from ...shapes import Schema
from .packs import NamedMod


class BeginningIn(Schema):
    text: Annotated[str, Field(max_length=MAX_TEXT)]
    crew: UUID | None = None


class BeginningBaseOut(Schema):
    """One base: how many of the named mods have a build there, `through` of them by a counterpart; who has none.
    `mods`: what a pack begins with there, counterparts in the place of those that they stand for.
    """

    game_version: str
    loader: str
    loader_version: str
    label: str
    fits: int
    through: int
    missing: list[str]
    mods: list[str]


class BeginningOut(Schema):
    """`unknown`: lines, or places of a folder, that name no mod of the catalogue. `bases`: the best first."""

    mods: list[NamedMod]
    unknown: list[str]
    bases: list[BeginningBaseOut]
