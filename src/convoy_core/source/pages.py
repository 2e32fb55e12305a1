"""A catalogue as files that any web server hands out: an index, its signature, and pages of mods.

A page is named by what it holds, so that it may be kept for ever and a reader asks only for what changed; which page a
mod stands on follows from its id alone, so that a new build changes one page. Same entries, same bytes.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ..lock.canonical import canonical_json, sha256_hex
from ..trust.signing import public_half, sign, verify
from ..words.errors import BadSignature

MODS_A_PAGE = 20
"""On the average; a page of ordinary mods is then some hundred kB."""

CONTEXT = b"true-convoy source 1\n"
"""What is signed begins with it, so that no other signature of the same key can pass for one of a catalogue."""


@dataclass(frozen=True, slots=True)
class CatalogueFiles:
    """`pages` and `signature` are written before `index`: a reader never meets an index whose files are not there."""

    index: bytes
    signature: tuple[str, bytes]
    """Name and content."""
    pages: Mapping[str, bytes]


def catalogue_files(
    mods: Iterable[Mapping[str, Any]], about: Mapping[str, Any], private: bytes, serial: int = 1
) -> CatalogueFiles:
    """`about`: what else the index says: name, game, pickup, versions. `private`: the source's key, 32 bytes.
    `serial`: the index's number, by which an older one is known.
    """
    entries = sorted(mods, key=lambda one: str(one["id"]))
    buckets: dict[int, list[Mapping[str, Any]]] = {}
    count = _power_of_two(len(entries) / MODS_A_PAGE)
    for entry in entries:
        buckets.setdefault(_bucket(str(entry["id"]), count), []).append(entry)
    pages, rows = {}, []
    for _, page in sorted(buckets.items()):
        content = canonical_json({"mods": page})
        sha256 = sha256_hex(content)
        name = f"catalogue/{sha256[:20]}.json"
        pages[name] = content
        rows.append({"name": name, "sha256": sha256})
    index = canonical_json(
        {**about, "format": FORMAT, "key": public_half(private).hex(), "pages": rows, "serial": serial}
    )
    signature = sign(private, CONTEXT + index).hex().encode()
    return CatalogueFiles(index, (signature_name(index), signature), pages)


FORMAT = "convoy-source/1"


def signature_name(index: bytes) -> str:
    """Where the signature over an index lies. Named by the index, so that two that follow each other do not mix."""
    return f"signatures/{sha256_hex(index)[:20]}"


def _power_of_two(wanted: float) -> int:
    count = 1
    while count < wanted:
        count *= 2
    return count


def _bucket(mod: str, count: int) -> int:
    return int.from_bytes(hashlib.sha256(mod.encode()).digest()[:4], "big") % count


def check_signature(key: str, index: bytes, signature: bytes) -> None:
    """Raises BadSignature unless `signature` (hex) is this key's (hex) over exactly this index."""
    try:
        verify(bytes.fromhex(key), CONTEXT + index, bytes.fromhex(signature.decode().strip()))
    except (BadSignature, ValueError) as error:
        raise BadSignature(
            "Its catalogue is not signed by the key that was seen when it was added.",
            "It was changed by somebody else, or its keeper signs with another key now.",
            "Nothing of it was read. Ask its keeper; with a new key it has to be added anew.",
        ) from error
