"""A crew's next charter is taken: from its owner, or from the site's keeper who renews the site's keys."""

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.trust.charter import CONTEXT, Charter, Duty, follow, refuse_over
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import key_fingerprint, public_half
from convoy_core.words.errors import ConvoyError

from ..packs.models import Pack
from ..people import audit
from ..people.models import Crew, User
from ..people.rights import Action
from ..people.services import crew_for
from .charters import newest_charter, sign_again, unsigned_releases
from .keys import own_keys, signed_by_site, statement_key
from .models import CharterKept
from .statements import restate


class SiteCannotSign(ConvoyError):
    """A charter that leaves the site unable to say what the newest release is."""

    code = "site-cannot-sign"


@transaction.atomic
def take_charter(user: User, crew_id: UUID, signed: Signed) -> Charter:
    """Takes the next charter from the crew's owner. What the site may sign under it is signed anew at once; the rest
    waits for its people (`waiting`). Raises WrongCharter, BadSignature, CharterOver, SiteCannotSign.
    """
    crew = crew_for(user, crew_id, Action.KEYS)
    Crew.objects.select_for_update(no_key=True).get(pk=crew.pk)
    before = newest_charter(crew).charter
    # As long as the site holds the charter key it signs for the crew's owner: that is how keys leave it.
    for pair in signed_by_site(signed.document, CONTEXT, before, Duty.CHARTER).signatures:
        signed = Signed(signed.document, (*(one for one in signed.signatures if one[0] != pair[0]), pair))
    after = follow(before, signed)
    refuse_over(after, timezone.now())
    if not _site_can_state(after):
        raise SiteCannotSign(
            "With this charter the site could not say any more what the newest release is.",
            "That word holds a few days and has to be signed anew, so one key for it has to lie here.",
            f"Name the site's key for statements, {key_fingerprint(public_half(statement_key()))}, and ask for one "
            "signature.",
        )
    adopt(crew, after, signed)
    audit.note(user, f"brought charter {after.version} with the key {after.mark}", crew)
    return after


def _site_can_state(charter: Charter) -> bool:
    held = charter.duties[Duty.STATEMENT]
    return held.threshold == 1 and bool(own_keys().keys() & set(held.keys))


def adopt(crew: Crew, after: Charter, signed: Signed) -> None:
    """Keeps a charter that was judged, signs anew what the site may sign under it, and has every pack's word say so at
    once: machines look for a newer charter when a word speaks of one. Called in a transaction.
    """
    CharterKept.objects.create(crew=crew, version=after.version, **CharterKept.columns(signed))
    for release in unsigned_releases(crew, after):
        sign_again(release, after)
    for pack in Pack.objects.filter(crew=crew, releases__isnull=False).distinct():
        restate(pack)
