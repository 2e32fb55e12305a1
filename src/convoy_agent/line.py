"""What all connections of a run share: one trust store, large reads, and heeding who asks to wait."""

from __future__ import annotations

import ssl
from functools import cache

import httpx

READ_BYTES = 256 * 1024
"""What is asked of a socket at a time. httpx asks for 64 KB, which on a fast line makes waiting for the interpreter a
fifth of the time; a whole megabyte no longer lies near the processor when it is hashed."""


@cache
def tls() -> ssl.SSLContext:
    """Read once in a run: reading the system's certificates takes longer than a quiet sync."""
    _read_in_large_pieces()
    return httpx.create_ssl_context()


def asked_wait(reply: httpx.Response) -> float:
    """Seconds that a source asks to be left alone for (Retry-After); 0 where it says nothing that can be read."""
    asked = reply.headers.get("retry-after", "")
    return float(asked) if asked.isdecimal() and len(asked) < 8 else 0


def _read_in_large_pieces() -> None:
    """There is no public way to say so. Where a later httpcore has it elsewhere, reads are merely smaller."""
    try:
        from httpcore._sync.http11 import HTTP11Connection
    except ImportError:
        return
    HTTP11Connection.READ_NUM_BYTES = READ_BYTES
