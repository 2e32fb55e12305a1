"""Shapes of the keeper's place, and of one's own account."""

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from ...people.models import Registration
from ...shapes import Name, Schema, Short


class PartOut(Schema):
    """One part of the site. `told`: a sentence where it is not as it should be."""

    name: str
    ok: bool
    told: str


class HealthOut(Schema):
    """`done` is true while the site can do its work; the answer's status is 503 while it cannot."""

    done: bool
    parts: list[PartOut]


class RulesOut(Schema):
    """Sizes in MB."""

    registration: Registration
    upload_mb: int
    crew_mb: int
    account_mb: int
    site_mb: int
    crews_per_person: int
    packs_per_crew: int


Megabytes = Annotated[int, Field(ge=1, le=1_000_000)]


class RulesIn(Schema):
    registration: Registration | None = None
    upload_mb: Megabytes | None = None
    crew_mb: Megabytes | None = None
    account_mb: Megabytes | None = None
    site_mb: Megabytes | None = None
    crews_per_person: Annotated[int, Field(ge=0, le=10_000)] | None = None
    packs_per_crew: Annotated[int, Field(ge=0, le=10_000)] | None = None


class JobOut(Schema):
    id: int
    what: str
    about: str
    status: str
    attempts: int
    at: datetime | None


class CrewUseOut(Schema):
    name: str
    people: int
    packs: int
    files: int
    bytes: int


class StorageOut(Schema):
    database_bytes: int
    files: int
    file_bytes: int
    crews: list[CrewUseOut]


class KeeperPage(Schema):
    """`private_sources`: networks within which sources may lie, though they are not open."""

    health: list[PartOut]
    jobs_waiting: int
    jobs_doing: int
    jobs_failed: int
    workers: int
    rules: RulesOut
    mail: bool
    private_sources: list[str]
    files_at: Literal["disk", "object store"]


class AccountRow(Schema):
    username: str
    name: str
    email: str
    active: bool
    keeper: bool
    crews: int
    second_factor: bool
    joined: datetime
    last_login: datetime | None


class AccountsPage(Schema):
    rows: list[AccountRow]
    total: int
    page: int
    pages: int


class LockIn(Schema):
    locked: bool


class KeeperIn(Schema):
    keeper: bool


class WayBackOut(Schema):
    """An address to be handed to the account's owner: it lets them set a new password."""

    address: str


class InvitationIn(Schema):
    note: Short = ""


class InvitationOut(Schema):
    code: str
    note: str
    made_by: str
    made_at: datetime
    used_by: str


class AuditRow(Schema):
    at: datetime
    who: str
    did: str
    crew: str


class AuditPage(Schema):
    rows: list[AuditRow]
    more: bool


class AccountIn(Schema):
    """How somebody is shown to others."""

    name: Name


class EndIn(Schema):
    password: Annotated[str, Field(max_length=200)] = ""


class TakenAlong(Schema):
    """Everything that is kept about the one who asks."""

    kept: dict[str, Any]


class CrewEndIn(Schema):
    """`name`: the crew's, typed by whoever means it."""

    name: Name
