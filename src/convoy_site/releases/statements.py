"""What the site says of a pack's newest releases: signed anew at every change and before it runs out, kept in the
database, and handed out to anybody who knows the pack's address. No member's name is in it.

Beside the signed statement stands what is not signed: which installations have something to ask for at the site. So an
agent that watches asks for one small file that any static server or CDN may hand out, and for nothing else until that
changes.
"""

from collections.abc import Collection
from datetime import datetime, timedelta
from functools import lru_cache
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.trust.charter import Duty
from convoy_core.trust.signed import Signed
from convoy_core.trust.statement import CONTEXT, HOLDS_FOR, MOST_WITHDRAWN, RENEWED_AFTER, Named, Statement
from convoy_core.trust.word import write_word

from ..packs.models import Pack
from .charters import newest_charter
from .keys import signed_by_site
from .models import Release, StatementKept, open_ones

CALLS_FOR = timedelta(minutes=10)
"""How long a call stands in the file: an agent that asks seldom sees it, too."""


def statement_of(pack: Pack) -> Signed:
    """What is said now. Signed anew where the last one has not long to go."""
    return _said(pack).as_signed()


def statements_of(packs: Collection[Pack]) -> dict[UUID, Signed]:
    """The same for several packs, by pack. One query, but for those that have to be said anew."""
    fresh = timezone.now() - RENEWED_AFTER
    rows = StatementKept.objects.filter(pack__in=packs, made_at__gte=fresh)
    found = {row.pack_id: row.as_signed() for row in rows}
    return found | {pack.pk: statement_of(pack) for pack in packs if pack.pk not in found}


def said_with_releases(pack: Pack) -> tuple[Signed, list[Release]]:
    """What is said now, and the pack's releases without their documents, newest first. These are kept in memory by the
    time of the statement: whatever changes them states anew, in the same transaction. Nobody may change what is given.
    """
    row = _said(pack)
    return row.as_signed(), _releases(pack.pk, row.made_at)


@lru_cache(maxsize=1_000)
def _releases(pack_id: UUID, stated_at: datetime) -> list[Release]:
    found = Release.objects.filter(pack=pack_id).defer("document", "signature", "public_key", "changes", "notes")
    return list(found.select_related("withdrawal").order_by("-pk"))


def _said(pack: Pack) -> StatementKept:
    row = StatementKept.objects.filter(pack=pack).first()
    if row is None or timezone.now() - row.made_at > RENEWED_AFTER:
        restate(pack)
        row = StatementKept.objects.get(pack=pack)
    return row


@transaction.atomic
def restate(pack: Pack) -> Signed:
    """Says anew what is newest; called in the transaction of whatever changed it. One after the other: a later word
    never carries less than an earlier one.
    """
    Pack.objects.select_for_update(of=("self",), no_key=True).get(pk=pack.pk)
    charter = newest_charter(pack.crew).charter
    # To the second, and never the same twice: which of two words is newer is told by their times.
    now = timezone.now().replace(microsecond=0)
    before = StatementKept.objects.filter(pack=pack).first()
    if before:
        now = max(now, before.made_at + timedelta(seconds=1))
    said = Statement(str(pack.pk), charter.version, now, now + HOLDS_FOR, _newest(pack), _withdrawn(pack))
    signed = signed_by_site(said.as_bytes(), CONTEXT, charter, Duty.STATEMENT)
    StatementKept.objects.update_or_create(pack=pack, defaults={"made_at": now, **StatementKept.columns(signed)})
    return signed


def _newest(pack: Pack) -> dict[ReleaseChannel, Named]:
    """By channel, what its followers may have: those of trial releases have the stable ones, too."""
    found = {}
    for channel in ReleaseChannel:
        open_to = Release.objects.filter(open_ones(trial=channel is ReleaseChannel.TRIAL), pack=pack).order_by("-pk")
        if row := open_to.values_list("number", "sha256").first():
            found[channel] = Named(*row)
    return found


def _withdrawn(pack: Pack) -> frozenset[str]:
    rows = Release.objects.filter(pack=pack).exclude(withdrawal=None).order_by("-pk")
    return frozenset(rows.values_list("sha256", flat=True)[:MOST_WITHDRAWN])


def renew_statements() -> int:
    """Signs anew whatever has not long to go; gives how many. By the hour, so that nobody's agent waits for it."""
    due = Pack.objects.filter(statement__made_at__lt=timezone.now() - RENEWED_AFTER).select_related("crew")
    for pack in due:
        restate(pack)
    return len(due)


def word_of(pack_id: UUID, calls: dict[str, int]) -> bytes | None:
    """The file that watching agents ask for: the signed statement, and which installations are called. None for no pack
    that has released anything.
    """
    pack = Pack.objects.select_related("crew").filter(pk=pack_id).first()
    if pack is None or not pack.releases.exists():
        return None
    return write_word(statement_of(pack), calls)
