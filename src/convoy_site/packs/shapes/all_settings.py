"""The place of settings: the table, and one file as text."""

from datetime import datetime
from typing import Annotated, Any

from pydantic import Field

from convoy_core.draft.all_settings import Only
from convoy_core.lock.terms import How
from convoy_core.settings.knowledge import SaidBy, SettingKind
from convoy_core.words.model import Side

from ...shapes import Schema, Short

SettingsPath = Annotated[str, Field(min_length=1, max_length=220)]
MOST_ROWS = 200
"""Of one answer: the table asks for more as it is scrolled."""

Plain = bool | int | float | str | list[Any] | None
"""A value as JSON has it; dates as ISO 8601."""


class SettingsAsked(Schema):
    words: Annotated[str, Field(max_length=200)] = ""
    mod: Short = ""
    path: Annotated[str, Field(max_length=220)] = ""
    only: Only | None = None
    set: Short = ""
    offset: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    limit: Annotated[int, Field(ge=1, le=MOST_ROWS)] = 100


class SetToOut(Schema):
    """What the pack sets a key to. `holds`: that is what all get; `wrong`: why the value is none."""

    value: Plain
    how: How
    side: Side
    because: str
    by: str
    at: datetime | None
    set: str
    collection: str
    """The collection that sets it; empty where the pack itself does."""
    also: list[str]
    """Ids of other sets that have the key, too."""
    holds: bool
    in_hand: bool
    """Whether it is what the field shows: it holds, or its set is what was asked for."""
    wrong: str


class SettingRowOut(Schema):
    """One key. `value`: as its build carries it; `released`: as the last release has it, null where it has none."""

    path: str
    mod: str
    key: list[str]
    kind: SettingKind
    said_by: SaidBy
    title: str
    description: str
    default: str
    allowed: list[Plain]
    lowest: float | None
    highest: float | None
    unit: str
    value: Plain
    released: Plain
    was_there: bool
    to: SetToOut | None


class ModSettingsOut(Schema):
    """`keys`: found; `set`: of all, those that the pack sets; `is_all_off`: its switches all come off."""

    mod: str
    name: str
    keys: int
    set: int
    is_all_off: bool


class UnreadOut(Schema):
    path: str
    mod: str
    why: str


class SettingSetOut(Schema):
    id: str
    name: str
    on: bool
    offered: bool = False
    keys: int


class SettingsOut(Schema):
    revision: int
    total: int
    all: int
    """Keys found, and keys there are."""
    files: int
    rows: list[SettingRowOut]
    mods: list[ModSettingsOut]
    unread: list[UnreadOut]
    lone: list[SettingRowOut]
    """Settings of files that no build carries, or that are not read: set all the same."""
    sets: list[SettingSetOut]
    reading: bool


class KeyPlaceOut(Schema):
    """Where a key's value stands in the text, in UTF-16 units, as browsers count."""

    key: list[str]
    start: int
    end: int


class SettingsTextOut(Schema):
    """A file as the next release would render it."""

    path: str
    mod: str
    text: str
    places: list[KeyPlaceOut]


class SettingsTextIn(Schema):
    """`before`: the text that it was typed into; by itself the one that would be rendered now."""

    path: SettingsPath
    text: Annotated[str, Field(max_length=1_100_000)]
    before: Annotated[str, Field(max_length=1_100_000)] | None = None


class KeyValueOut(Schema):
    """`text`: in the place of a number that a browser has no place for."""

    path: str
    key: list[str]
    value: Plain
    text: str | None


class RetypedOut(Schema):
    """What a text says otherwise than the pack. `is_more`: it also differs in what does not travel."""

    sets: list[KeyValueOut]
    resets: list[KeyValueOut]
    dropped: list[str]
    is_more: bool
