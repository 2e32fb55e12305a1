"""Reading a settings file of an installation: never through a link, and never more than any format is changed at."""

from __future__ import annotations

from pathlib import Path

from convoy_core.lock.terms import Terms
from convoy_core.outside.patterns import matcher
from convoy_core.settings.formats import MAX_BYTES, UnreadableSettings

from ..storage.files import inside, walk


def bytes_at(root: Path, path: str) -> bytes:
    """What lies there. Raises UnreadableSettings for a file that is too large, OSError, and as `inside`."""
    place = inside(root, path)
    if place.stat().st_size > MAX_BYTES:
        raise too_large(path)
    return place.read_bytes()


def settings_there(root: Path, terms: Terms) -> set[str]:
    """Paths of settings files that lie there, by the game's places; none of worlds."""
    if not terms.settings:
        return set()
    wanted = matcher(terms.settings)
    return {path for path, _ in walk(root) if wanted.fullmatch(path) and not terms.is_world(path)}


def too_large(path: str) -> UnreadableSettings:
    return UnreadableSettings(f"{path} is larger than {MAX_BYTES // 2**20} MB, too large to be changed.", path=path)
