"""Shapes of looking ahead: pasted lines, updates, bases, needs."""

from typing import Annotated

from pydantic import Field

from convoy_core.outside.pasting import MAX_TEXT
from convoy_core.settings.changes import SettingsWhat

from ...shapes import Schema
from .. import recognising
from .packs import ChangeOut


class PasteIn(Schema):
    text: Annotated[str, Field(max_length=MAX_TEXT)]


class OptionOut(Schema):
    mod: str
    name: str
    summary: str
    author: str


class RecognisedOut(Schema):
    """One pasted line. `version` is the build that would come, `listed` the version that the line itself names."""

    text: str
    state: recognising.Recognition
    mod: str
    name: str
    version: str
    listed: str
    can_take: bool
    reason: str
    options: list[OptionOut]
    likeliest: str


class PasteOut(Schema):
    lines: list[RecognisedOut]
    left_out: int


class LogOut(Schema):
    version: str
    text: str


class SettingChangeOut(Schema):
    """A setting that the newer build has otherwise. `now`: what a renamed one is called; `is_set`: the pack sets it, so
    that it would be lost, or not be found.
    """

    what: SettingsWhat
    path: str
    key: list[str]
    now: list[str]
    before: str
    after: str
    is_set: bool


class UpdateOut(Schema):
    mod: str
    name: str
    before: str
    after: str
    chosen: bool
    size: int
    logs: list[LogOut]
    settings: list[SettingChangeOut]
    """As far as both builds were read."""


class BehindOut(Schema):
    mod: str
    name: str
    version: str
    newest: str
    why: str
    settings: list[SettingChangeOut]
    """What the newest build has otherwise in its settings, as far as both were read."""


class CollectionLogOut(Schema):
    number: str
    notes: str


class CollectionUpdateOut(Schema):
    """A collection that has a newer release. `held`: updating everything leaves it where it is."""

    id: str
    name: str
    before: str
    after: str
    held: bool
    releases: list[CollectionLogOut]
    changes: list[ChangeOut]


class UpdatesOut(Schema):
    """What updating everything would do, and what would stay behind."""

    collections: list[CollectionUpdateOut]

    revision: int
    moves: list[UpdateOut]
    behind: list[BehindOut]


class BaseLineOut(Schema):
    mod: str
    name: str
    text: str


class BaseOutlookOut(Schema):
    """What one base means for the chosen lines; `exist` counts those with a build, through counterparts too."""

    game_version: str
    label: str
    channel: str
    loader: str
    loader_name: str
    loader_version: str
    now: bool
    exist: int
    of: int
    same: int
    change: list[BaseLineOut]
    through: list[BaseLineOut]
    missing: list[BaseLineOut]


class NodeOut(Schema):
    mod: str
    name: str
    version: str
    chosen: bool


class EdgeOut(Schema):
    """`asker` needs `mod` in `range`; `met_by` is what meets it."""

    asker: str
    mod: str
    range: str
    met_by: str


class NeedsOut(Schema):
    nodes: list[NodeOut]
    edges: list[EdgeOut]
