"""Keys of people, as files: PEM (PKCS 8), behind a passphrase where their owner wants one. Never sent anywhere."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import (
    BestAvailableEncryption,
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)

from convoy_core.trust.signing import public_half
from convoy_core.words.errors import ConvoyError

Passphrase = Callable[[str], str]
"""Asks for the passphrase of a file that has one. Called once."""

LONGEST = 16 * 1024
"""Bytes of a key's file."""


class BadKeyFile(ConvoyError):
    """A file that holds no key, or one that does not open."""

    code = "bad-key-file"


def write_key(place: Path, private: bytes, passphrase: str) -> None:
    """A new file that its owner alone may read. Raises BadKeyFile where something lies there."""
    how = BestAvailableEncryption(passphrase.encode()) if passphrase else NoEncryption()
    key = Ed25519PrivateKey.from_private_bytes(private)
    pem = key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, how)
    try:
        handle = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError as error:
        raise BadKeyFile(
            f"{place} is there already.", "A key that is written over is lost.", "Choose another name."
        ) from error
    with os.fdopen(handle, "wb") as file:
        file.write(pem)
        file.flush()
        os.fsync(file.fileno())


def read_key(place: Path, passphrase: Passphrase) -> bytes:
    """The private key. Raises BadKeyFile, OSError."""
    data = _head_of(place)
    secret = passphrase(place.name).encode() if b"ENCRYPTED" in data else None
    try:
        key = load_pem_private_key(data, secret)
    except (ValueError, TypeError) as error:
        what = "The passphrase is another one." if secret else f"{place} holds no key."
        raise BadKeyFile(what, now="Try again." if secret else "Make one with “convoy key make”.") from error
    if not isinstance(key, Ed25519PrivateKey):
        raise BadKeyFile(f"{place} holds a key of another kind.", now="Make one with “convoy key make”.")
    return key.private_bytes_raw()


def public_key(told: str, passphrase: Passphrase) -> bytes:
    """A public key: as 64 hexadecimal digits, or as the file of its private half. Raises BadKeyFile."""
    text = told.strip()
    if len(text) == 64:
        try:
            return bytes.fromhex(text)
        except ValueError:
            pass
    place = Path(text)
    if not place.is_file():
        raise BadKeyFile(
            f"“{text[:80]}” is neither a key nor a file.",
            "A public key has 64 hexadecimal digits, as “convoy key show” tells it.",
        )
    return public_half(read_key(place, passphrase))


def _head_of(place: Path) -> bytes:
    with place.open("rb") as file:
        return file.read(LONGEST)
