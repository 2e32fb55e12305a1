"""What a site says of an installation, as data: from its answers, and from what was kept of them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from convoy_core.lock.beside import MOST_BESIDE
from convoy_core.settings.formats import Key
from convoy_core.trust.signed import Signed, read_signed_data
from convoy_core.trust.signing import key_fingerprint
from convoy_core.trust.statement import Named


@dataclass(frozen=True)
class Pairing:
    """What a machine keeps of its pairing. `public_key`: the first charter key that was shown; `charter`: the charter
    as the site showed it, unverified, which `join` pins.
    """

    site: str
    token: str
    public_key: str
    pack_id: str
    pack: str
    installation: str
    name: str
    side: str
    mark: str = ""
    """Of the charter that was pinned, as people compare it; empty in pairings of earlier agents, which pinned a key."""
    charter: Signed | None = None

    @property
    def key(self) -> str:
        return self.mark or key_fingerprint(bytes.fromhex(self.public_key))

    def as_kept(self) -> dict[str, str]:
        """The charter is kept elsewhere, as it changes."""
        return {name: value for name, value in asdict(self).items() if name != "charter"}


@dataclass(frozen=True)
class Order:
    """What somebody asked for on the installation's page. `what` is one of those that `watch` knows."""

    id: int
    what: str
    given: Mapping[str, Any]


@dataclass(frozen=True)
class Milestone:
    """A moment of a playthrough at which its world is backed up; `world`: the name of its folder."""

    id: str
    name: str
    world: str


@dataclass(frozen=True)
class BesideHead:
    """A collection that the member takes up beside the pack, and the release of it that goes together with the base.
    `mark`: of its crew's charter, as the site shows it; `said`: its signed statement, unverified; `refused`: builds of
    it that do not go together with the pack, with why.
    """

    pack: str
    name: str
    number: str
    sha256: str
    mark: str
    refused: Mapping[str, str] = field(default_factory=dict)
    said: Signed | None = None


@dataclass(frozen=True)
class Head:
    """`number`: the release that this installation follows by its member's choice; `newest`: the pack's current one,
    empty while none is open. `left_out`: optional mods that the member does without; `line`: KB a second at most (0:
    all); `most`: MB at once; `keep`: backups made before syncs that stay (0: the site does not say).
    """

    number: str
    newest: str
    sources: Mapping[str, str]
    left_out: frozenset[str] = frozenset()
    line: int = 0
    most: int = 0
    order: Order | None = None
    sha256: str = ""
    """What the release of that number is, by the site's unsigned word."""
    worlds: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """By mod the worlds that its member put its content into (`lock.in_worlds`)."""
    word: str = ""
    """Where the pack's statement is handed out for whoever watches; empty: nowhere but here."""
    said: Signed | None = None
    """The pack's statement, unverified."""
    keep: int = 0
    tells_settings: bool = False
    """Whether its member allowed to tell which settings they changed."""
    sets: frozenset[str] = frozenset()
    """Offered sets of settings that the member chose."""
    pinned: frozenset[tuple[str, Key]] = frozenset()
    """Settings that the member keeps as they are, whatever a release brings, by file and key."""
    milestones: tuple[Milestone, ...] = ()
    beside: tuple[BesideHead, ...] = ()
    """In the order in which they are laid down."""

    @property
    def named(self) -> Named:
        """The release that is followed."""
        return Named(self.number, self.sha256)


MILESTONES = 20
"""That an answer may name: those of the playthroughs that are open."""


def milestones_of(told: Any) -> tuple[Milestone, ...]:
    """From a site's answer, or from what was kept of it."""
    rows = list(told)[:MILESTONES]
    return tuple(Milestone(str(one["id"])[:80], str(one["name"])[:200], str(one["world"])[:200]) for one in rows)


_COLLECTION = re.compile("[0-9A-Za-z-]{1,60}")


def beside_of(told: Any) -> tuple[BesideHead, ...]:
    """From a site's answer, or from what was kept of it: a collection's id becomes a folder's name. Raises what `head`
    takes for no answer.
    """
    found = []
    for one in list(told)[:MOST_BESIDE]:
        if not _COLLECTION.fullmatch(one["pack"]):
            raise ValueError("a collection has an id that is none")
        refused = {str(mod)[:80]: str(why)[:LONGEST_WHY] for mod, why in dict(one.get("refused") or {}).items()}
        said = read_signed_data(one["statement"]) if one.get("statement") else None
        name, number, sha256, mark = (str(one[part])[:200] for part in ("name", "number", "sha256", "mark"))
        found.append(BesideHead(one["pack"], name, number, sha256, mark, refused, said))
    return tuple(found)


LONGEST_WHY = 600


def pinned_of(told: Any) -> frozenset[tuple[str, Key]]:
    """Settings by file and key, from JSON. Raises TypeError, ValueError or KeyError for what is none."""
    return frozenset((str(path), tuple(map(str, key))) for path, key in told)
