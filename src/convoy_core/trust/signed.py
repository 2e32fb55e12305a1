"""A document that travels with its signatures: exact bytes, and who signed them. Says nothing of who may.

JSON outside (`{"document": text, "signatures": [{"key", "signature"}]}`); the text inside is what was signed, after the
context of its kind, so that a signature of one kind of document never passes for one of another.
"""

from __future__ import annotations

import json
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from ..outside.fields import Fields
from ..words.errors import BadSignature, MalformedInput
from .signing import holds, public_half, sign

LONGEST = 64 * 1024
"""Bytes of a charter or statement with its signatures. A statement of a thousand withdrawn releases takes half."""

MOST_SIGNATURES = 32
"""Twice as many as a duty may have keys: old and new keys sign a charter together."""


@dataclass(frozen=True, slots=True)
class Signed:
    """`signatures`: public key (32 bytes) and signature (64 bytes) of each who signed, none of them checked."""

    document: bytes
    signatures: tuple[tuple[bytes, bytes], ...] = ()

    def with_signature(self, context: bytes, private: bytes) -> Signed:
        """Signed by one more key; by a key that had signed before, anew."""
        key = public_half(private)
        others = tuple(one for one in self.signatures if one[0] != key)
        return Signed(self.document, (*others, (key, sign(private, context + self.document))))

    def as_data(self) -> dict[str, Any]:
        rows = [{"key": key.hex(), "signature": signature.hex()} for key, signature in self.signatures]
        return {"document": self.document.decode(), "signatures": rows}

    def as_bytes(self) -> bytes:
        return json.dumps(self.as_data(), ensure_ascii=False, separators=(",", ":")).encode()


def read_signed(data: bytes) -> Signed:
    """Raises MalformedInput. Nothing is verified yet."""
    return read_signed_data(parsed(data, LONGEST))


def read_signed_data(data: Any, longest: int = LONGEST) -> Signed:
    """`longest`: characters of the document inside. Raises MalformedInput."""
    top = Fields(data)
    rows = list(top.items("signatures"))
    if len(rows) > MOST_SIGNATURES:
        raise MalformedInput(f"It carries {len(rows)} signatures.", f"At most {MOST_SIGNATURES} are read.")
    try:
        signatures = tuple((bytes.fromhex(one.text("key")), bytes.fromhex(one.text("signature"))) for one in rows)
        return Signed(top.text("document", longest=longest).encode(), signatures)
    except (ValueError, UnicodeEncodeError) as error:
        raise MalformedInput("A signature is no hexadecimal text.", str(error)) from error


def parsed(data: bytes, longest: int) -> Any:
    """JSON of at most `longest` bytes. Raises MalformedInput."""
    if len(data) > longest:
        raise MalformedInput(f"It is {len(data)} bytes long.", f"At most {longest} are read.")
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as error:
        raise MalformedInput("It is no JSON.", str(error)) from error


def signers(signed: Signed, context: bytes, keys: Collection[bytes]) -> set[bytes]:
    """Which of `keys` signed exactly this document; every key counts once, however often it signed."""
    return {
        key for key, signature in signed.signatures if key in keys and holds(key, context + signed.document, signature)
    }


def demand(signed: Signed, context: bytes, keys: Collection[bytes], threshold: int, what: str) -> None:
    """Raises BadSignature unless at least `threshold` of `keys` signed. `what` is named so in the sentence."""
    count = len(signers(signed, context, keys))
    if count >= threshold:
        return
    but = "none of the keys that may sign it did" if not count else f"only {count} of {threshold} keys signed it"
    raise BadSignature(
        f"{what[:1].upper()}{what[1:]} is not signed as this installation demands: {but}.",
        "It was changed on the way, somebody else made it, or the keys were changed without a charter.",
        "Nothing was changed. Ask your curator before you try again.",
        signed=count,
        threshold=threshold,
    )
