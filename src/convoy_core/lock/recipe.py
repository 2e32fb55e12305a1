"""The recipe of a release: the one document that a member's agent trusts, once its signature holds.

JSON, versioned; JSON Schema in docs/schema/recipe.schema.json. What may be signed is made here, and read here.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from ..machine.memory import Needed
from ..outside.fields import Fields
from ..words.errors import MalformedInput
from ..words.wording import listed
from .canonical import canonical_json, sha256_hex
from .in_worlds import for_worlds
from .lock import Lock
from .lock_json import as_data, read_lock
from .suits import Suits, read_suits

FORMAT = "convoy-recipe/1"
FORMAT_WITH_WORLDS = "convoy-recipe/2"
"""Of releases with content for saved worlds: an agent that knows nothing of it would make a world called `{world}`."""

FORMAT_WITH_SIDES = "convoy-recipe/3"
"""Of releases with settings for players or the server alone, which an older agent would set on both, or with sets that
members choose, of which it knows nothing.
"""

FORMATS = (FORMAT, FORMAT_WITH_WORLDS, FORMAT_WITH_SIDES)


class ReleaseChannel(StrEnum):
    STABLE = "stable"
    TRIAL = "trial"
    """Only for those who chose to follow trial releases."""


def is_open(channel: str, withdrawn: bool, trial: bool = False) -> bool:
    """Whether a release may be installed by somebody who follows trial releases, or does not.

    Source: docs/rules.md, "Release": a withdrawn one is nobody's any more.
    """
    return not withdrawn and (trial or channel == ReleaseChannel.STABLE)


@dataclass(frozen=True, slots=True)
class Despite:
    """A blocker that stood when a release was published, and why it was published all the same."""

    what: str
    because: str


@dataclass(frozen=True, slots=True)
class Recipe:
    """A release as it is signed. `published_at` is ISO 8601 in UTC; `changes` are rows as Change.as_data gives."""

    pack: str
    pack_name: str
    number: str
    channel: str
    published_at: str
    notes: str
    lock: Lock
    changes: tuple[dict[str, Any], ...] = field(default=())
    needed: Needed = Needed()
    """What the pack demands of a machine; zeros and nothing in releases that did not say."""
    despite: tuple[Despite, ...] = ()
    """Blockers that it was published over."""
    suits: Suits | None = None
    """Of a collection: what it may be laid under. None for a pack."""
    sealed_until: str = ""
    """Until when nobody but its curators is shown what is in it, as ISO 8601; empty for one that never was sealed."""
    sha256: str = field(default="", compare=False)
    """Of the bytes that it was read from: what the release is, whatever its number. Empty for one not yet written."""

    def is_sealed(self, now: datetime) -> bool:
        """Source: docs/rules.md, "Sealed"."""
        return bool(self.sealed_until) and now < datetime.fromisoformat(self.sealed_until)

    def as_bytes(self) -> bytes:
        """The exact bytes that are signed, kept and sent."""
        return canonical_json(
            {
                "format": _format_of(self.lock),
                "pack": {"id": self.pack, "name": self.pack_name},
                "number": self.number,
                "channel": self.channel,
                "published_at": self.published_at,
                "notes": self.notes,
                "fingerprint": self.lock.fingerprint(),
                "changes": list(self.changes),
                "needed": {
                    "minimum_mb": self.needed.minimum,
                    "recommended_mb": self.needed.recommended,
                    "disk": self.needed.disk,
                    "runtime": self.needed.runtime,
                },
                # Only where there is any: releases without stay as they were, to the byte.
                **({"despite": [asdict(one) for one in self.despite]} if self.despite else {}),
                **({"suits": self.suits.as_data()} if self.suits is not None else {}),
                **({"sealed_until": self.sealed_until} if self.sealed_until else {}),
                "lock": as_data(self.lock),
            }
        )


def read_moment(text: str) -> str:
    """A moment as ISO 8601 with its offset. Raises MalformedInput."""
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        raise MalformedInput(f"“{text[:40]}” is no moment.", str(error), field="sealed_until") from error
    if moment.tzinfo is None:
        raise MalformedInput(f"“{text[:40]}” does not say in which time zone.", field="sealed_until")
    return text


def _format_of(lock: Lock) -> str:
    """The oldest that says all of it: releases that need nothing newer stay as they were, to the byte."""
    if lock.terms.has_sides or lock.terms.offers:
        return FORMAT_WITH_SIDES
    return FORMAT_WITH_WORLDS if for_worlds(lock) else FORMAT


def read_recipe(document: bytes) -> Recipe:
    """A recipe from its bytes. Check the signature first. Raises MalformedInput or HostileArchive."""
    try:
        data = json.loads(document)
    except (ValueError, RecursionError) as error:
        raise MalformedInput("The release is no JSON.", str(error)) from error
    top = Fields(data)
    if top.text("format") not in FORMATS:
        raise MalformedInput(
            f"The release has the format “{top.text('format')[:40]}”.",
            f"This program reads {listed(FORMATS)}.",
            "A newer version of the agent may read it.",
        )
    pack = top.fields("pack")
    return Recipe(
        pack.text("id"),
        pack.text("name"),
        top.text("number"),
        top.text("channel"),
        top.text("published_at"),
        top.text("notes", "", longest=100_000),
        read_lock(top.mapping("lock")),
        tuple(dict(top_change) for top_change in data.get("changes", []) if isinstance(top_change, dict)),
        _needed(top.fields("needed")) if top.has("needed") else Needed(),
        tuple(Despite(one.text("what"), one.text("because")) for one in top.items("despite")),
        read_suits(top.fields("suits")) if top.has("suits") else None,
        read_moment(top.text("sealed_until")) if top.has("sealed_until") else "",
        sha256_hex(document),
    )


def _needed(fields: Fields) -> Needed:
    return Needed(
        fields.whole("minimum_mb"), fields.whole("recommended_mb"), fields.whole("disk"), fields.text("runtime", "")
    )
