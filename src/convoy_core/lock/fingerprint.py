"""The fingerprint: short text that is equal exactly when what must match is equal. Source:

Source: docs/rules.md, "Roll call".
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable

CROCKFORD = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
"""Crockford's base32: no letter that is misheard or misread."""


def fingerprint(lines: Iterable[str]) -> str:
    """Two groups of four over the sorted lines of what must match (40 bits of SHA-256): `7K2M-Q4XB`."""
    return grouped(hashlib.sha256("\n".join(sorted(lines)).encode()).digest(), groups=2)


def grouped(digest: bytes, groups: int) -> str:
    """The first 20 bits per group of a digest, as groups of four characters."""
    bits = int.from_bytes(digest, "big") >> (len(digest) * 8 - groups * 20)
    chars = [CROCKFORD[(bits >> shift) & 31] for shift in range(groups * 20 - 5, -1, -5)]
    return "-".join("".join(chars[start : start + 4]) for start in range(0, len(chars), 4))
