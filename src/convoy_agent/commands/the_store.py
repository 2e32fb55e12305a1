"""The store of this run: named once, before any command, and the same for all of it."""

from __future__ import annotations

from pathlib import Path

from ..storage.store import Store

_store: list[Store] = []


def keep_store(root: Path | None = None) -> Store:
    """At `root` when one is named, else where it was, else at the usual place."""
    if root or not _store:
        _store[:] = [Store(root)]
    return _store[0]
