"""What a member has otherwise than the pack in its settings files, and which of these the game wrote by itself: told to
the site where they allowed it.

Of the pack's files only keys that differ from what was placed, and never a file. Source: docs/rules.md, "Settings".
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.settings.formats import MAX_BYTES, Key, UnreadableSettings, Value, open_settings
from convoy_core.settings.formats.base import same
from convoy_core.settings.readings import DEEPEST
from convoy_core.sync.plan import NOT_PLAIN

from ..site.site import as_told
from ..storage.files import inside, sha256_of
from .folder import Folder
from .settings_files import bytes_at

MOST = 300
"""Keys that are told: who changed more has a file of their own, and sends it."""

LONGEST = 300
"""Characters of a key with its values, as JSON: longer ones are nobody's to read."""


def own_settings(folder: Folder, share: Lock, hashes: Mapping[str, str]) -> list[dict[str, Any]]:
    """`share`: what is installed; `hashes`: what lies there. Rows of path, key, the member's value (`mine`) and the one
    that was placed (`was`), None where there is none. Files that cannot be read have no rows.
    """
    found: list[dict[str, Any]] = []
    for path, (placed, _) in sorted(folder.record().files.items()):
        if share.terms.is_settings(path) and hashes.get(path, placed) != placed and as_told(path) == path:
            for key, mine, was in _changed(folder, path, placed):
                if len(found) >= MOST:
                    return found
                found.append({"path": path, "key": list(key), "mine": _plain(mine), "was": _plain(was)})
    return found


PRIVATE = re.compile(
    "pass(word|wd|code|phrase)|token|secret|session|account|user|login|mail|credential|api.?key", re.IGNORECASE
)
"""Names of keys that may hold what is nobody else's business; told of are neither they nor what lies below them."""

MOST_WRITTEN = 60
"""Files that the game wrote and that are told of."""


def tells_of(key: Key) -> bool:
    return not any(PRIVATE.search(name) for name in key)


def written(folder: Folder, target: Lock, hashes: Mapping[str, str]) -> dict[str, str]:
    """Settings files that no build of `target` carries, with their sha256. `hashes`: paths that lie there."""
    found: dict[str, str] = {}
    for path in sorted(hashes):
        if path in target.by_path or hashes[path] == NOT_PLAIN or not target.terms.is_own_settings(path):
            continue
        if len(found) >= MOST_WRITTEN:
            break
        with suppress(OSError):
            place = inside(folder.root, path)
            if place.stat().st_size <= MAX_BYTES:
                found[as_told(path)] = sha256_of(place)
    return found


def _changed(folder: Folder, path: str, placed: str) -> Iterator[tuple[Key, Value, Value]]:
    try:
        was = open_settings(path, (folder.settings / placed).read_bytes()).values
        mine = open_settings(path, bytes_at(folder.root, path)).values
    except (OSError, UnreadableSettings):
        return
    for key in [*mine, *(key for key in was if key not in mine)]:
        is_same = key in mine and key in was and same(mine[key], was[key])
        if not is_same and tells_of(key) and _is_short(key, mine.get(key), was.get(key)):
            yield key, mine.get(key), was.get(key)


def _is_short(key: Key, *values: Value) -> bool:
    """Whether anybody reads it, and a pack could set it: text, a number, a truth, or a list of these."""
    is_flat = not any(isinstance(part, list | dict) for one in values if isinstance(one, list) for part in one)
    return is_flat and len(key) <= DEEPEST and len(json.dumps([key, *values], default=str)) <= LONGEST


def _plain(value: Value) -> Any:
    return json.loads(json.dumps(value, default=str))
