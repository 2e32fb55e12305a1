"""Lays a lock down in an empty folder, out of archives that lie here: a fresh installation, every file checked.

For benches; a member's folder is the agent's business, which has something to lose there.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection
from pathlib import Path

from convoy_core.handing_out.share import is_rendered
from convoy_core.lock.lock import Lock, PlacedFile
from convoy_core.lock.rendering import render
from convoy_core.outside.paths import checked_path

from .zips import ArchiveWrong, opened


def lay_fresh(
    lock: Lock, archive: Callable[[str], Path], folder: Path, mods: Collection[str], wrote: Callable[[int], None]
) -> None:
    """Of the builds of `mods` every file at its place, with the pack's settings in it; what lay under the file of a
    build that is not among them comes to light. `wrote`: told of every block's
    size; what it raises ends it. Raises ArchiveWrong, HostileArchive, OSError.
    """
    lock = lock.only(set(mods))
    of: dict[str, list[PlacedFile]] = {}
    for file in lock.files:
        of.setdefault(file.mod, []).append(file)
    for build in lock.builds:
        files = of.get(build.mod, [])
        if not files:
            continue
        with opened(archive(build.archive.sha256)) as source:
            for file in files:
                place = folder / checked_path(file.path)
                place.parent.mkdir(parents=True, exist_ok=True)
                data, digest = [], hashlib.sha256()
                rendered = is_rendered(file, lock)
                with place.open("xb") as out:
                    for block in source.blocks(source.get(file.member)):
                        digest.update(block)
                        wrote(len(block))
                        if rendered:
                            data.append(block)
                        else:
                            out.write(block)
                    if rendered:
                        out.write(render(file.path, b"".join(data), lock.terms.by_path[file.path]))
                if digest.hexdigest() != file.sha256:
                    raise ArchiveWrong(
                        f"{file.path} of {build.name} {build.version} is not as the pack has it.",
                        now="Nothing was started. Have the archive fetched again.",
                        mod=build.mod,
                    )
