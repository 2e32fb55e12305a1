"""The charter of a crew: which keys may sign what, and how many of them it takes.

The first one is what a machine pins when it joins, by its `mark`. Each later one is signed by the charter keys of the
one before and by its own, so that keys are changed, added and taken away without pairing anew; a stolen key that is
not a charter key cannot change this. What a charter does not look at is when releases were made: that is the
statement's.
Source: docs/rules.md, "Trust".
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum

from ..lock.canonical import canonical_json
from ..lock.fingerprint import grouped
from ..outside.fields import Fields
from ..words.errors import BadSignature, MalformedInput, Untrusted
from .signed import LONGEST, Signed, demand, parsed
from .signing import key_fingerprint
from .times import read_time, write_time

FORMAT = "convoy-charter/1"
CONTEXT = b"true-convoy charter 1\n"

MOST_KEYS = 16
"""Keys of one duty: more people than ever sign for one crew."""

MOST_STEPS = 256
"""Charters that are followed one after the other in one go: two changes a month for ten years."""


class Duty(StrEnum):
    CHARTER = "charter"
    """Signs charters: the root of all the others, best kept on no machine that is on the net."""
    RELEASE = "release"
    STATEMENT = "statement"
    """Signs what the newest release is. Short-lived, so that it has to lie on the site."""
    AGENT = "agent"
    """Signs which agent the site hands out."""


class CharterOver(Untrusted):
    """The time of a charter has run out."""

    code = "charter-over"


class WrongCharter(Untrusted):
    """A charter that does not follow the one that is trusted."""

    code = "wrong-charter"


@dataclass(frozen=True, slots=True)
class Holders:
    """Who may sign for a duty: public keys of 32 bytes, and how many of them it takes."""

    keys: tuple[bytes, ...]
    threshold: int = 1


@dataclass(frozen=True, slots=True)
class Charter:
    """`crew`: whose it is; no other crew's is taken. `expires`: None for one that holds until the next."""

    crew: str
    version: int
    duties: Mapping[Duty, Holders]
    expires: datetime | None = None

    def as_bytes(self) -> bytes:
        """The exact bytes that are signed."""
        told = {
            "format": FORMAT,
            "crew": self.crew,
            "version": self.version,
            "expires": write_time(self.expires) if self.expires else "",
            "duties": {
                duty.value: {"keys": sorted(key.hex() for key in held.keys), "threshold": held.threshold}
                for duty, held in self.duties.items()
            },
        }
        return canonical_json(told)

    @property
    def mark(self) -> str:
        """The charter's keys as people compare them: the fingerprint of the one key, or of all with their threshold."""
        held = self.duties[Duty.CHARTER]
        if len(held.keys) == 1:
            return key_fingerprint(held.keys[0])
        told = f"{held.threshold}:".encode() + b"".join(sorted(held.keys))
        return grouped(hashlib.sha256(told).digest(), groups=4)

    def is_over(self, now: datetime) -> bool:
        return self.expires is not None and now >= self.expires

    def demand(self, duty: Duty, signed: Signed, context: bytes, what: str) -> None:
        """Raises BadSignature unless enough of the duty's keys signed."""
        held = self.duties[duty]
        demand(signed, context, held.keys, held.threshold, what)

    def with_duty(self, duty: Duty, keys: Sequence[bytes], threshold: int) -> Charter:
        """The next charter, with other keys for a duty. Not signed yet."""
        duties = {**self.duties, duty: Holders(tuple(sorted(keys)), threshold)}
        return replace(self, duties=duties)


def first_charter(crew: str, key: bytes, statement: bytes) -> Charter:
    """What a crew has before anybody thinks of keys: the site's, for everything. The same at each call."""
    alone, stating = Holders((key,)), Holders((statement,))
    return Charter(crew, 1, {Duty.CHARTER: alone, Duty.RELEASE: alone, Duty.STATEMENT: stating, Duty.AGENT: alone})


def read_charter(document: bytes) -> Charter:
    """A charter from its bytes; who signed it is not looked at. Raises MalformedInput."""
    top = Fields(parsed(document, LONGEST))
    if top.text("format") != FORMAT:
        raise MalformedInput("This is no charter, or one of another form.", f"This program reads {FORMAT}.")
    duties = top.fields("duties")
    expires = top.text("expires", "")
    version = top.whole("version")
    if version < 1:
        raise MalformedInput("Charters are counted from 1.")
    return Charter(
        top.text("crew"),
        version,
        {duty: _holders(duties.fields(duty.value), duty) for duty in Duty},
        read_time(expires) if expires else None,
    )


def _holders(fields: Fields, duty: Duty) -> Holders:
    try:
        keys = tuple(bytes.fromhex(one) for one in fields.strings("keys"))
    except ValueError as error:
        raise MalformedInput(f"A key of “{duty.value}” is no hexadecimal text.") from error
    threshold = fields.whole("threshold")
    problem = ""
    if len(set(keys)) != len(keys):
        problem = "names a key twice"
    elif any(len(key) != 32 for key in keys):
        problem = "names a key that is not 32 bytes long"
    elif len(keys) > MOST_KEYS:
        problem = f"has more than {MOST_KEYS} keys"
    elif not 1 <= threshold <= max(len(keys), 1):
        problem = f"demands {threshold} signatures of {len(keys)} keys"
    elif not keys and duty is not Duty.AGENT:
        # Nobody may be able to replace agents; without the other three nothing would ever come again.
        problem = "has no keys"
    if problem:
        raise MalformedInput(f"“{duty.value}” {problem}.", now="Make the charter anew with “convoy key charter”.")
    return Holders(keys, threshold)


def begin(signed: Signed, now: datetime) -> Charter:
    """A charter to be pinned: signed by its own charter keys. Its mark is compared by whoever calls."""
    charter = read_charter(signed.document)
    charter.demand(Duty.CHARTER, signed, CONTEXT, "the charter")
    refuse_over(charter, now)
    return charter


def follow(before: Charter, signed: Signed) -> Charter:
    """The charter after `before`. Whether its time has run out is asked of the last one alone.

    Raises WrongCharter for one of another crew or number, BadSignature, MalformedInput.
    """
    after = read_charter(signed.document)
    if after.crew != before.crew:
        raise WrongCharter("This is the charter of another crew.", now="Nothing was changed.")
    if after.version != before.version + 1:
        raise WrongCharter(
            f"This is charter {after.version}; the next one is {before.version + 1}.",
            "Charters follow one after the other, so that none can be passed over.",
            "Begin with the newest one.",
            version=before.version,
        )
    try:
        before.demand(Duty.CHARTER, signed, CONTEXT, "the charter")
    except BadSignature as error:
        raise BadSignature(
            "This charter is not signed by the keys of the one before.", error.what, "Nothing was changed."
        ) from error
    after.demand(Duty.CHARTER, signed, CONTEXT, "the charter")
    return after


def refuse_over(charter: Charter, now: datetime) -> None:
    if charter.is_over(now):
        assert charter.expires
        raise CharterOver(
            f"The crew's charter held until {charter.expires:%Y-%m-%d}.",
            "It says which keys may sign, and nobody has renewed it: somebody may be keeping a newer one back.",
            "Nothing was changed. Ask the crew's owner to renew it.",
        )
