"""One trust store for every connection of a run: reading the system's certificates takes longer than a quiet sync."""

from __future__ import annotations

import ssl
from functools import cache

import httpx


@cache
def tls() -> ssl.SSLContext:
    return httpx.create_ssl_context()
