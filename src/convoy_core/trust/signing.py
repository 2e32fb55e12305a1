"""Signatures over release documents: Ed25519 over the document's exact bytes.

The bytes that were signed are the bytes that travel, so that nobody has to write JSON the same way twice. A member's
agent pins the key's fingerprint when it joins and accepts no other (docs/decisions.md, "Signing").
"""

from __future__ import annotations

import hashlib

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from ..lock.fingerprint import grouped
from ..words.errors import BadSignature


def new_key() -> bytes:
    """A new private key, 32 raw bytes."""
    return Ed25519PrivateKey.generate().private_bytes_raw()


def public_half(private: bytes) -> bytes:
    """The public key of a private one, 32 raw bytes."""
    return Ed25519PrivateKey.from_private_bytes(private).public_key().public_bytes_raw()


def key_fingerprint(public: bytes) -> str:
    """A key as people compare it: four groups of four, `8K2M-…`, 80 bits of its SHA-256."""
    return grouped(hashlib.sha256(public).digest(), groups=4)


def sign(private: bytes, document: bytes) -> bytes:
    """64 bytes of signature over the document's bytes."""
    return Ed25519PrivateKey.from_private_bytes(private).sign(document)


def holds(public: bytes, document: bytes, signature: bytes) -> bool:
    """Whether the signature is this key's over exactly these bytes. What is no key or no signature does not hold."""
    try:
        Ed25519PublicKey.from_public_bytes(public).verify(signature, document)
    except (InvalidSignature, ValueError):
        return False
    return True


def verify(public: bytes, document: bytes, signature: bytes) -> None:
    """Raises BadSignature unless the signature is this key's over exactly these bytes."""
    if not holds(public, document, signature):
        raise BadSignature(
            "The release is not signed by the key that this installation trusts.",
            "It was changed on the way, or somebody else made it.",
            "Nothing was changed. Ask your curator before you try again.",
            key=key_fingerprint(public),
        )
