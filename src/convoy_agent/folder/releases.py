"""Releases that a folder keeps, each as it was signed, and whether one is trusted.

.convoy/releases/HASH.json holds document, signature and key; the name is the number's hash.
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
from convoy_core.lock.signing import key_fingerprint, verify
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side

from ..errors import BadRelease
from ..site.site import Pairing, SignedRelease
from ..storage import disk, sealed


class Releases:
    """`own`: the agent's own folder in an installation. The caller holds it."""

    def __init__(self, own: Path) -> None:
        self._own = own
        self._place = own / "releases"

    def keep(self, number: str, signed: SignedRelease) -> None:
        place = self._place / f"{_release_name(number)}.json"
        place.parent.mkdir(exist_ok=True)
        kept = {"document": signed.document.decode(), "signature": signed.signature.hex(), "key": signed.key.hex()}
        sealed.write(place, kept)

    def kept(self, number: str) -> SignedRelease | None:
        """A release that is kept here, not yet trusted; None when it is not, or was spoilt: the site has it."""
        place = self._place / f"{_release_name(number)}.json"
        if place.exists():
            return _signed(place)
        for name in EARLIER:
            found = _signed(self._own / name)
            with suppress(ConvoyError):
                if found and read_recipe(found.document).number == number:
                    return found
        return None

    def all(self) -> list[SignedRelease]:
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

    def sweep(self, needed: Collection[str]) -> None:
        """Drops releases that nothing leads to any more."""
        names = {_release_name(number) for number in needed}
        for place in self._place.glob("*.json"):
            if place.stem not in names:
                disk.remove(place)

    def trusted(self, signed: SignedRelease, pairing: Pairing) -> Recipe:
        """The recipe, when the pinned key signed it and it is this pack's. Raises BadSignature, BadRelease."""
        pinned = bytes.fromhex(pairing.public_key)
        if signed.key != pinned:
            raise BadRelease(
                "The release is signed by another key than the one that this installation trusts.",
                f"Trusted: {key_fingerprint(pinned)}. Signed by: {key_fingerprint(signed.key)}.",
                "Nothing was changed. Ask your curator whether the site's key was replaced, and pair anew if so.",
            )
        recipe = _verified(pinned, signed.document, signed.signature)
        if recipe.pack != pairing.pack_id:
            raise BadRelease(
                f"The site sent a release of another pack, {recipe.pack_name}.", now="Nothing was changed."
            )
        return recipe


EARLIER = ("release.json", "release.next.json")
"""Where earlier agents kept the installed release, and the one that was looked at."""


def _release_name(number: str) -> str:
    """A number is the site's word, and may be no name for a file."""
    return sha256_hex(number.encode())[:32]


def _signed(place: Path) -> SignedRelease | None:
    try:
        return sealed.read(place, _as_signed)
    except (FileNotFoundError, sealed.Damaged):
        return None


def _as_signed(kept: Any) -> SignedRelease:
    return SignedRelease(kept["document"].encode(), bytes.fromhex(kept["signature"]), bytes.fromhex(kept["key"]))


@lru_cache(maxsize=4)
def _verified(key: bytes, document: bytes, signature: bytes) -> Recipe:
    """Kept for a run: a sync looks at the same release several times, and one of 10,000 files takes a while to read."""
    verify(key, document, signature)
    return read_recipe(document)


def share_of(recipe: Recipe, pairing: Pairing) -> Lock:
    return recipe.lock.share(Side(pairing.side))
