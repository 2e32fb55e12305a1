"""Where a build's archive can be had by whoever holds a list: addresses for programs, and a page for people.

Source: docs/rules.md, "Words"; "The job" 9.
"""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import quote, urljoin, urlsplit

from ..lock.lock import LockedBuild
from ..words.model import Pickup

Addresses = Mapping[str, str]
"""By source where it is."""


def open_addresses(build: LockedBuild, sources: Addresses) -> tuple[str, ...]:
    """Where any program may fetch the archive, the first place first. None for what a person has to get, and for a
    crew's own files, which are given to its machines alone.
    """
    if build.pickup is not Pickup.DIRECT:
        return ()
    return tuple(address for url in build.urls if (address := _web(sources.get(build.source, ""), url)))


def page_of(build: LockedBuild, sources: Addresses) -> str:
    """The page about a build, for people; empty where its source has none, or is not known."""
    return _web(sources.get(build.source, ""), build.page) if build.page else ""


def file_name(build: LockedBuild) -> str:
    """What an archive is called in a list: two mods may call theirs the same."""
    return f"{build.mod}/{build.archive.name}"


def is_web(address: str) -> bool:
    return bool(_web("", address))


def escaped(text: str) -> str:
    """A text as one part of an address."""
    return quote(text, safe="")


def _web(base: str, url: str) -> str:
    """An absolute address on the web, with nothing in it that could end a line, a quote or a tag; else empty."""
    try:
        address = urljoin(f"{base.rstrip('/')}/" if base else "", url)
        parts = urlsplit(address)
    except ValueError:
        return ""
    if parts.scheme not in ("http", "https") or not parts.netloc:
        return ""
    return quote(address, safe="%/:=&?~#+!$,;@()*[]")
