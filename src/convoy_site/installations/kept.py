"""What an installation's JSON fields hold, as the site writes it."""

from typing import Any, TypedDict


class Order(TypedDict, total=False):
    """What its member asked for and no agent has done yet; empty when nothing is. `at`: ISO 8601."""

    id: int
    what: str
    given: dict[str, Any]
    at: str


class Answer(TypedDict, total=False):
    """How the last order went."""

    what: str
    said: str
    refused: bool


class Progress(TypedDict, total=False):
    """What the agent is doing, as `shapes.agent.ProgressIn` takes it; empty at rest. Bytes, and seconds."""

    phase: str
    what: str
    done: int
    total: int
    rate: int
    seconds_left: int
    files: int
    files_done: int
    under_way: list[dict[str, Any]]
    error: str
