"""Compare by listing: somebody without the agent hands in names and hashes, and gets the same row of the roll call."""

from collections import Counter
from collections.abc import Mapping, Sequence
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.in_worlds import as_in_lock, in_worlds
from convoy_core.lock.lock import Lock
from convoy_core.outside.takeover import read_listing
from convoy_core.sync.deviations import Deviation, deviations_of, is_right
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import CarriedFile, Side

from ..installations.joining import BY_LISTING
from ..installations.models import Installation
from ..installations.reports import MAX_DEVIATIONS, name_what_lies_there
from ..installations.standings import followed
from ..packs.models import Pack
from ..people.models import User
from ..people.rights import NotFound
from ..releases.lookup import recipe_of, releases_of
from ..releases.models import Release

FOREIGN = 0.02
"""Of the pack's files a listing has to have this share, somewhere; below it is another folder than an installation."""

MAX_LISTING = 64 * 1024 * 1024
"""Bytes: a listing of 200,000 files."""


ABOVE = 3
"""Folders above the game's own in which a listing may have been made."""

NEAREST_OF = 20
"""Newest releases that a listing is held against: whoever is further behind is told to be so far behind."""

RECOGNISED = 1_000
"""Strange files of a listing that are looked up; what is one build's tells for the whole of its folder."""


class NothingOfThePack(ConvoyError):
    code = "nothing-of-the-pack"


@transaction.atomic
def compare(user: User, pack: Pack, listing: bytes, side: str = "player") -> Installation:
    """Keeps what a listing says as a row of its own. Settings are not compared: a hash says nothing of keys.

    Raises MalformedInput for what is no listing, and NothingOfThePack for one of another folder.
    """
    files = read_listing(listing)
    one, _ = Installation.objects.get_or_create(
        pack=pack, member=user, name=BY_LISTING, by_listing=True, defaults={"side": side}
    )
    open_to = followed(one, list(releases_of(pack).select_related("withdrawal")))
    if not open_to:
        raise NothingOfThePack(f"{pack.name} has no release to compare with.")
    newest = open_to[:NEAREST_OF]
    judged = [(release, *_against(files, _outside_worlds(release, side))) for release in newest]
    # The release that is nearest: somebody who is behind is told so, and not that everything is altered.
    release, there, found = min(judged, key=lambda row: _wrong(row[2]))
    share = _outside_worlds(release, side)
    if _wrong(found) > len(share.files) * (1 - FOREIGN):
        raise NothingOfThePack(
            "This listing has next to nothing of the pack.",
            f"Of {len(share.files)} files {len(share.files) - _wrong(found)} are there.",
            "List the game's folder, the one that holds the mods.",
        )
    lock = recipe_of(release.pk).lock
    one.side, one.release, one.heard_at = side, release, timezone.now()
    one.deviations = {path: found[path].value for path in sorted(found)[:MAX_DEVIATIONS]}
    one.fingerprint = lock.fingerprint(as_in_lock(lock, share, there), _as_if_right(share))
    off = {path: there[path] for path in list(one.deviations)[:RECOGNISED] if path in there}
    one.has, one.harmless = name_what_lies_there(pack, share, off)
    one.about, one.strayed = {}, []
    one.since = timezone.now() if one.deviations else None
    one.save()
    return one


def _against(files: Sequence[CarriedFile], share: Lock) -> tuple[dict[str, str], dict[str, Deviation]]:
    """The listing's files by their paths in an installation, and every path that deviates there.

    A listing may have been made some folders above: the folder below which most is as it should be is the one meant.
    """
    right: Counter[str] = Counter()
    for file in files:
        parts = file.path.split("/")
        for depth in range(min(ABOVE + 1, len(parts))):
            wanted = share.by_path.get("/".join(parts[depth:]))
            if wanted and is_right(wanted, file.sha256, share.terms):
                right["".join(f"{part}/" for part in parts[:depth])] += 1
    top = min(right, key=lambda one: (-right[one], len(one), one), default="")
    there = {file.path.removeprefix(top): file.sha256 for file in files if file.path.startswith(top)}
    return there, deviations_of(share, there)


def _outside_worlds(release: Release, side: str) -> Lock:
    """A side's share, but for what goes into worlds: nobody said into which of those in the listing."""
    return in_worlds(recipe_of(release.pk).lock.share(Side(side)), {}, ())


def _wrong(found: Mapping[str, Deviation]) -> int:
    """How many of the pack's own paths are missing or altered."""
    return sum(what is not Deviation.EXTRA for what in found.values())


def _as_if_right(share: Lock) -> dict[str, dict[tuple[str, ...], object]]:
    return {path: {tweak.key: tweak.value for tweak in share.terms.enforced(path)} for path in share.terms.by_path}


class TooLong(ConvoyError):
    code = "too-long"


def forget_listing(user: User, pack: Pack, installation_id: UUID) -> None:
    """Removes a row that was told by listing. Raises NotFound for anybody else's, and for an agent's."""
    deleted, _ = Installation.objects.filter(pk=installation_id, pack=pack, member=user, by_listing=True).delete()
    if not deleted:
        raise NotFound("This row does not exist, or it is not yours.")
