"""Shapes of what a member has of their own: saved worlds, what goes into them, and collections beside the pack."""

from uuid import UUID

from ...shapes import Schema, Short


class IntoWorldsOut(Schema):
    """Content that goes into saved worlds: `folder` where those lie, `chosen` the member's, as `FOLDER/NAME` or
    `FOLDER/*`; `lies_in` those of them in which it is, by the agent's last look; `on_removal` what its leaving does.
    """

    mod: str
    name: str
    version: str
    folder: str
    chosen: list[str]
    lies_in: list[str]
    on_removal: str


class PlayedOut(Schema):
    name: str
    number: str
    until: str


class SavedWorldOut(Schema):
    """A saved world that lies there: what it was played with, oldest first, nothing where nobody knows; and what in
    that changes progress.
    """

    world: str
    size: int = 0
    changed: str = ""
    played: list[PlayedOut] = []
    progress: list[str] = []


class NotLaidOut(Schema):
    """A build of a collection that is not laid down, and why, as a phrase."""

    name: str
    version: str
    because: str


class BesideOut(Schema):
    """A collection that one takes up beside the pack, or could. `number`: the release that goes beside it, empty with
    `why` where none does; `has`: the one that lies there; `mods`: how many of it are laid down, `off` how many of those
    are not as they should be; `at_once`: it is of the pack's own crew, so that nobody is asked on the machine.
    """

    id: UUID
    name: str
    emblem: str
    crew: str
    key: str
    number: str
    why: str
    has: str
    mods: int
    off: int
    download: int
    errands: int
    steps: list[str]
    notes: str
    at_once: bool
    left_out: list[NotLaidOut]


class BesideTakeIn(Schema):
    """A collection of one of one's crews, or a code."""

    collection: UUID | None = None
    code: Short = ""
