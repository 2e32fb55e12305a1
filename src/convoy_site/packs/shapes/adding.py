"""Shapes of what comes in from outside: known and dropped files, own builds, folders."""

from typing import Annotated

from pydantic import Field

from convoy_core.words.model import Kind, Reach, Side

from ...shapes import Name, Schema, Sha256, Short


class HashesIn(Schema):
    hashes: Annotated[list[Sha256], Field(min_length=1, max_length=500)]


class KnownOut(Schema):
    """A build that comes in an archive of this hash. `already`: its mod is a line of the draft."""

    sha256: str
    mod: str
    name: str
    version: str
    already: bool


class KindOut(Schema):
    """What an archive comes to as content of one kind. `root`: the folder that is laid down; null: not to be told.
    `roots`: folders that it could be, empty for the archive's top; with `marker` only those that hold it.
    """

    kind: Kind
    fits: bool
    root: str | None
    roots: list[str]
    marker: str
    left_out: int
    notes: list[str]


class ArchiveFolderOut(Schema):
    path: str
    files: int
    size: int


class RefusedOut(Schema):
    path: str
    why: str


class DroppedOut(Schema):
    """A dropped file: `known` when a source lists it; else what it holds, and what its marker says."""

    name: str
    sha256: str
    size: int
    known: KnownOut | None
    trouble: str
    refused: list[RefusedOut]
    files: int
    unpacked: int
    kinds: list[KindOut]
    folders: list[ArchiveFolderOut]
    doubt: str
    """Why the site cannot tell by itself what it is, or which of its folders is meant; empty where it can."""
    says_id: str
    says_name: str
    says_version: str
    like: str
    """Name of the mod that the marker calls it; the bytes are none of its builds."""
    own: list[KnownOut]
    """The crew's own builds that it could be a newer one of."""
    reading: bool
    """Its members are still being read: `file_reading` tells how far that is."""


class ReadingOut(Schema):
    """How far the reading of a dropped file's members is, in bytes; `trouble`: why they cannot be read."""

    ready: bool
    done: int
    total: int
    trouble: str


class OwnBuildIn(Schema):
    """What is said about a dropped file. `needs`: one mod and range per line."""

    sha256: Sha256
    of: Short = ""
    name: Name
    version: Annotated[str, Field(min_length=1, max_length=120)]
    kind: Kind
    licence: Short = ""
    page: Annotated[str, Field(max_length=400, pattern=r"^(https?://\S+)?$")] = ""
    summary: Annotated[str, Field(max_length=400)] = ""
    side: Side = Side.BOTH
    reach: Reach = Reach.CREW
    games: Short = "*"
    loader: Short = ""
    needs: Annotated[str, Field(max_length=4000)] = ""
    touches: Annotated[str, Field(max_length=4000)] = ""
    root: Annotated[str, Field(max_length=300)] | None = None


class OwnBuildsIn(Schema):
    builds: Annotated[list[OwnBuildIn], Field(min_length=1, max_length=500)]


class MadeRowOut(Schema):
    """What became of one of many: its mod, or why it could not be made."""

    sha256: str
    mod: str
    name: str
    trouble: str


class MadeOut(Schema):
    mod: str
    name: str


class LicenceOut(Schema):
    licence: str
    passing_on: str
    sentence: str


class FoundOut(Schema):
    mod: str
    name: str
    version: str
    place: str
    files: int
    altered: list[str]
    missing: int
    already: bool
    comes_along: bool
    """Something else needs it: it would be brought in without a line of its own."""
    reason: str
    """Why no build of it fits the base; empty when one does."""


class StrangerOut(Schema):
    place: str
    files: int
    size: int


class TakeOverOut(Schema):
    """What a folder comes to. Lists are cut after 200 rows; counts are of all."""

    found: list[FoundOut]
    doubles: list[FoundOut]
    remnants: list[FoundOut]
    strangers: list[StrangerOut]
    strangers_in_all: int
    left_over: list[str]
    left_over_in_all: int
    others: int
