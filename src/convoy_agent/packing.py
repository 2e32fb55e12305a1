"""The installed release as a file that needs no site: made here, and looked into wherever it came from."""

from __future__ import annotations

from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from convoy_core.handing_out.bag import Bag, Wanted, WorldFile, make_bag
from convoy_core.handing_out.bag_reading import ReadBag, signed_by
from convoy_core.lock.in_worlds import world_of
from convoy_core.lock.recipe import Recipe
from convoy_core.words.errors import MalformedInput
from convoy_core.words.wording import listed
from convoy_io.bags import opened_bag, write_bag

from .errors import BadRelease, FolderRefused
from .folder.backups import Backups
from .folder.folder import Folder
from .hearing import nothing_installed
from .storage import disk
from .storage.files import trouble_told
from .storage.store import Store
from .sync import utc_now
from .visit import Now


def pack(
    root: Path, store: Store, place: Path, wanted: Wanted = Wanted(), worlds: Collection[str] = (), now: Now = utc_now
) -> Bag:
    """Writes the folder's release into a new file. `worlds`: names of saved worlds that go along, as a backup that is
    made for it has them: nobody plays in that.

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
        backups = Backups(folder)
        saved = _worlds(folder, backups, recipe, worlds, now()) if worlds else {}
    has = {build.archive.sha256 for build in recipe.lock.builds if build.archive.sha256 in store}
    bag = make_bag(
        recipe, signed, [charter] if charter else [], head.sources if head else {}, has, wanted, worlds=saved
    )
    of_worlds = {file.sha256 for file in saved.values()}

    def lies(sha256: str) -> Path:
        return backups.content(sha256) if sha256 in of_worlds and sha256 not in has else store.path(sha256)

    beside = place.with_name(f"{place.name}.part")
    with trouble_told(place.parent):
        try:
            with beside.open("wb") as out:
                write_bag(bag, lies, out)
                disk.written(out)
            disk.replace(beside, place)
        except BaseException:
            with suppress(OSError):
                beside.unlink()
            raise
    return bag


def _worlds(
    folder: Folder, backups: Backups, recipe: Recipe, wanted: Collection[str], at: datetime
) -> dict[str, WorldFile]:
    """The files of these worlds, by path. Raises MalformedInput for a name that no world has, BackupRefused."""
    terms = recipe.lock.terms
    there = folder.worlds_there(terms)
    named = {world for world in there if world in wanted or world.rpartition("/")[2] in wanted}
    if missing := set(wanted) - named - {world.rpartition("/")[2] for world in named}:
        known = listed([world.rpartition("/")[2] for world in there])
        raise MalformedInput(f"There is no world “{min(missing)}”.", now=f"There are {known}." if there else "")
    made = backups.make(terms, at, "To go into a file", folder.record().release, by_hand=True)
    rows = made.files if made else ()
    found = {path: WorldFile(size, sha256) for path, size, sha256 in rows if world_of(path, terms) in named}
    if len(found) > MOST_FILES:
        raise FolderRefused(f"These worlds hold {len(found):,} files, more than one file takes.", now="Take fewer.")
    return found


MOST_FILES = 40_000
"""Of worlds in one file: with archives and lists it stays below what readers of archives take."""


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
        for path in packed.told.worlds:
            for _ in packed.world_file(path):
                pass
        charter, doubt = signed_by(packed.told)
        return Looked(packed.told, charter.mark if charter else "", doubt)
