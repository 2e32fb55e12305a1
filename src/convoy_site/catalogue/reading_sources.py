"""Reads a source's catalogue: only what changed, page by page, politely, and without harm when it is away or nonsense.

Each page is kept in one transaction together with its hash, so that a reading which was stopped goes on at the next
page. The index's ETag is kept only when every page of it has been read. Where a key was seen when the source was added,
an index that it did not sign is not read.
"""

import hashlib
import json
import logging
import random
import time
from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import httpx
from django.db import transaction
from django.utils import timezone

from convoy_core.outside.catalogue import (
    ListedMod,
    ListedPage,
    UnreadableEntry,
    read_catalogue,
    read_index,
    read_serial,
)
from convoy_core.source.pages import check_signature, signature_name
from convoy_core.words.errors import ConvoyError
from convoy_io.waits import asked_wait

from . import games, reaching
from .listed_rows import forget_all_but, keep_mods
from .models import Source, SourcePage

MAX_PAGE_BYTES = 64 * 1024 * 1024
"""Bytes of one page or of a catalogue in one piece: some 10,000 mods."""

MAX_READING_BYTES = 4 * 1024**3
"""Bytes of one reading: far more than a million builds."""

MODS_OF_A_CREWS = 50_000
"""Mods in one source that a crew added; what the site's keeper adds has no such limit."""

READING_SECONDS = 30 * 60
"""One reading at most, so that one that answers a byte a minute holds no worker. What came is kept."""

PAUSE_SECONDS = 0.02
"""Between two pages of one source: a reader is nobody's emergency."""

LONGEST_WAIT_SECONDS = 30
"""A source that asks us to wait longer is read on at a later turn instead."""

PATIENCE = 4
"""Tries for one page within one reading."""

FIRST_REST, LONGEST_REST = timedelta(minutes=5), timedelta(hours=6)
"""How long a source in trouble is left alone: doubled with each failure."""

NOT_READ = "Not read"

log = logging.getLogger(__name__)


class OlderIndex(ConvoyError):
    """A source's index has a lower number than one that was read before."""

    code = "older-index"


class _ComeLater(Exception):
    """The rest is read at a later turn: the source asked for that, or takes too long. Carries the seconds."""

    def __init__(self, seconds: float, why: str = "it asks us to come later") -> None:
        super().__init__(why)
        self.seconds = seconds


def read_source(
    source: Source, client: httpx.Client | None = None, sleep: Callable[[float], None] = time.sleep
) -> None:
    """Brings a source's mods up to date. What went wrong is written to the source, never raised."""
    try:
        with reaching.client() if client is None else nullcontext(client) as open_client:
            _Reading(source, open_client, sleep).run()
        source.failures, source.rest_until = 0, None
    except (httpx.HTTPError, ConvoyError, ValueError, RecursionError, _ComeLater) as error:
        source.trouble = f"{NOT_READ}: {error}"[:2000]
        source.failures += 1
        rest = min(FIRST_REST * 2 ** min(source.failures - 1, 10), LONGEST_REST)
        if isinstance(error, _ComeLater):
            rest = max(rest, min(timedelta(seconds=error.seconds), LONGEST_REST))
        source.rest_until = timezone.now() + rest * random.uniform(0.8, 1.2)  # noqa: S311 - so that not all return at once
        log.warning("source %s: %s", source.id, error)
    # Not all of the row: whoever pauses or renames it meanwhile is not overruled.
    source.save(update_fields=WRITTEN)


WRITTEN = (
    "etag",
    "serial",
    "read_at",
    "trouble",
    "failures",
    "rest_until",
    "pages_done",
    "pages_changed",
    "bytes_read",
)


@dataclass
class _Reading:
    source: Source
    client: httpx.Client
    sleep: Callable[[float], None]
    read: int = 0
    """Bytes so far."""
    began: float = field(default_factory=time.monotonic)

    def run(self) -> None:
        source = self.source
        reply = self._ask("catalogue.json", {"If-None-Match": source.etag} if source.etag else {})
        if reply is None:
            source.trouble = "" if source.trouble.startswith(NOT_READ) else source.trouble
        else:
            body, etag = reply
            if source.key:
                check_signature(source.key, body, (self._ask(signature_name(body)) or (b"", ""))[0])
            told = json.loads(body)
            if source.key:
                self._refuse_older(read_serial(told))
            pages = read_index(told)
            bad = self._follow(told)
            bad += (
                self._read_pages(pages) if pages is not None else self._keep("", hashlib.sha256(body).hexdigest(), told)
            )
            self._forget({page.name for page in pages} if pages is not None else {""})
            kept = source.pages.values_list("troubles", flat=True)
            source.trouble = "\n".join([*bad, *(line for lines in kept for line in lines)])[:2000]
            source.etag = "" if bad else etag[:200]
        source.read_at = timezone.now()

    def _refuse_older(self, serial: int) -> None:
        """A signature holds for ever: what was signed once could be handed out again, without the builds of since."""
        if serial < self.source.serial:
            raise OlderIndex(
                f"It hands out its catalogue number {serial}, and number {self.source.serial} was read before.",
                "Somebody brought back an old copy, or stands between.",
                "Nothing of it was read. Its keeper makes the source anew, from the place that has the newest.",
            )
        self.source.serial = serial

    def _follow(self, told: Any) -> list[str]:
        """Where the game follows this source, its version lists are kept. Gives what spoke against them."""
        game = self.source.game
        if game.follows_id == self.source.pk and isinstance(told, dict) and "versions" in told:
            try:
                games.keep_lists(game, told["versions"])
            except ConvoyError as error:
                return [f"Its list of versions: {error.sentence()}"]
        return []

    def _read_pages(self, pages: list[ListedPage]) -> list[str]:
        """Reads the pages whose hash is not the one that was kept. Gives what spoke against each unread one."""
        source, bad = self.source, []
        known = dict(source.pages.values_list("name", "sha256"))
        changed = [page for page in pages if known.get(page.name) != page.sha256]
        self._progress(0, len(changed))
        for number, page in enumerate(changed, 1):
            body, _ = self._ask(page.name) or (b"", "")
            if hashlib.sha256(body).hexdigest() != page.sha256:
                bad.append(f"{page.name}: it is not the page that the index names. It is read again next time.")
            else:
                bad += self._keep(page.name, page.sha256, json.loads(body))
            self._progress(number, len(changed))
            self.sleep(PAUSE_SECONDS)
        return bad

    def _too_many(self, page: str, more: int) -> bool:
        if self.source.crew_id is None:
            return False
        others = self.source.pages.exclude(name=page).values_list("mods", flat=True)
        return sum(len(mods) for mods in others) + more > MODS_OF_A_CREWS

    @transaction.atomic
    def _keep(self, name: str, sha256: str, told: object) -> list[str]:
        entries = list(read_catalogue(told, self.source.game.profile))
        mods = [entry for entry in entries if isinstance(entry, ListedMod)]
        if self._too_many(name, len(mods)):
            return [
                f"{name or 'The catalogue'}: a crew's source may list {MODS_OF_A_CREWS} mods; the rest is not read."
            ]
        troubles = [f"{one.entry}: {one.why}" for one in entries if isinstance(one, UnreadableEntry)]
        troubles += keep_mods(self.source, mods)
        kept = {"sha256": sha256, "mods": [one.id for one in mods], "troubles": troubles}
        SourcePage.objects.update_or_create(source=self.source, name=name, defaults=kept)
        return []

    @transaction.atomic
    def _forget(self, names: set[str]) -> None:
        """Pages that the index no longer names, and the builds of mods that stand on no page any more."""
        self.source.pages.exclude(name__in=names).delete()
        forget_all_but(
            self.source, {slug for mods in self.source.pages.values_list("mods", flat=True) for slug in mods}
        )

    def _progress(self, done: int, of: int) -> None:
        self.source.pages_done, self.source.pages_changed = done, of
        Source.objects.filter(pk=self.source.pk).update(pages_done=done, pages_changed=of)

    def _ask(self, path: str, headers: dict[str, str] | None = None) -> tuple[bytes, str] | None:
        """Body and ETag, or None when nothing changed. Waits as the source asks; raises when it stays away."""
        for attempt in range(PATIENCE):
            with self.client.stream("GET", f"{self.source.address}/{path}", headers=headers) as reply:
                if reply.status_code == 304:
                    return None
                if reply.status_code not in (429, 503):
                    reply.raise_for_status()
                    body = self._body(reply)
                    self._count(len(body))
                    return body, reply.headers.get("etag", "")
                wait = asked_wait(reply) or 2**attempt
            if wait > LONGEST_WAIT_SECONDS or attempt == PATIENCE - 1:
                raise _ComeLater(wait)
            self.sleep(wait)
        raise AssertionError("the last attempt returns or raises")

    def _count(self, size: int) -> None:
        self.read += size
        self.source.bytes_read += size
        if self.read > MAX_READING_BYTES:
            raise ValueError(f"its catalogue is larger than {MAX_READING_BYTES // 2**30} GB")

    def _body(self, reply: httpx.Response) -> bytes:
        body = bytearray()
        for chunk in reply.iter_bytes():
            body += chunk
            if len(body) > MAX_PAGE_BYTES:
                raise ValueError(f"a page of its catalogue is larger than {MAX_PAGE_BYTES // 2**20} MB")
            if time.monotonic() - self.began > READING_SECONDS:
                raise _ComeLater(0, f"it took longer than {READING_SECONDS // 60} minutes; the rest is read later")
        return bytes(body)
