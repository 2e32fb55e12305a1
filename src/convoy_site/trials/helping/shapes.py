"""Shapes of calls for help, their answers, and what is proposed."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import AfterValidator, Field, StringConstraints

from ...installations.shapes.agent import Plain, no_null
from ...shapes import Schema, Short
from ..models import HelpState
from ..shapes import LogEntryIn

Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000), AfterValidator(no_null)]

Value = bool | int | float | Annotated[Plain, Field(max_length=400)]

LONGEST = 200_000
"""Characters of a call: 40 entries of each kind with their first lines are a third."""


class HoldProposal(Schema):
    """In the draft: a mod stays at a build, for everybody, with the next release."""

    do: Literal["hold"]
    mod: Short
    version: Short


class SettingProposal(Schema):
    """On the member's machine: a key says something else than the pack has it, and stays so."""

    do: Literal["setting"]
    path: Annotated[Plain, Field(min_length=1, max_length=300)]
    key: Annotated[list[Annotated[Plain, Field(min_length=1, max_length=300)]], Field(min_length=1, max_length=40)]
    value: Value


class ReleaseProposal(Schema):
    """The member stays at an earlier release until they choose otherwise."""

    do: Literal["release"]
    number: Short


class StepProposal(Schema):
    """Something that only the member can do."""

    do: Literal["step"]
    text: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000), AfterValidator(no_null)
    ]


Proposal = Annotated[HoldProposal | SettingProposal | ReleaseProposal | StepProposal, Field(discriminator="do")]


class HelpStartIn(Schema):
    """`good`: it reached the main screen, and did not crash."""

    began: Annotated[Plain, Field(max_length=40)]
    release: Short
    sentence: Annotated[Plain, Field(max_length=600)]
    good: bool


class HelpCauseIn(Schema):
    """`known`: the id of the profile's message that explains it; empty where it is only likely."""

    sentence: Annotated[Plain, Field(max_length=600)]
    known: Short = ""
    mod: Short = ""
    other: Short = ""


Entries = Annotated[list[LogEntryIn], Field(max_length=1000)]


class HelpLogsIn(Schema):
    """What the last start said, and the last good one before it."""

    last: Entries = []
    good: Entries = []


class HelpCallIn(Schema):
    """What an agent gathered, with everything private replaced there. `send`: its member has seen it, and wants it
    sent; else it waits for them.
    """

    text: Annotated[Plain, Field(min_length=1, max_length=LONGEST)]
    words: Words = ""
    number: Short = ""
    cause: HelpCauseIn | None = None
    starts: Annotated[list[HelpStartIn], Field(max_length=12)] = []
    logs: HelpLogsIn = HelpLogsIn()
    send: bool = False


class HelpCallMade(Schema):
    id: UUID
    address: str


class HelpAnswerIn(Schema):
    text: Words = ""
    proposal: Proposal | None = None


class HelpCloseIn(Schema):
    was: Annotated[str, StringConstraints(strip_whitespace=True, max_length=500), AfterValidator(no_null)]


class HelpAnswerOut(Schema):
    """`says`: the proposal as a sentence; `mine`: whether the reader may take it, now."""

    number: int
    by: str
    at: datetime
    text: str
    proposal: dict[str, Any]
    says: str
    mine: bool
    taken_at: datetime | None
    taken_by: str


class HelpEndOut(Schema):
    """What calls by the same cause were in the end."""

    was: str
    times: int


class HelpAlikeOut(Schema):
    """Other calls of the crew by the same cause: of how many people, and what they were."""

    people: int
    ends: list[HelpEndOut]


class HelpCallRow(Schema):
    id: UUID
    pack_id: UUID
    state: HelpState
    member: str
    own: bool
    installation: str
    number: str
    words: str
    cause: str
    at: datetime
    sent_at: datetime | None
    closed_at: datetime | None
    was: str
    answers: int


class HelpStartOut(HelpStartIn):
    pass


class HelpCallOut(HelpCallRow):
    """`logs`: of which starts there is one, *last* and *good*. `installation_id`: of the reader's own. `last_good`: the
    newest start that went well.
    """

    text: str
    starts: list[HelpStartOut]
    last_good: HelpStartOut | None
    mods: list[str]
    alike: HelpAlikeOut
    said: list[HelpAnswerOut]
    curates: bool
    closed_by: str
    logs: list[str]
    names: dict[str, str]
    installation_id: UUID | None
