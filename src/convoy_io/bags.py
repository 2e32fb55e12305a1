"""Packs as files: a bag is written into a ZIP as a stream, and read from one that came from anywhere."""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from convoy_core.handing_out.bag import WORLDS, Bag
from convoy_core.handing_out.bag_reading import TAGS, BadBag, ReadBag, read_bag, top_of

from .zips import CHUNK, ArchiveWrong, Zip, opened

DATE = (1980, 1, 1, 0, 0, 0)
"""Of every member: the same bag is the same bytes, whenever it is made."""

MOST_TAG = 128 * 2**20
"""Bytes of one of a bag's own files: a release of 50,000 files takes ten."""


def write_bag(
    bag: Bag, archive: Callable[[str], Path], into: BinaryIO, wrote: Callable[[int], None] = lambda _: None
) -> None:
    """`archive`: where the archive, or the world's file, of a sha256 lies. Nothing is packed anew: archives are packed
    already. `wrote`: told of every block's size; what it raises ends the writing.

    Raises ArchiveWrong for one that is not what the release says: it must not be handed on. OSError.
    """
    with zipfile.ZipFile(into, "w", zipfile.ZIP_STORED) as packed:
        for name, content in bag.tags.items():
            packed.writestr(member(f"{bag.name}/{name}", len(content)), content)
        for path, build in bag.carried.items():
            what = f"{build.name} {build.version}"
            _write_file(packed, f"{bag.name}/{path}", archive, build.archive.size, build.archive.sha256, what, wrote)
        for path, file in bag.worlds.items():
            what = path.removeprefix(WORLDS)
            _write_file(packed, f"{bag.name}/{path}", archive, file.size, file.sha256, what, wrote)


def _write_file(
    packed: zipfile.ZipFile,
    path: str,
    place: Callable[[str], Path],
    size: int,
    sha256: str,
    what: str,
    wrote: Callable[[int], None],
) -> None:
    digest = hashlib.sha256()
    with place(sha256).open("rb") as file, packed.open(member(path, size), "w") as out:
        while block := file.read(CHUNK):
            digest.update(block)
            out.write(block)
            wrote(len(block))
    if digest.hexdigest() != sha256:
        raise ArchiveWrong(
            f"The copy of {what} here is damaged.",
            "It is not what was to go into the file.",
            "The file was not made. Fetch it again first.",
            path=path,
        )


def member(path: str, size: int) -> zipfile.ZipInfo:
    found = zipfile.ZipInfo(path, DATE)
    found.external_attr, found.file_size = 0o100644 << 16, size
    found.create_system = 3
    return found


@dataclass(frozen=True)
class OpenBag:
    """A bag in an open file. `told`: what it says of itself."""

    told: ReadBag
    _packed: Zip
    _top: str

    def blocks(self, sha256: str) -> Iterator[bytes]:
        """An archive that it carries; checked once it was read to its end. Raises ArchiveWrong."""
        return self._checked(self.told.archives[sha256], sha256)

    def world_file(self, path: str) -> Iterator[bytes]:
        """A file of a saved world that came along, by its path; checked in the same way."""
        return self._checked(*self.told.worlds[path])

    def world_bytes(self) -> int:
        return sum(self._packed.get(self._top + name).size for name, _ in self.told.worlds.values())

    def _checked(self, name: str, sha256: str) -> Iterator[bytes]:
        digest = hashlib.sha256()
        for block in self._packed.blocks(self._packed.get(self._top + name)):
            digest.update(block)
            yield block
        if digest.hexdigest() != sha256:
            raise ArchiveWrong(f"{name} in this pack is damaged, or was altered.", now="Ask for the file again.")


@contextmanager
def opened_bag(place: Path) -> Iterator[OpenBag]:
    """Raises ArchiveWrong, BadBag, HostileArchive, MalformedInput; OSError. Signatures are the caller's to check."""
    with opened(place) as packed:
        if odd := next((one for one in packed.entries if one.is_link or one.is_odd or one.is_encrypted), None):
            raise BadBag(f"{odd.name[:80]} in this pack is no plain file.", now="Ask for the file again.")
        names = [entry.name for entry in packed.entries]
        top = top_of(names)
        tags = {}
        for entry in packed.entries:
            name = entry.name.removeprefix(top)
            if name in TAGS:
                if entry.size > MOST_TAG:
                    raise BadBag(f"{name} in this pack is larger than {MOST_TAG // 2**20} MB.")
                tags[name] = b"".join(packed.blocks(entry))
        told = read_bag([name.removeprefix(top) for name in names], tags)
        for build in told.recipe.lock.builds:
            # Before anything is unpacked: what says that it is larger may be made to fill a disk.
            member = told.archives.get(build.archive.sha256)
            if member is not None and packed.get(top + member).size != build.archive.size:
                raise BadBag(f"{member} in this pack is of another size than its release says.")
        yield OpenBag(told, packed, top)
