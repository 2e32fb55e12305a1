"""A release from the moment that it is put together until it carries the signatures that its crew's charter demands.

Where the site's key is enough, that is at once. Otherwise it waits: its people take the document away, sign it where
their keys are, and bring it back. Nobody gets it before. The same way brings signatures that older releases lack.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.recipe import Recipe, ReleaseChannel, read_recipe
from convoy_core.trust.bundle import read_bundle, write_bundle
from convoy_core.trust.charter import Charter, Duty
from convoy_core.trust.signed import Signed, signers
from convoy_core.trust.trusted import RELEASE_CONTEXT
from convoy_core.words.errors import BadSignature

from ..packs.models import Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import User
from ..people.rights import Action, NotFound
from .charters import add_signatures, newest_charter, signatures_of, unsigned_releases
from .keys import signed_by_site
from .models import Release, SignedRow, Waiting
from .seals import seal
from .statements import restate


def put_forward(
    pack: Pack, recipe: Recipe, user: User, draft_revision: int, announcement: str, let_in: Sequence[int] = ()
) -> Release | None:
    """A release that the site signs as far as it may; None while signatures are missing. One that waited before gives
    way. `let_in`: who sees what is in it, where it is sealed. Called in the transaction that composed it.
    """
    charter = newest_charter(pack.crew).charter
    document = recipe.as_bytes()
    signed = signed_by_site(document, RELEASE_CONTEXT, charter, Duty.RELEASE)
    now = timezone.now()
    Waiting.objects.filter(pack=pack).delete()
    waiting = Waiting(
        pack=pack,
        number=recipe.number,
        channel=recipe.channel,
        announcement=announcement,
        draft_revision=draft_revision,
        let_in=list(let_in),
        made_by=user,
        made_at=now,
        **SignedRow.columns(signed),
    )
    if _is_enough(signed, charter):
        return _release(waiting, signed)
    waiting.save()
    return None


def _is_enough(signed: Signed, charter: Charter) -> bool:
    held = charter.duties[Duty.RELEASE]
    return len(signers(signed, RELEASE_CONTEXT, held.keys)) >= held.threshold


def _release(waiting: Waiting, signed: Signed) -> Release:
    recipe = read_recipe(bytes(waiting.document))
    (key, signature), *more = signed.signatures
    made = Release.objects.create(
        pack=waiting.pack,
        number=recipe.number,
        channel=recipe.channel,
        notes=recipe.notes,
        announcement=waiting.announcement,
        changes=list(recipe.changes),
        base_text=waiting.pack.game.profile.base_in_words(recipe.lock.base),
        builds=len(recipe.lock.builds),
        fingerprint=recipe.lock.fingerprint(),
        draft_revision=waiting.draft_revision,
        document=waiting.document,
        sha256=sha256_hex(bytes(waiting.document)),
        signature=signature,
        public_key=key,
        published_by=waiting.made_by,
        published_at=timezone.now(),
    )
    if recipe.is_sealed(timezone.now()):
        seal(made, recipe.sealed_until, waiting.let_in)
    add_signatures(made, more)
    restate(waiting.pack)
    trial = made.channel == ReleaseChannel.TRIAL
    what = Happened.TRIAL if trial else Happened.RELEASE
    tell(what, waiting.pack.crew, waiting.made_by, waiting.pack.pk, name=waiting.pack.name, number=made.number)
    return made


@dataclass(frozen=True)
class Waits:
    """A release that waits: `signed` of `needed` signatures are there."""

    number: str
    channel: str
    signed: int
    needed: int
    made_by: str
    made_at: datetime


@dataclass(frozen=True)
class ToSign:
    """What a pack's people have to sign: the release that waits, if one does, and older ones that a newer charter left
    without enough signatures.
    """

    waits: Waits | None
    older: tuple[str, ...]


def to_sign(pack: Pack) -> ToSign:
    charter = newest_charter(pack.crew).charter
    held = charter.duties[Duty.RELEASE]
    row = Waiting.objects.select_related("made_by").filter(pack=pack).first()
    waits = None
    if row:
        count = len(signers(_signed(row), RELEASE_CONTEXT, held.keys))
        waits = Waits(row.number, row.channel, count, held.threshold, row.made_by.shown, row.made_at)
    older = [one.number for one in unsigned_releases(pack.crew, charter) if one.pack_id == pack.pk]
    return ToSign(waits, tuple(older))


def bundle(pack: Pack) -> bytes:
    """The file to be signed. Raises NotFound where there is nothing to sign."""
    charter = newest_charter(pack.crew).charter
    row = Waiting.objects.filter(pack=pack).first()
    found = [signatures_of(one) for one in unsigned_releases(pack.crew, charter) if one.pack_id == pack.pk]
    found += [_signed(row)] if row else []
    if not found:
        raise NotFound(f"Nothing of {pack.name} waits for a signature.")
    return write_bundle(found)


def _signed(row: Waiting) -> Signed:
    pairs = tuple((bytes.fromhex(key), bytes.fromhex(signature)) for key, signature in row.signatures)
    return Signed(bytes(row.document), pairs)


@transaction.atomic
def bring_signatures(user: User, pack_id: UUID, data: bytes) -> Release | None:
    """Takes a signed file back: keeps each signature that the charter asks for, of documents that it knows. Gives the
    release where that was the last one missing.

    Raises BadSignature where nothing in it helps, MalformedInput.
    """
    pack = pack_for(user, pack_id, Action.PUBLISH)
    charter = newest_charter(pack.crew).charter
    keys = charter.duties[Duty.RELEASE].keys
    row = Waiting.objects.select_for_update(of=("self",)).filter(pack=pack).first()
    taken, made = 0, None
    for one in read_bundle(data):
        good = signers(one, RELEASE_CONTEXT, keys)
        pairs = tuple(pair for pair in one.signatures if pair[0] in good)
        taken += len(pairs)
        if row and one.document == bytes(row.document):
            had = {pair[0]: pair for pair in (*_signed(row).signatures, *pairs)}
            signed = Signed(one.document, tuple(had.values()))
            if _is_enough(signed, charter):
                made = _release(row, signed)
                row.delete()
                audit.note(user, f"published {pack.name} {made.number}, {made.channel}", pack.crew)
            else:
                row.signatures = SignedRow.columns(signed)["signatures"]
                row.save(update_fields=["signatures"])
        elif known := Release.objects.filter(pack=pack, sha256=sha256_hex(one.document)).first():
            add_signatures(known, pairs)
    if not taken:
        raise BadSignature(
            "No signature in this file helps.",
            "None is of a key that the crew's charter names for releases.",
            "Sign the file with one of those, and bring it again.",
        )
    return made


@transaction.atomic
def drop_waiting(user: User, pack_id: UUID) -> None:
    """Gives up the release that waits. The draft stays as it is."""
    pack = pack_for(user, pack_id, Action.PUBLISH)
    if not Waiting.objects.filter(pack=pack).delete()[0]:
        raise NotFound(f"No release of {pack.name} waits.")
