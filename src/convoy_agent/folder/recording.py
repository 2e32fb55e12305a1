"""What the record says when a change is done: the pack's files with a sight of each, and what settings start from."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.lock.rendering import rendering
from convoy_core.settings.formats import MAX_BYTES

from ..storage.files import inside, is_plain, sha256_of, write_at_once
from .folder import Folder
from .record import UNSEEN, Record, Sight
from .staging import Staged


def record_after(target: Lock, staged: Staged, before: Record) -> tuple[dict[str, str], dict[str, str]]:
    """What the record names when all is done: path to sha256, and the renderings of settings files."""
    after, renderings = {}, {}
    for file in target.files:
        after[file.path] = file.sha256
        if target.terms.is_settings(file.path):
            known = (
                before.files.get(file.path, (file.sha256, UNSEEN))[0],
                before.renderings.get(file.path, rendering(file.path, file.sha256, target.terms)),
            )
            after[file.path], renderings[file.path] = staged.rendered.get(file.path) or known
    return after, renderings


def adjusted_after(target: Lock, staged: Staged, before: Record) -> dict[str, Any]:
    """What the record names of settings files that no build carries, as data."""
    found = {path: one for path, one in before.adjusted.items() if path not in target.by_path} | staged.adjusted
    return {path: one.as_data() for path, one in found.items() if one.name or one.keys}


def sight_of(folder: Folder, path: str, sha256: str, before: Record, verified: Collection[str]) -> Sight:
    place = folder.root / path
    try:
        info = place.lstat()
    except OSError:
        return UNSEEN
    sight = (info.st_size, info.st_mtime_ns, info.st_ctime_ns)
    is_known = path in verified or before.files.get(path) == (sha256, sight)
    is_right = is_known or (is_plain(place) and sha256_of(place) == sha256)
    return sight if is_right else UNSEEN


def keep_rendered(folder: Folder, path: str, sha256: str) -> None:
    """Settings that were there already, as the release has them: a later merge starts from them."""
    kept = folder.settings / sha256
    if not kept.exists() and (folder.root / path).stat().st_size <= MAX_BYTES:
        folder.settings.mkdir(exist_ok=True)
        write_at_once(kept, inside(folder.root, path).read_bytes())
