"""Pictures of mods, drawn anew so that nothing of the sender's file is kept."""

import hashlib
import io
import threading
import time
from urllib.parse import urljoin

import httpx
from django.utils.crypto import salted_hmac
from PIL import Image, ImageOps, UnidentifiedImageError

from convoy_core.words.errors import ConvoyError

from .. import kept_files
from ..people.rights import NotFound
from .models import Mod
from .reaching import client

MAX_PICTURE_BYTES = 8 * 2**20
MAX_PIXELS = 16_000_000
"""Points of a picture: 48 MB while it is drawn anew, which is done for two at a time."""

DRAWING = threading.BoundedSemaphore(2)

PICTURE_SIZE = (640, 360)
PICTURE_SECONDS = 10
NOT_HAD = (
    httpx.HTTPError,
    ConvoyError,
    OSError,
    ValueError,
    Image.DecompressionBombError,
    UnidentifiedImageError,
)
"""What it comes to when a source is away, lies where it may not, or sends no picture."""


def picture(mod: Mod, number: int) -> bytes:
    """A mod's picture as WebP of a screen's size, fetched once and drawn anew: nothing of the sender's file is kept.

    Raises NotFound, also when the source is away or sends no picture.
    """
    if not 0 <= number < len(mod.pictures):
        raise NotFound(f"{mod.name} has no such picture.")
    address = urljoin(mod.source.address.rstrip("/") + "/", mod.pictures[number])
    place = f"pictures/{salted_hmac('picture', address).hexdigest()}.webp"
    if kept_files.is_kept(place):
        return kept_files.read(place)
    try:
        drawn = _drawn_anew(_fetched(address))
    except NOT_HAD as error:
        raise NotFound(f"The picture of {mod.name} cannot be had.", str(error)[:200]) from error
    kept_files.keep(place, drawn, hashlib.sha256(drawn).hexdigest())
    return drawn


def _fetched(address: str) -> bytes:
    body = bytearray()
    until = time.monotonic() + PICTURE_SECONDS
    with client() as open_client, open_client.stream("GET", address, timeout=PICTURE_SECONDS) as reply:
        reply.raise_for_status()
        for block in reply.iter_bytes():
            body += block
            if len(body) > MAX_PICTURE_BYTES:
                raise ValueError("it is too large")
            if time.monotonic() > until:
                raise ValueError("it comes too slowly")
    return bytes(body)


def _drawn_anew(data: bytes) -> bytes:
    with DRAWING, Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as image:
        if image.width * image.height > MAX_PIXELS:
            raise ValueError("it has too many points")
        # A large JPEG is read at a fraction of its size at once, where it can be.
        image.draft("RGB", PICTURE_SIZE)
        small = ImageOps.fit(image.convert("RGB"), PICTURE_SIZE)
    out = io.BytesIO()
    small.save(out, "WEBP", quality=82)
    return out.getvalue()
