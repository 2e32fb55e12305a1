"""Releases that a folder keeps, each as it was signed, and whether one is trusted.

.convoy/releases/NAME.json holds document and signatures; the name follows from the document's hash: a release is what
it says, whatever number it carries.
"""

from __future__ import annotations

from collections.abc import Collection
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe, read_recipe
from convoy_core.trust.signed import Signed
from convoy_core.trust.statement import Named
from convoy_core.trust.trusted import release_hash
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side

from ..errors import BadRelease
from ..site.head import Pairing
from ..storage import disk, sealed
from .trust import TrustKept


class Releases:
    """`own`: the agent's own folder in an installation. The caller holds it."""

    def __init__(self, own: Path) -> None:
        self._own = own
        self._place = own / "releases"
        self.trust = TrustKept(own)

    def keep(self, signed: Signed) -> None:
        place = self._place / f"{_release_name(release_hash(signed.document))}.json"
        place.parent.mkdir(exist_ok=True)
        sealed.write(place, signed.as_data())

    def kept(self, release: Named) -> Signed | None:
        """A release that is kept here, not yet trusted; None when it is not, or was spoilt: the site has it. Of one
        whose hash is not known, the one of that number that came last.
        """
        place = self._place / f"{_release_name(release.sha256)}.json"
        if release.sha256 and place.exists():
            return _signed(place)
        for found in reversed(self.all()):
            with suppress(ConvoyError):
                recipe = _recipe(found.document)
                if recipe.number == release.number and release.sha256 in ("", recipe.sha256):
                    return found
        return None

    def all(self) -> list[Signed]:
        """Every release that is kept here, newest use last."""
        places = [self._own / name for name in EARLIER]
        if self._place.exists():
            places += sorted(self._place.glob("*.json"), key=lambda place: place.stat().st_mtime_ns)
        return [signed for place in places if (signed := _signed(place))]

    def spoilt(self) -> list[Path]:
        """Files of releases that cannot be read: which archives they refer to is not known."""
        places = [self._own / name for name in EARLIER]
        places += sorted(self._place.glob("*.json"))
        return [place for place in places if place.exists() and _signed(place) is None]

    def sweep(self, needed: Collection[Named]) -> None:
        """Drops releases that nothing leads to any more."""
        hashes = {one.sha256 for one in needed}
        numbers = {one.number for one in needed if not one.sha256}
        for place in self._place.glob("*.json"):
            signed = _signed(place)
            if signed is None or release_hash(signed.document) in hashes:
                continue
            with suppress(ConvoyError):
                if _recipe(signed.document).number in numbers:
                    continue
            disk.remove(place)

    def trusted(self, signed: Signed, pairing: Pairing, is_here: bool = True) -> Recipe:
        """The recipe, when the charter's keys signed it and it is this pack's. Raises BadSignature, BadRelease.

        `is_here`: it was kept on this machine, where what earlier keys signed counts, too.
        """
        self.trust.now(pairing).demand_release(signed, is_here)
        recipe = _recipe(signed.document)
        if recipe.pack != pairing.pack_id:
            raise BadRelease(
                f"The site sent a release of another pack, {recipe.pack_name}.", now="Nothing was changed."
            )
        return recipe


EARLIER = ("release.json", "release.next.json")
"""Where earlier agents kept the installed release, and the one that was looked at."""


def _release_name(sha256: str) -> str:
    """A hash may be the site's word, and no name for a file."""
    return sha256_hex(sha256.encode())[:32]


def _signed(place: Path) -> Signed | None:
    try:
        return sealed.read(place, _as_signed)
    except (FileNotFoundError, sealed.Damaged):
        return None


def _as_signed(kept: Any) -> Signed:
    """Also as earlier agents kept it: with one key and its signature."""
    if "signatures" in kept:
        pairs = tuple((bytes.fromhex(one["key"]), bytes.fromhex(one["signature"])) for one in kept["signatures"])
    else:
        pairs = ((bytes.fromhex(kept["key"]), bytes.fromhex(kept["signature"])),)
    return Signed(kept["document"].encode(), pairs)


@lru_cache(maxsize=4)
def _recipe(document: bytes) -> Recipe:
    """Kept for a run: a sync looks at the same release several times, and one of 10,000 files takes a while to read."""
    return read_recipe(document)


def share_of(recipe: Recipe, pairing: Pairing) -> Lock:
    return recipe.lock.share(Side(pairing.side))
