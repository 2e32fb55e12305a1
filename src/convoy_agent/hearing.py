"""What the site says now, held against what it signed; where it is away or not to be believed, what it said last."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from typing import NoReturn

from convoy_core.trust.statement import NothingNew, Statement, refuse_over
from convoy_core.trust.trusted import meant, newest_of
from convoy_core.words.errors import BadSignature, MalformedInput, Untrusted

from .errors import NothingInstalled, SiteAway, SiteRefused
from .folder.folder import Folder
from .site.head import Head, Pairing
from .site.site import Site
from .visit import Now


@dataclass(frozen=True)
class Heard:
    """What the site says, held against what it signed. `doubt`: why it is not to be believed, or is out of date."""

    head: Head
    statement: Statement | None
    doubt: str = ""
    by_file: bool = False
    """It was said by a file that its person gave: going back by it is their own wish."""


def heard(folder: Folder, pairing: Pairing, site: Site, now: Now, must_answer: bool) -> Heard:
    """What the site says now; where it need not answer and does not, or is not to be believed, what it said last. One
    that is away is asked no more. Raises SiteAway, SiteRefused, Untrusted, BadSignature, MalformedInput.
    """
    trust = folder.releases.trust
    if not pairing.site:
        # A file has no word that could run out: what it holds is its signature's to vouch for.
        return Heard(folder.kept_head() or nothing_installed(), None, by_file=True)
    try:
        head = site.head()
        assert head.said
        statement = trust.hear(pairing, head.said, site.charters, now()).statement
        assert statement
        record = folder.record()
        named = meant(statement, head.number, head.sha256, record.named if record.release else None)
        head = replace(head, sha256=named.sha256, newest=newest_of(statement, head.newest))
    except (SiteAway, SiteRefused, Untrusted, BadSignature, MalformedInput) as error:
        kept = None if must_answer else folder.kept_head()
        if kept is None:
            raise
        statement = trust.now(pairing).statement
        if isinstance(error, SiteAway | SiteRefused):
            site.away = True
            return Heard(kept, statement, doubt_of(statement, now()))
        folder.remarks.append(error.sentence())
        return Heard(kept, statement, error.sentence())
    folder.keep_head(head)
    return Heard(head, statement, doubt_of(statement, now()))


def doubt_of(statement: Statement | None, now: datetime) -> str:
    """Why the newest word of the site says nothing of today; empty while it holds."""
    if statement is None:
        return ""
    try:
        refuse_over(statement, now)
    except NothingNew as error:
        return error.sentence()
    return ""


def nothing_installed() -> NoReturn:
    raise NothingInstalled("Nothing is installed here yet.", now="Sync first.")
