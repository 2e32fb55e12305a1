"""Shapes of sources that people add."""

from datetime import datetime
from typing import Annotated

from pydantic import StringConstraints

from convoy_core.words.model import Pickup

from ...shapes import Name, Schema, Short
from ..models import SourceState

Address = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class AddressIn(Schema):
    address: Address


class LookOut(Schema):
    """What lies at an address. `key` is sent back when it is added, `fingerprint` is what people compare; both empty
    where nobody signs it. `profile`: the game's, as the source hands it on.
    """

    address: str
    name: str
    game: str
    pickup: Pickup
    key: str
    fingerprint: str
    pages: int
    has_versions: bool
    profile: str


class SourceIn(Schema):
    """`follow`: whether the game takes its versions from there."""

    address: Address
    game: Short
    name: Name
    pickup: Pickup = Pickup.DIRECT
    key: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{64})?$")] = ""
    follow: bool = False


class SourceRow(Schema):
    id: str
    name: str
    game: str
    game_name: str
    address: str
    pickup: Pickup
    state: SourceState
    fingerprint: str
    added_by: str
    read_at: datetime | None
    trouble: str
    rest_until: datetime | None
    pages_done: int
    pages_changed: int
    mods: int


class UsingOut(Schema):
    name: str
    builds: int


class SourcePage(SourceRow):
    """`bytes`: of its archives; `using`: packs whose drafts have builds of it."""

    builds: int
    bytes: int
    refused: int
    gone: int
    bytes_read: int
    troubles: list[str]
    using: list[UsingOut]
    follows: bool
    may_change: bool


class PauseIn(Schema):
    paused: bool
