"""A private key as people keep it on paper: fourteen groups of four, with a check over all of it."""

from __future__ import annotations

import hashlib

from ..lock.fingerprint import CROCKFORD, grouped
from ..words.errors import BadCode

GROUPS = 14
"""Of 20 bits: 32 bytes of key and 3 of check."""

MISREAD = str.maketrans("OIL", "011")
"""Letters that this alphabet does not have, and what somebody read for them."""


def as_paper(private: bytes) -> str:
    return grouped(private + _check(private), groups=GROUPS)


def from_paper(text: str) -> bytes:
    """Raises BadCode, saying which slip it is."""
    letters = "".join(one for one in text.upper() if not one.isspace() and one != "-").translate(MISREAD)
    strange = sorted(set(letters) - set(CROCKFORD))
    if strange:
        raise BadCode(f"A key on paper never holds “{strange[0]}”.", now="Compare it letter by letter.", slip="letters")
    if len(letters) != GROUPS * 4:
        raise BadCode(
            "This is not a whole key.", f"It has {len(letters)} of {GROUPS * 4} letters and digits.", slip="length"
        )
    bits = 0
    for one in letters:
        bits = bits << 5 | CROCKFORD.index(one)
    data = bits.to_bytes(35, "big")
    if _check(data[:32]) != data[32:]:
        raise BadCode("This key has a slip in it.", now="Compare it with the paper, letter by letter.", slip="check")
    return data[:32]


def _check(private: bytes) -> bytes:
    return hashlib.sha256(b"paper " + private).digest()[:3]
