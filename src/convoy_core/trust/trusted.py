"""What a machine trusts of one crew and pack: the charter it follows and the newest word it has had. Pure: bytes in,
the next state out; a refusal leaves what was. Fetching and keeping is the agent's.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime

from ..lock.canonical import sha256_hex
from ..lock.recipe import ReleaseChannel
from ..words.errors import Untrusted
from ..words.versions import parse_version
from .charter import Charter, Duty, WrongCharter, follow, refuse_over
from .signed import Signed
from .statement import Named, Statement, newer, read_statement

RELEASE_CONTEXT = b""
"""Releases are signed as they are, since before other documents were: those begin with a context, and no JSON does."""


class NotSaid(Untrusted):
    """The site offers a release that its signed word does not bear out."""

    code = "not-said"


@dataclass(frozen=True, slots=True)
class Trusted:
    """`earlier`: release keys of charters before this one. What lies on a machine was verified by them when it came;
    nothing that comes from now on is.
    """

    charter: Charter
    statement: Statement | None = None
    earlier: frozenset[bytes] = frozenset()

    def with_charters(self, ones: Iterable[Signed], now: datetime) -> Trusted:
        """Follows charters that come after the one that is trusted. Where another key signs statements from now on,
        what the old one said is forgotten: whoever had stolen it may have said anything.
        """
        charter, statement, earlier = self.charter, self.statement, self.earlier
        for one in ones:
            after = follow(charter, one)
            earlier |= frozenset(charter.duties[Duty.RELEASE].keys)
            if after.duties[Duty.STATEMENT] != charter.duties[Duty.STATEMENT]:
                statement = None
            charter = after
        refuse_over(charter, now)
        return Trusted(charter, statement, earlier)

    def with_statement(self, signed: Signed, pack: str, now: datetime) -> Trusted:
        """Raises what `read_statement` and `newer` raise, and WrongCharter where a newer charter is kept back."""
        said = read_statement(signed, self.charter, pack)
        if said.charter > self.charter.version:
            raise WrongCharter(
                f"The site speaks of charter {said.charter} and shows no more than {self.charter.version}.",
                "Somebody keeps the newest keys back.",
                "Nothing was changed. Try again later; ask your curator if it stays so.",
            )
        return replace(self, statement=newer(self.statement, said, now))

    def demand_release(self, signed: Signed, is_here: bool) -> None:
        """Raises BadSignature unless the release keys signed it. `is_here`: it lay on this machine already, where also
        what earlier keys signed is read.
        """
        if is_here and any(key in self.earlier for key, _ in signed.signatures):
            earlier = Signed(signed.document, tuple(one for one in signed.signatures if one[0] in self.earlier))
            kept = replace(self.charter.duties[Duty.RELEASE], keys=tuple(self.earlier), threshold=1)
            charter = replace(self.charter, duties={**self.charter.duties, Duty.RELEASE: kept})
            charter.demand(Duty.RELEASE, earlier, RELEASE_CONTEXT, "the release")
            return
        self.charter.demand(Duty.RELEASE, signed, RELEASE_CONTEXT, "the release")


def meant(statement: Statement, number: str, sha256: str, installed: Named | None) -> Named:
    """Which release the site means for a machine by its unsigned word, held against the signed one.

    `sha256` may be empty, and so is that of the outcome then. Allowed are the newest of a channel, what is installed,
    and an earlier one that was not withdrawn, by its member's choice. Raises NotSaid.
    """
    for named in statement.newest.values():
        if named.number == number and sha256 in ("", named.sha256):
            return named
    if installed and number == installed.number and sha256 in ("", installed.sha256):
        return installed
    if sha256 in statement.withdrawn:
        raise NotSaid(f"Release {number} was withdrawn.", "Nobody is to install it.", "Nothing was changed.")
    top = [named.number for named in statement.newest.values()]
    if not any(parse_version(number) < parse_version(one) for one in top):
        raise NotSaid(
            f"The site offers release {number}, and signed no word of it.",
            f"What it signed: {', '.join(top) or 'no release is open'}.",
            "Nothing was changed. Try again; ask your curator if it stays so.",
            number=number,
        )
    return Named(number, sha256)


def goes_back(statement: Statement | None, installed: str, number: str) -> bool:
    """Whether only the unsigned word of the site asks for a release that is below the installed one, or, where nothing
    is, below the newest.
    """
    if statement and statement.channel_of(number):
        return False
    return not installed or parse_version(number) < parse_version(installed)


def newest_of(statement: Statement, said: str) -> str:
    """The number of the newest release: as the site's unsigned word has it where a channel bears it out."""
    if statement.channel_of(said):
        return said
    return next((statement.newest[one].number for one in ReleaseChannel if one in statement.newest), "")


def release_hash(document: bytes) -> str:
    """What a release is, whatever number it carries: the SHA-256 of its bytes."""
    return sha256_hex(document)
