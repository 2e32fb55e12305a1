"""What a world elsewhere was played with, as what lies beside it says: an installation's own papers, else its mods, as
far as this pack knows them.
"""

from __future__ import annotations

from pathlib import Path

from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.lock.papers import Carried, Papers, Played, changes_progress
from convoy_core.outside.paths import is_litter
from convoy_core.words.model import Reach

from .folder.worlds import worlds_kept_at
from .storage import disk
from .storage.files import is_plain_with

LOOKED_AT = 40
"""Files of one build that are compared: it is told from another by any of them."""


def papers_beside(root: Path, world: str, lock: Lock) -> Papers | None:
    """None where nothing lies beside it that says anything. Reads, and changes nothing there."""
    kept = worlds_kept_at(root).get(world)
    if kept is not None and kept.papers:
        return kept.papers
    tops = [top for top in lock.managed if (root / top).is_dir()]
    if not tops:
        return None
    # What worlds do not depend on says nothing about them.
    tells = [build for build in lock.builds if build.reach is Reach.SAVE or changes_progress(build)]
    there = [(build, version) for build in tells if (version := _lies(root, build, lock)) is not None]
    saves = tuple(Carried(one.mod, one.name, version) for one, version in there if one.reach is Reach.SAVE)
    progress = tuple(Carried(one.mod, one.name, version) for one, version in there if changes_progress(one))
    known = {path for file in (*lock.files, *lock.covered) for path in _tops(file.path)}
    others = sorted(
        entry.name
        for top in tops
        for entry in disk.entries_of(str(root / top))
        if f"{top}/{entry.name}" not in known and not is_litter(entry.name)
    )
    return (Played("", "what lay beside it", "", "", "", "", "", saves, progress, tuple(others[:200])),)


def _lies(root: Path, build: LockedBuild, lock: Lock) -> str | None:
    """The version of a build of the pack that lies in another folder; empty: another one of that mod; None: none."""
    theirs = (file for file in (*lock.files, *lock.covered) if file.mod == build.mod)
    files = [file for file in theirs if not lock.terms.is_settings(file.path)]
    there = [file for file in files if (root / file.path).is_file()]
    if not there:
        return None
    same = all(is_plain_with(root / file.path, file.sha256) for file in there[:LOOKED_AT])
    return build.version if same and len(there) == len(files) else ""


def _tops(path: str) -> set[str]:
    parts = path.split("/")
    return {"/".join(parts[:depth]) for depth in range(1, len(parts) + 1)}
