"""The statement of a pack: what its newest releases are, and which were withdrawn, for the next days.

Signed anew at every change and before it runs out. A machine keeps the newest that it has seen and never goes back
behind it; one that has run out says that the site, or somebody before it, is keeping something back.
Source: docs/rules.md, "Trust".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from ..lock.canonical import canonical_json
from ..lock.recipe import ReleaseChannel
from ..outside.fields import Fields
from ..words.errors import MalformedInput, Untrusted
from ..words.versions import parse_version
from .charter import Charter, Duty
from .signed import LONGEST, Signed, parsed
from .times import read_time, write_time

FORMAT = "convoy-statement/1"
CONTEXT = b"true-convoy statement 1\n"

HOLDS_FOR = timedelta(days=3)
"""How long a statement holds: a site may be away for a weekend, and a release is kept back no longer than that."""

RENEWED_AFTER = timedelta(hours=12)
"""A statement of which nothing changed is signed anew after that."""

AHEAD = timedelta(days=1)
"""How far a machine's clock may be behind the site's: by a zone at most. Beyond, a statement is of the future."""

MOST_WITHDRAWN = 400
"""Withdrawn releases that are named, the newest: with their hashes they take half of what is read."""


class SetBack(Untrusted):
    """The site says less than it said before."""

    code = "set-back"


class NothingNew(Untrusted):
    """The site's last word has run out: nobody knows what is newest."""

    code = "nothing-new"


@dataclass(frozen=True, slots=True)
class Named:
    """A release: what people call it, and what it is."""

    number: str
    sha256: str


@dataclass(frozen=True, slots=True)
class Statement:
    """`newest`: by channel that has an open release; `charter`: the version of the crew's newest charter."""

    pack: str
    charter: int
    made_at: datetime
    expires: datetime
    newest: Mapping[ReleaseChannel, Named] = field(default_factory=dict)
    withdrawn: frozenset[str] = frozenset()
    """SHA-256 of the documents of releases that nobody is to install any more."""

    def as_bytes(self) -> bytes:
        """The exact bytes that are signed."""
        return canonical_json(
            {
                "format": FORMAT,
                "pack": self.pack,
                "charter": self.charter,
                "made_at": write_time(self.made_at),
                "expires": write_time(self.expires),
                "newest": {
                    channel.value: {"number": named.number, "sha256": named.sha256}
                    for channel, named in self.newest.items()
                },
                "withdrawn": sorted(self.withdrawn),
            }
        )

    def is_over(self, now: datetime) -> bool:
        return now >= self.expires

    def channel_of(self, number: str) -> ReleaseChannel | None:
        """The channel of which a number is the newest release; stable before trial."""
        return next((one for one in ReleaseChannel if one in self.newest and self.newest[one].number == number), None)


def read_statement(signed: Signed, charter: Charter, pack: str) -> Statement:
    """A statement that the charter's keys signed, of this pack. Raises BadSignature, MalformedInput."""
    charter.demand(Duty.STATEMENT, signed, CONTEXT, "what the site says of its newest release")
    top = Fields(parsed(signed.document, LONGEST))
    if top.text("format") != FORMAT:
        raise MalformedInput("What the site says of its newest release has another form.", f"Read is {FORMAT}.")
    if top.text("pack") != pack:
        raise MalformedInput("The site answers for another pack.", now="Nothing was changed.")
    newest = top.fields("newest")
    return Statement(
        pack,
        top.whole("charter"),
        read_time(top.text("made_at")),
        read_time(top.text("expires")),
        {
            channel: Named(newest.fields(channel.value).text("number"), newest.fields(channel.value).sha256("sha256"))
            for channel in ReleaseChannel
            if newest.has(channel.value)
        },
        frozenset(top.strings("withdrawn")),
    )


def newer(known: Statement | None, said: Statement, now: datetime) -> Statement:
    """Which of two statements counts from now on: `said`, unless it is older. One that was withdrawn once stays so.

    Raises SetBack where `said` is newer and names an older release although the known one was not withdrawn, brings a
    withdrawn one back, or is of the future. That the time of the outcome has run out is no error here: see
    `refuse_over`.
    """
    if said.made_at > now + AHEAD:
        raise SetBack(
            f"The site's word is of {said.made_at:%Y-%m-%d %H:%M} UTC, and here it is {now:%Y-%m-%d %H:%M}.",
            "Its clock is wrong, or this machine's is.",
            "Nothing was changed. Set the clock right, then try again.",
        )
    if known is None:
        return said
    if said.made_at < known.made_at:
        return known
    for channel, before in known.newest.items():
        if before.sha256 in said.withdrawn:
            continue
        after = said.newest.get(channel)
        if after is None or _is_below(after.number, before.number):
            shown = f"release {after.number}" if after else "no release"
            raise SetBack(
                f"The site says that {shown} is the newest, and has said that {before.number} is.",
                "It was set back to an earlier state, or somebody wants you to have an older release.",
                f"Nothing was changed. Ask your curator; a release above {before.number} ends this.",
                known=before.number,
                said=after.number if after else "",
            )
    withdrawn = known.withdrawn | said.withdrawn
    for after in said.newest.values():
        if after.sha256 in known.withdrawn:
            raise SetBack(
                f"Release {after.number} was withdrawn, and the site offers it again.",
                "It was set back to an earlier state, or somebody wants you to have that release.",
                "Nothing was changed. Ask your curator; a newer release ends this.",
                said=after.number,
            )
    return replace(said, withdrawn=withdrawn)


def _is_below(number: str, other: str) -> bool:
    return parse_version(number) < parse_version(other)


def refuse_over(statement: Statement, now: datetime) -> None:
    """Raises NothingNew where the statement's time has run out."""
    if statement.is_over(now):
        raise NothingNew(
            f"The site has said nothing new since {statement.made_at:%Y-%m-%d %H:%M} UTC.",
            "Its word holds three days: it is behind, or somebody keeps a newer one back.",
            "What is here stays as it is. Ask your curator, and look at this machine's clock.",
            since=write_time(statement.made_at),
        )
