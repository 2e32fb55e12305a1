"""Joining and following without a site: a pack as a file is all that is needed, on a train or ten years later.

The file's charter says whose keys may sign; it is pinned at joining, and what comes later has to be signed by them.
"""

from __future__ import annotations

import os
import shutil
import uuid
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from convoy_core.handing_out.bag_reading import ReadBag, signed_by
from convoy_core.lock.in_worlds import world_of
from convoy_core.trust.charter import Charter, Duty
from convoy_core.words.errors import BadSignature
from convoy_io.bags import OpenBag, opened_bag

from .errors import BadRelease, DiskFull, FolderRefused
from .folder.copying import copy_game
from .folder.folder import Folder
from .leave import finish as finish_leaving
from .site.head import Head, Pairing
from .site.progress import Screen, Silent
from .storage import disk
from .storage.files import SPARE_BYTES, made_anew, trouble_told, unlinked
from .storage.store import Store


@dataclass(frozen=True)
class Joined:
    """`stored`: how many archives the file brought; `worlds`: those that were laid down."""

    pairing: Pairing
    stored: int
    worlds: tuple[str, ...] = ()


def join_file(
    place: Path,
    root: Path,
    store: Store,
    key: str = "",
    side: str = "player",
    game: Path | None = None,
    as_it_is: bool = False,
    screen: Screen | None = None,
    with_worlds: bool = False,
) -> Joined:
    """Makes a folder follow a file. `key`: the mark that its keys must have, where somebody said so; `game` is copied
    into the folder first; `with_worlds`: saved worlds that the file brings are laid down, where none of that name is.

    Raises FolderRefused, BadRelease for other keys, BadSignature, and what reading such a file raises.
    """
    folder = Folder(root)
    folder.refuse_taken(as_it_is)
    with trouble_told(place), opened_bag(place) as packed:
        charter = _trusted(packed.told, key)
        stored = _store(packed, store)
        finish_leaving(folder, datetime.now(UTC))
        if game is not None:
            copy_game(game, folder.root, screen or Silent())
        recipe = packed.told.recipe
        first = charter.duties[Duty.CHARTER].keys[0].hex()
        pairing = Pairing(
            "", "", first, recipe.pack, recipe.pack_name, str(uuid.uuid4()), root.name, side, charter.mark,
            packed.told.charters[-1],
        )  # fmt: skip
        folder.create(pairing, as_it_is or game is not None)
        with folder.held():
            _follow(folder, packed.told)
            worlds = lay_worlds(packed, folder) if with_worlds else ()
    return Joined(pairing, stored, worlds)


def take_file(place: Path, root: Path, store: Store) -> int:
    """What a folder that follows a file follows from now on; the next sync brings it there. Gives how many archives the
    file brought. Raises FolderRefused for another pack, or where a site is followed; BadSignature.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    if pairing.site:
        raise FolderRefused(
            f"{folder.root} follows {pairing.site}.",
            "What it follows is for its site to say.",
            "Choose another folder for the file.",
        )
    with trouble_told(place), opened_bag(place) as packed, folder.held():
        if packed.told.recipe.pack != pairing.pack_id:
            name = packed.told.recipe.pack_name
            raise FolderRefused(f"This file is {name}; the folder follows {pairing.pack}.", now="Nothing was changed.")
        trusted = folder.releases.trust.follow(pairing, packed.told.charters, datetime.now(UTC))
        trusted.demand_release(packed.told.signed, is_here=False)
        stored = _store(packed, store)
        _follow(folder, packed.told)
    return stored


def _trusted(told: ReadBag, key: str) -> Charter:
    charter, doubt = signed_by(told)
    if charter is None:
        raise BadSignature("Nobody can tell who made this file.", doubt, "Nothing was installed. Ask for another.")
    if key and charter.mark.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "This file is signed by other keys than those that were named.",
            f"Named: {key}. In the file: {charter.mark}.",
            "Nothing was installed. Ask whoever gave it to you.",
        )
    return charter


def _store(packed: OpenBag, store: Store) -> int:
    """Takes in the archives that it carries and that are not there, each checked."""
    sizes = {build.archive.sha256: build.archive.size for build in packed.told.recipe.lock.builds}
    new = [sha256 for sha256 in packed.told.archives if sha256 not in store]
    needed, free = sum(sizes[sha256] for sha256 in new), shutil.disk_usage(store.root).free
    if needed and free < needed + SPARE_BYTES:
        raise DiskFull(
            f"{store.root} has {free // 2**20} MB left, and the file brings {needed // 2**20 + 1} MB.",
            "Nothing was changed.",
            "Make room, then try again.",
        )
    for sha256 in new:
        beside = store.partial / f"{sha256}.from-file"
        try:
            with made_anew(beside) as out:
                for block in packed.blocks(sha256):
                    out.write(block)
                disk.written(out)
            if not store.take_in(beside, sha256):
                raise BadRelease("An archive in this file is damaged.", now="Ask for the file again.")
        finally:
            disk.remove(beside)
    return len(new)


def lay_worlds(packed: OpenBag, folder: Folder) -> tuple[str, ...]:
    """Lays down the saved worlds that a file brings, each whole or not at all; one whose name is taken here is passed
    by. Gives those that were laid. Raises ArchiveWrong, DiskFull.
    """
    if shutil.disk_usage(folder.root).free < packed.world_bytes() + SPARE_BYTES:
        raise DiskFull(f"{folder.root} has no room for the worlds.", now="Make room, then try again.")
    terms = packed.told.recipe.lock.terms
    files: dict[str, list[str]] = {}
    for path in packed.told.worlds:
        files.setdefault(world_of(path, terms), []).append(path)
    laid = []
    for world, paths in sorted(files.items()):
        target, beside = unlinked(folder.root, world), folder.own / "world"
        if os.path.lexists(target):
            continue
        disk.remove_tree(beside)
        for path in paths:
            place = beside / path.removeprefix(f"{world}/")
            place.parent.mkdir(parents=True, exist_ok=True)
            with made_anew(place) as out:
                for block in packed.world_file(path):
                    out.write(block)
                disk.written(out)
        target.parent.mkdir(parents=True, exist_ok=True)
        disk.replace(beside, target)
        laid.append(world)
    return tuple(laid)


def _follow(folder: Folder, told: ReadBag) -> None:
    folder.releases.keep(told.signed)
    number = told.recipe.number
    # What its member chose holds for what comes, too.
    kept = folder.kept_head() or Head(number, number, {})
    sources = {**kept.sources, **told.sources}
    folder.keep_head(replace(kept, number=number, newest=number, sources=sources, sha256=told.recipe.sha256))
