"""Shapes of news: notices, wishes, feeds and calls."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field

from ..people.events import Happened
from ..shapes import Schema
from .models import CallState, Mailed


class NoticeOut(Schema):
    """`when`: the moment that the text speaks of. `needs`: its reader has to do something. `more`: an
    announcement.
    """

    id: int
    at: datetime
    text: str
    more: str
    when: datetime | None
    address: str
    pack: str
    crew: str
    needs: bool
    seen: bool


class NewsCount(Schema):
    unseen: int
    needs: int


class News(Schema):
    """`more`: there is more after these."""

    needs: list[NoticeOut]
    rows: list[NoticeOut]
    more: bool


class SeenIn(Schema):
    until: Annotated[int, Field(ge=0, lt=2**62)]


class PackWishOut(Schema):
    """`mail`: what was said for this pack; null where it is as for all. `feed`: the secret address; empty for none."""

    pack: UUID
    name: str
    crew: str
    mail: Mailed | None
    feed: str


class WishesOut(Schema):
    """`mail`: for all packs; null where nothing was said, and then it comes once a day. `sends`: whether this site
    sends mail; `address`: whether there is a confirmed one.
    """

    mail: Mailed | None
    sends: bool
    address: bool
    packs: list[PackWishOut]


class WishIn(Schema):
    pack: UUID | None = None
    mail: Mailed | None = None


class FeedOut(Schema):
    address: str


class HookIn(Schema):
    address: Annotated[str, Field(min_length=8, max_length=500)]
    kinds: Annotated[list[Happened], Field(min_length=1, max_length=20)]


class HookOut(Schema):
    """`secret`: what calls are signed with."""

    id: UUID
    address: str
    secret: str
    kinds: list[Happened]
    made_by: str
    made_at: datetime
    on: bool
    off_because: str


class HookSwitch(Schema):
    on: bool


class CallOut(Schema):
    """`told`: what the other side said last, or why it could not be reached."""

    id: UUID
    kind: str
    at: datetime
    state: CallState
    tries: int
    next_at: datetime | None
    told: str
    took_ms: int
    body: str
