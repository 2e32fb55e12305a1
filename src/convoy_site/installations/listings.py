"""Compare by listing: somebody without the agent hands in names and hashes, and gets the same row of the roll call."""

from django.db import transaction
from django.utils import timezone

from convoy_core.errors import ConvoyError
from convoy_core.lock import Lock
from convoy_core.model import CarriedFile, Side
from convoy_core.plan import is_extra
from convoy_core.rollcall import Deviation
from convoy_core.takeover import read_listing

from ..packs.models import Pack
from ..people.models import User
from ..releases.services import recipe_of, releases_of
from .models import Installation
from .services import BY_LISTING, name_what_lies_there
from .standings import followed

FOREIGN = 0.02
"""Of the pack's files a listing has to have this share, somewhere; below it is another folder than an installation."""


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
    judged = [(release, *_against(files, recipe_of(release.pk).lock.share(Side(side)))) for release in open_to]
    # The release that is nearest: somebody who is behind is told so, and not that everything is altered.
    release, there, missing = min(judged, key=lambda row: len(row[2]))
    share = recipe_of(release.pk).lock.share(Side(side))
    if len(missing) > len(share.files) * (1 - FOREIGN):
        raise NothingOfThePack(
            "This listing has next to nothing of the pack.",
            f"Of {len(share.files)} files {len(share.files) - len(missing)} are there.",
            "List the game's folder, the one that holds the mods.",
        )
    one.side, one.release, one.heard_at = side, release, timezone.now()
    one.deviations = {path: what.value for path, what in _deviations(share, there, missing).items()}
    one.fingerprint = recipe_of(release.pk).lock.fingerprint(there, _as_if_right(share))
    off = {path: there[path] for path in one.deviations if path in there}
    one.has, one.harmless = name_what_lies_there(pack, share, off)
    one.about, one.strayed = {}, []
    one.since = timezone.now() if one.deviations else None
    one.save()
    return one


def _against(files: tuple[CarriedFile, ...], share: Lock) -> tuple[dict[str, str], set[str]]:
    """The listing's files by their paths in an installation, and the pack's paths that are missing or other there.

    A listing may have been made one or more folders above: its paths are tried below each folder that it names.
    """
    plain = {file.path: file.sha256 for file in files}
    best = (plain, _missing(plain, share))
    tops = {"/".join(file.path.split("/")[:depth]) for file in files[:2_000] for depth in (1, 2, 3)}
    for top in sorted(tops):
        below = {path.removeprefix(f"{top}/"): sha256 for path, sha256 in plain.items() if path.startswith(f"{top}/")}
        if share.managed and not any(path.startswith(f"{share.managed[0]}/") for path in below):
            continue
        missing = _missing(below, share)
        if len(missing) < len(best[1]):
            best = (below, missing)
    return best


def _missing(there: dict[str, str], share: Lock) -> set[str]:
    return {
        file.path
        for file in share.files
        if there.get(file.path) != file.sha256
        and not (file.path in there and (share.terms.is_settings(file.path) or file.path in share.terms.by_hand))
    }


def _deviations(share: Lock, there: dict[str, str], missing: set[str]) -> dict[str, Deviation]:
    found = {path: Deviation.ALTERED if path in there else Deviation.MISSING for path in missing}
    return found | {path: Deviation.EXTRA for path in there if is_extra(path, share)}


def _as_if_right(share: Lock) -> dict[str, dict[tuple[str, ...], object]]:
    return {path: {tweak.key: tweak.value for tweak in share.terms.enforced(path)} for path in share.terms.by_path}
