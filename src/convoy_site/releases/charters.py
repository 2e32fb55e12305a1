"""The charters of a crew: kept one after the other, taken from its owner, and what follows for what was signed
before.
"""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from convoy_core.trust.charter import CONTEXT, Charter, Duty, first_charter, read_charter
from convoy_core.trust.signed import Signed, signers
from convoy_core.trust.signing import public_half
from convoy_core.trust.trusted import RELEASE_CONTEXT
from convoy_core.words.errors import ConvoyError

from ..people.models import Crew
from .keys import signed_by_site, signing_key, statement_key
from .models import CharterKept, Release, ReleaseSignature

AT_ONCE = 8
"""Charters that an agent gets in one answer; it asks again for more."""

TELL_BEFORE = timedelta(days=30)
"""How long before a charter's time runs out its owner is told."""


class NoSiteKey(ConvoyError):
    """The key that this would take was taken off the site."""

    code = "no-site-key"


@dataclass(frozen=True)
class Chartered:
    """A crew's newest charter, and as it was signed."""

    charter: Charter
    signed: Signed


def newest_charter(crew: Crew) -> Chartered:
    """The first one is made when it is first asked for: the site's keys for everything."""
    row = CharterKept.objects.filter(crew=crew).order_by("-version").first() or _first(crew)
    signed = row.as_signed()
    return Chartered(read_charter(signed.document), signed)


def marks_of(crews: Collection[Crew]) -> dict[UUID, str]:
    """The marks of several crews' newest charters, by crew. One query, but for crews that have none yet."""
    rows = CharterKept.objects.filter(crew__in=crews).order_by("crew", "-version").distinct("crew")
    found = {row.crew_id: read_charter(row.as_signed().document).mark for row in rows}
    return found | {crew.pk: newest_charter(crew).charter.mark for crew in crews if crew.pk not in found}


def _first(crew: Crew) -> CharterKept:
    private = signing_key()
    if private is None:
        raise NoSiteKey(
            f"{crew.name} has no charter yet, and the key that makes one was taken off this site.",
            now="Put signing.key back for as long as it takes, then bring the crew's own charter.",
        )
    charter = first_charter(str(crew.pk), public_half(private), public_half(statement_key()))
    signed = Signed(charter.as_bytes()).with_signature(CONTEXT, private)
    # Two that ask at once make the same one.
    row, _ = CharterKept.objects.get_or_create(crew=crew, version=1, defaults=CharterKept.columns(signed))
    return row


def all_charters(crew: Crew) -> list[Signed]:
    """From the first to the newest: whoever pinned any of them can follow."""
    newest_charter(crew)
    return [row.as_signed() for row in CharterKept.objects.filter(crew=crew).order_by("version")]


def charters_after(crew: Crew, version: int) -> list[Signed]:
    newest_charter(crew)
    rows = CharterKept.objects.filter(crew=crew, version__gt=version).order_by("version")
    return [row.as_signed() for row in rows[:AT_ONCE]]


def signatures_of(release: Release) -> Signed:
    """A release with every signature that it has."""
    own = (bytes(release.public_key), bytes(release.signature))
    more = [(bytes(one.key), bytes(one.signature)) for one in release.more_signatures.all()]
    return Signed(bytes(release.document), (own, *more))


def is_signed(release: Release, charter: Charter) -> bool:
    held = charter.duties[Duty.RELEASE]
    return len(signers(signatures_of(release), RELEASE_CONTEXT, held.keys)) >= held.threshold


def unsigned_releases(crew: Crew, charter: Charter) -> list[Release]:
    """Releases of a crew that stand and that a machine would refuse under its charter, the oldest first."""
    found = Release.objects.filter(pack__crew=crew, withdrawal=None).select_related("pack")
    found = found.prefetch_related("more_signatures")
    return [one for one in found.iterator(chunk_size=20) if not is_signed(one, charter)]


def sign_again(release: Release, charter: Charter) -> None:
    add_signatures(release, signed_by_site(bytes(release.document), RELEASE_CONTEXT, charter, Duty.RELEASE).signatures)


def add_signatures(release: Release, ones: Iterable[tuple[bytes, bytes]]) -> None:
    for key, signature in ones:
        if key != bytes(release.public_key):
            ReleaseSignature.objects.get_or_create(release=release, key=key, defaults={"signature": signature})
