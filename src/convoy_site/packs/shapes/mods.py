"""Shapes of the finder and of one mod."""

from datetime import date, datetime
from uuid import UUID

from convoy_core.words.model import Channel, Kind, Pickup, Reach, Side

from ...shapes import Schema


class FinderRow(Schema):
    """A mod in the finder. `fit_version` is empty where nothing fits, and `reason` says why."""

    slug: str
    name: str
    summary: str
    author: str
    category: str
    kind: Kind
    downloads: int
    followers: int
    rating: int
    updated: date | None
    added: date | None
    pickup: Pickup
    fit_version: str
    reason: str
    needs: list[str]
    picture: bool


class Freshness(Schema):
    name: str
    pickup: Pickup
    read_at: datetime | None
    trouble: str
    pages_done: int
    pages_changed: int
    rest_until: datetime | None
    """`pages_done` below `pages_changed`: it is being read, or will be read on from there."""


class FacetValue(Schema):
    value: str
    count: int


class FacetOut(Schema):
    name: str
    values: list[FacetValue]


class FinderPage(Schema):
    rows: list[FinderRow]
    total: int
    page: int
    pages: int
    facets: list[FacetOut]
    sources: list[Freshness]


class VerdictOut(Schema):
    """What the crew says of a build; `here`: on the draft's base."""

    works: bool
    here: bool
    sentence: str


class AddedPart(Schema):
    name: str
    folders: list[str]


class AddedOut(Schema):
    """What the crew adds to what builds of a mod say of themselves, and who said so."""

    touches: list[str]
    rebuilds: list[str]
    partners: list[str]
    parts: list[AddedPart]
    side: str
    reach: str
    note: str
    by: str
    on: date


class BuildOut(Schema):
    """One build with why it is ruled out in this draft (empty: it can be taken)."""

    version: str
    channel: Channel
    date: date | None
    games: str
    loaders: dict[str, str]
    needs: dict[str, str]
    breaks: dict[str, str]
    provides: dict[str, str]
    side: Side
    reach: Reach
    archive_size: int
    files: int
    change_log: str
    ruled_out: str
    touches: list[str]
    rebuilds: list[str]
    partners: list[str]
    verdicts: list[VerdictOut]


class FileOut(Schema):
    path: str
    size: int


class PackUse(Schema):
    """A pack of mine that has the mod, and in which build."""

    id: UUID
    name: str
    version: str


class NeighbourOut(Schema):
    """Another mod that this one's page speaks of."""

    mod: str
    name: str
    what: str


class MoreOfMod(Schema):
    """What only the mod's own page shows. `touches` are paths of its newest fitting build that others of the draft
    place, too; `carries` its first files.
    """

    pictures: int
    on_removal: str
    licence_sentence: str
    passing_on: str
    needed_by: list[NeighbourOut]
    needed_by_in_all: int
    counterpart: NeighbourOut | None
    in_packs: list[PackUse]
    version: str
    carries: list[FileOut]
    carries_in_all: int
    touches: list[NeighbourOut]


class ModPage(Schema):
    slug: str
    name: str
    summary: str
    author: str
    category: str
    kind: Kind
    licence: str
    downloads: int
    source: str
    pickup: Pickup
    page: str
    counterpart: str
    builds: list[BuildOut]
    comes: str
    """The build that would come if it were added now; empty where none fits."""
    added: AddedOut | None
    names: dict[str, str]
    """What the mods are called that its builds speak of, by id."""
