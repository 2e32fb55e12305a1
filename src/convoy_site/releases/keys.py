"""The site's signing key: made once at set-up, kept in a file of its own, never in the database."""

import os
from functools import cache
from pathlib import Path

from django.conf import settings

from convoy_core.lock.signing import new_key, public_half


def key_file() -> Path:
    return Path(settings.SIGNING_KEY or Path(settings.DATA) / "signing.key")


def make_key() -> bool:
    """Makes the key unless there is one; says whether it did. Readable by the site's own user only."""
    key_file().parent.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(key_file(), os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return False
    with os.fdopen(handle, "wb") as file:
        file.write(new_key())
    return True


@cache
def private_key() -> bytes:
    return key_file().read_bytes()


def public_key() -> bytes:
    return public_half(private_key())
