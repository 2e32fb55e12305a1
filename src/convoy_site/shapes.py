"""Shapes that every part of the API uses."""

from datetime import datetime
from typing import Annotated, Any

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints


def _no_control_characters(text: str) -> str:
    if any(ord(char) < 32 and char not in "\n\t\r" for char in text):
        raise ValueError("control characters are not allowed")
    return text


Name = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=60),
    AfterValidator(_no_control_characters),
]
Sha256 = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]

Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), AfterValidator(_no_control_characters)]
Text = Annotated[str, StringConstraints(max_length=20_000), AfterValidator(_no_control_characters)]


def _on_the_calendar(moment: datetime) -> datetime:
    if not 1970 <= moment.year < 2200:
        raise ValueError("a date between 1970 and 2200 is meant")
    return moment


Moment = Annotated[AwareDatetime, AfterValidator(_on_the_calendar)]
"""A date and hour with its zone: one without is another hour for everybody who reads it."""


class Schema(BaseModel):
    """What every shape is. Not ninja's own, which looks at each answer's fields a second time, though they were judged
    as it was put together: that was two fifths of a large answer's time.
    """

    model_config = ConfigDict(from_attributes=True)

    def dict(self, **given: Any) -> dict[str, Any]:
        return self.model_dump(**given)


class Refusal(Schema):
    """Every error of the API: what happened, why, what now. `fields` names wrong fields, `data` what else helps."""

    code: str
    what: str
    why: str = ""
    now: str = ""
    fields: dict[str, str] = {}
    data: dict[str, Any] = {}


class Done(Schema):
    done: Annotated[bool, Field(description="Always true; a refusal has another status.")] = True


FILE_BODY = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}
"""The file is the body itself: it is written away as it comes, however large it is."""
