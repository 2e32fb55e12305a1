"""Reads settings and data files for the site: in archives that only a person may fetch and that lie in this store, and
those that the game wrote.

What is told are keys and values; the file itself never leaves. Only archives of the pack's own release are looked into,
and settings files that the game wrote where their member allowed it: a site cannot ask what else a member keeps.
Source: docs/rules.md, "Readings".
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from convoy_core.lock.recipe import Recipe
from convoy_core.settings.formats import MAX_BYTES, Key
from convoy_core.settings.readings import as_text, read_file
from convoy_core.words.errors import ConvoyError
from convoy_io.zips import opened

from .errors import SiteAway, SiteRefused
from .folder.folder import Folder
from .folder.own_settings import tells_of
from .folder.settings_files import bytes_at
from .site.site import Site
from .storage.store import Store

AT_ONCE = 40
"""Files that are told together, and read in one visit for one archive at the most."""

AT_ONCE_BYTES = 2 * 2**20
"""Of one request: half of what a site takes."""


def read_along(site: Site, store: Store, recipe: Recipe, folder: Folder, written: Mapping[str, str]) -> int:
    """Gives how many files were told. What cannot be read or told is left for another time: no sync waits for it.

    `written`: settings files that the game wrote and that the site was told of; none where nobody allowed it.
    """
    by_hand = {build.archive.sha256 for build in recipe.lock.builds if not build.pickup.is_automatic}
    if not written and not any(sha256 in store for sha256 in by_hand):
        return 0
    told = 0
    try:
        for wanted in site.wanted_readings():
            sha256 = str(wanted.get("archive_sha256", ""))
            if not sha256:
                found = _read_written(folder, wanted.get("files", []), written)
            else:
                is_here = sha256 in by_hand and sha256 in store
                found = _read(store.path(sha256), wanted.get("files", [])) if is_here else []
            for portion in _portions(found):
                site.tell_readings(portion)
                told += len(portion)
    except (SiteAway, SiteRefused, OSError):
        return told
    return told


def _portions(rows: list[dict[str, Any]]) -> Iterator[list[dict[str, Any]]]:
    """In requests that a site takes."""
    portion: list[dict[str, Any]] = []
    size = 0
    for row in rows:
        more = len(json.dumps(row))
        if portion and size + more > AT_ONCE_BYTES:
            yield portion
            portion, size = [], 0
        portion.append(row)
        size += more
    if portion:
        yield portion


def _read(archive: Path, files: Any) -> list[dict[str, Any]]:
    rows = []
    try:
        with opened(archive) as packed:
            for file in files[:AT_ONCE]:
                entry = packed.get(str(file["member"]))
                if entry.size > MAX_BYTES:
                    continue
                data = b"".join(packed.blocks(entry))
                if hashlib.sha256(data).hexdigest() == file["sha256"]:
                    rows.append(_row(str(file["sha256"]), str(file["path"]), data))
    except (ConvoyError, KeyError, TypeError):
        # An archive that is not what it was, or a list that is none: nothing of it is told.
        return []
    return rows


def _read_written(folder: Folder, files: Any, written: Mapping[str, str]) -> list[dict[str, Any]]:
    """Of the files that are asked for, those that the site was told of and that are still so; nothing private."""
    rows = []
    for file in files[:AT_ONCE] if isinstance(files, list) else ():
        with suppress(OSError, KeyError, TypeError, ConvoyError):
            path = str(file["path"])
            if written.get(path) == file["sha256"]:
                data = bytes_at(folder.root, path)
                if hashlib.sha256(data).hexdigest() == file["sha256"]:
                    rows.append(_row(str(file["sha256"]), path, data, tells_of))
    return rows


def _row(sha256: str, path: str, data: bytes, told: Callable[[Key], bool] = lambda key: True) -> dict[str, Any]:
    found = read_file(path, data)
    found = replace(found, keys={key: value for key, value in found.keys.items() if told(key)})
    return {"sha256": sha256, "keys": json.loads(as_text(found)), "trouble": found.trouble[:200]}
