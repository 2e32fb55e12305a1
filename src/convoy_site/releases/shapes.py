"""Shapes of releases, change logs and join codes."""

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from ..packs.shapes.packs import ChangeOut
from ..shapes import Text
from .models import Release

Number = Annotated[str, Field(pattern=r"^\d{1,6}(\.\d{1,6}){0,3}(-[0-9A-Za-z.]{1,20})?$", max_length=40)]


class ReleaseRow(Schema):
    """`withdrawn`: why nobody is to install it any more; empty for one that stands."""

    number: str
    channel: str
    withdrawn: str
    published_at: datetime
    published_by: str
    builds: int
    fingerprint: str
    added: int
    updated: int
    removed: int


class ReleaseOut(ReleaseRow):
    notes: str
    base: str
    changes: list[ChangeOut]


class Pending(Schema):
    """What publishing now would do: against release `since` (empty: the first one). `suggested` is the next number;
    `base_before` is empty unless the base moves."""

    revision: int
    since: str
    suggested: str
    base_before: str
    base: str
    changes: list[ChangeOut]


class PublishIn(Schema):
    revision: Annotated[int, Field(ge=0, lt=2**31)]
    number: Number
    channel: Literal["stable", "trial"] = "stable"
    notes: Text = ""


class WithdrawIn(Schema):
    why: Annotated[str, Field(min_length=1, max_length=300)]


class CodeOut(Schema):
    code: str
    made_by: str
    made_at: datetime
    uses_left: int | None
    withdrawn: bool


class CodeIn(Schema):
    uses: Annotated[int, Field(ge=1, le=1000)] | None = None


class OpenedCode(Schema):
    """What a join code opens."""

    code: str
    pack: str
    emblem: str
    crew: str
    notes: str
    base: str
    release: str
    builds: int
    download: int
    already_in_crew: bool


def release_row(release: Release) -> dict:
    counts = [row["what"] for row in release.changes]
    return {
        "number": release.number,
        "channel": release.channel,
        "withdrawn": release.withdrawal.why if hasattr(release, "withdrawal") else "",
        "published_at": release.published_at,
        "published_by": release.published_by.shown,
        "builds": release.builds,
        "fingerprint": release.fingerprint,
        "added": counts.count("added"),
        "updated": counts.count("updated") + counts.count("taken back"),
        "removed": counts.count("removed"),
    }
