"""Shapes of games: their bases, their profiles, and what trying one comes to."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from pydantic import Field, StringConstraints

from convoy_core.outside.game_profile import MAX_PROFILE
from convoy_core.outside.profile_changes import Changed
from convoy_core.outside.trying import Role as FileRole
from convoy_core.words.model import Kind
from convoy_core.words.profile import GameChannel

from ...shapes import Schema, Short

MAX_TRIED = 100_000
"""Files of a folder that is tried: the largest game's."""


class LoaderVersionOut(Schema):
    version: str
    recommended: bool


class LoaderOut(Schema):
    id: str
    name: str
    versions: list[LoaderVersionOut]


class GameVersionOut(Schema):
    """`loaders` lists only what runs on this game version, newest first."""

    version: str
    label: str
    channel: GameChannel
    runtime: str
    loaders: list[LoaderOut]


class GameOut(Schema):
    """`crew`: whose game it is; null for one that is everybody's. `may_change`: whether the asker may."""

    id: str
    name: str
    summary: str
    versions: list[GameVersionOut]
    crew: UUID | None
    crew_name: str
    may_change: bool


class FaultOut(Schema):
    """`line` counts from 1; 0 where the whole is meant."""

    line: int
    field: str
    sentence: str


class ProfileChangeOut(Schema):
    what: Changed
    subject: str
    before: str
    after: str


ProfileText = Annotated[str, StringConstraints(max_length=MAX_PROFILE)]


class ProfileIn(Schema):
    """A profile as text, or as a form's document, which is written into `text` (or anew where that is empty)."""

    text: ProfileText = ""
    document: dict[str, Any] | None = None
    game: Short = ""
    """The game that would be changed; empty for a new one."""


class RehearsedOut(Schema):
    """What a profile comes to. `document`: the text as plain data, null where it is no TOML. `stops`: what speaks
    against keeping it, beside `faults`.
    """

    text: str
    document: dict[str, Any] | None
    faults: list[FaultOut]
    remarks: list[FaultOut]
    changes: list[ProfileChangeOut]
    stops: list[str]


class RevisionOut(Schema):
    """One change of a profile. `by`: empty where a followed source said something new."""

    number: int
    by: str
    at: datetime
    why: str
    changes: list[ProfileChangeOut]


class GameSourceOut(Schema):
    id: str
    name: str


class GamePage(GameOut):
    """`listed`: how many versions come from the followed source, beside those of the text."""

    text: str
    document: dict[str, Any]
    revision: int
    remarks: list[FaultOut]
    follows: str
    listed: int
    sources: list[GameSourceOut]
    packs: list[str]
    history: list[RevisionOut]


class GameIn(Schema):
    text: ProfileText
    crew: UUID | None = None


class GameChangeIn(Schema):
    text: ProfileText
    revision: int
    why: Short = ""


class GameVersionIn(Schema):
    """One more version; what is left empty is as with the version below it."""

    version: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]
    label: Short = ""
    channel: GameChannel = GameChannel.STABLE
    runtime: Short = ""
    revision: int


class TakingBackIn(Schema):
    number: int


class FollowIn(Schema):
    source: str | None


class TriedFolderIn(Schema):
    """`files`: path below the game's folder, and bytes."""

    text: ProfileText
    files: Annotated[list[tuple[Annotated[str, Field(max_length=400)], int]], Field(max_length=MAX_TRIED)]


class RoleShareOut(Schema):
    role: FileRole
    files: int
    size: int
    paths: list[str]


class LoadedOut(Schema):
    folder: str
    kinds: list[Kind]


class TriedFolderOut(Schema):
    shares: list[RoleShareOut]
    loaded: list[LoadedOut]
    unmarked: list[str]


class PlacedOut(Schema):
    path: str
    member: str
    is_settings: bool


class AsKindOut(Schema):
    kind: Kind
    root: str
    files: int
    placed: list[PlacedOut]
    why: str
    notes: list[str]
    recognised: bool


class TriedArchiveOut(Schema):
    """`trouble`: why it cannot be read at all."""

    name: str
    files: int
    trouble: str
    refused: list[str]
    kinds: list[AsKindOut]
