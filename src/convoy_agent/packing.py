"""The installed release as a file that needs no site: made here, and looked into wherever it came from."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from convoy_core.handing_out.bag import Bag, Wanted, make_bag
from convoy_core.handing_out.bag_reading import ReadBag, signed_by
from convoy_io.bags import opened_bag, write_bag

from .errors import BadRelease, FolderRefused
from .folder.folder import Folder
from .storage import disk
from .storage.files import trouble_told
from .storage.store import Store
from .sync import nothing_installed


def pack(root: Path, store: Store, place: Path, wanted: Wanted = Wanted()) -> Bag:
    """Writes the folder's release into a new file.

    Raises NothingInstalled, FolderRefused where something lies there already, ArchiveWrong for a damaged copy in the
    store; then no file is left. What is made is put into place at once, when it is whole.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    if place.exists():
        raise FolderRefused(f"{place} is there already.", now="Choose another name.")
    with folder.held():
        record = folder.record()
        signed = folder.releases.kept(record.named) if record.release else nothing_installed()
        if signed is None:
            raise BadRelease(f"Release {record.release} is not kept here any more.", now="Sync, then try again.")
        recipe = folder.releases.trusted(signed, pairing)
        charter = folder.releases.trust.charter(pairing)
        head = folder.kept_head()
    has = {build.archive.sha256 for build in recipe.lock.builds if build.archive.sha256 in store}
    bag = make_bag(recipe, signed, [charter] if charter else [], head.sources if head else {}, has, wanted)
    beside = place.with_name(f"{place.name}.part")
    with trouble_told(place.parent):
        try:
            with beside.open("wb") as out:
                write_bag(bag, store.path, out)
                disk.written(out)
            disk.replace(beside, place)
        except BaseException:
            with suppress(OSError):
                beside.unlink()
            raise
    return bag


@dataclass(frozen=True)
class Looked:
    """What a file says of itself. `mark`: of the keys that signed it, which whoever trusts it compares with those that
    they were told; empty: it names none, or they did not sign it, as `doubt` says.
    """

    told: ReadBag
    mark: str
    doubt: str


def look_into(place: Path) -> Looked:
    """Reads every archive that the file carries against its hash. Raises BadBag, ArchiveWrong, HostileArchive,
    MalformedInput, FileTrouble.
    """
    with trouble_told(place), opened_bag(place) as packed:
        for sha256 in packed.told.archives:
            for _ in packed.blocks(sha256):
                pass
        charter, doubt = signed_by(packed.told)
        return Looked(packed.told, charter.mark if charter else "", doubt)
