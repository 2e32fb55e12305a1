"""A machine's share as a ZIP to lay down: files taken out of their archives, checked, and written at their places."""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from convoy_core.handing_out.share import SCRIPT, Share, is_rendered
from convoy_core.lock.rendering import render

from .bags import DATE
from .zips import ArchiveWrong, opened


def write_share(
    share: Share, archive: Callable[[str], Path], into: BinaryIO, wrote: Callable[[int], None] = lambda _: None
) -> None:
    """`archive`: where the archive of a sha256 lies; `wrote`: told of every block's size, what it raises ends the
    writing. Settings come with the pack's tweaks in them. Raises ArchiveWrong, HostileArchive, OSError.
    """
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, content in share.notes.items():
            packed.writestr(_member(path, 0o755 if path == SCRIPT else 0o644), content)
        for build in share.carried:
            files = [file for file in share.placed if file.mod == build.mod]
            if not files:
                continue
            with opened(archive(build.archive.sha256)) as source:
                for file in files:
                    blocks = source.blocks(source.get(file.member))
                    digest = hashlib.sha256()
                    with packed.open(_member(file.path, size=file.size), "w") as out:
                        if is_rendered(file, share.lock):
                            data = b"".join(blocks)
                            digest.update(data)
                            out.write(render(file.path, data, share.lock.terms.by_path[file.path]))
                            wrote(len(data))
                        else:
                            for block in blocks:
                                digest.update(block)
                                out.write(block)
                                wrote(len(block))
                    if digest.hexdigest() != file.sha256:
                        raise ArchiveWrong(
                            f"{file.path} of {build.name} {build.version} is not as the release has it.",
                            now="The file was not made. Fetch the archive again first.",
                            mod=build.mod,
                        )


def _member(path: str, mode: int = 0o644, size: int = 0) -> zipfile.ZipInfo:
    found = zipfile.ZipInfo(path, DATE)
    found.file_size = size
    found.external_attr, found.create_system, found.compress_type = (0o100000 | mode) << 16, 3, zipfile.ZIP_DEFLATED
    # Squeezed a little: most of it is already, and somebody waits. For what is streamed zipfile has no public way.
    found._compresslevel = 1  # type: ignore[attr-defined]
    return found
