"""Makes a file of a pack, as the worker does it: in memory there is never more than one block.

What its sources give to any program is fetched anew and checked; a source that is away keeps only its own builds out.
"""

import hashlib
import shutil
import tempfile
import time
from pathlib import Path
from uuid import UUID

import httpx
from django.db import transaction

from convoy_core.handing_out.places import open_addresses
from convoy_core.handing_out.share import make_share
from convoy_core.lock.lock import OVERLAY
from convoy_core.words.errors import ConvoyError
from convoy_io.bags import write_bag
from convoy_io.open_network import ClosedAddress
from convoy_io.shares import write_share

from ... import kept_files, receiving
from ...catalogue import reaching
from ...catalogue.fetching import NotRead, fetch_archive
from ...kept_files import StorageAway
from ...packs import own_files
from ...people import audit
from ...receiving import CHUNK, SPARE_BYTES
from ..models import FAILED, MakingState, Packing
from .packing import (
    Asked,
    Outside,
    Shape,
    Subject,
    bag_of,
    forget_file,
    kept_of,
    outside_of,
    read_asked,
    subject_of,
    to_be_had,
    why_outside,
)

LOOK_SECONDS = 1.0
"""Between two looks at whether somebody stopped it, and two tellings of how far it is."""


class Stopped(Exception):
    """Somebody stopped it: nobody has to be told."""


def pack_up(packing_id: UUID) -> None:
    """What the worker does. A job that is run again after its worker was killed begins anew."""
    rows = Packing.objects.select_related("pack__crew", "pack__game", "pack__draft", "release", "by")
    one = rows.filter(pk=packing_id).first()
    if one is None or one.stop or one.state not in (MakingState.WAITS, MakingState.WORKING):
        return
    Packing.objects.filter(pk=one.pk).update(state=MakingState.WORKING, done=0, told="")
    one.pack.draft.pack = one.pack
    try:
        with tempfile.TemporaryDirectory(dir=receiving.folder(), prefix="packing-") as folder:
            _make(one, Path(folder))
    except Stopped:
        Packing.objects.filter(pk=one.pk).update(state=MakingState.STOPPED)
    except ConvoyError as error:
        Packing.objects.filter(pk=one.pk).update(state=MakingState.FAILED, told=error.sentence())
    except Exception:
        # Whoever waits is told at once; the job's own end tells the keeper what it was.
        Packing.objects.filter(pk=one.pk).update(state=MakingState.FAILED, told=FAILED)
        raise


def _make(one: Packing, folder: Path) -> None:
    asked = read_asked(one.asked)
    subject = subject_of(one.pack, one.release.number if one.release else "")
    if shutil.disk_usage(folder).free < 2 * one.total + SPARE_BYTES:
        raise StorageAway("There is no room for the file on the site's disk.", now="Tell the site's keeper.")
    follow = _Follow(one)
    has = _fetched(subject, asked, folder, follow)
    kept = kept_of(one.pack, [build.archive.sha256 for build in subject.recipe.lock.builds])

    def archive(sha256: str) -> Path:
        place = folder / f"{sha256}.zip"
        if sha256 in kept and not place.exists():
            with place.open("wb") as out:
                for block in kept_files.blocks(kept[sha256].place):
                    out.write(block)
        return place

    result = folder / "result.zip"
    with result.open("wb") as out:
        if asked.form is Shape.SHARE:
            share = make_share(subject.recipe, asked.share_side, subject.sources, has if asked.builds else ())
            write_share(share, archive, out, follow.wrote)
            left = [outside_of(build, why_outside(build, asked), subject) for build in share.left]
        else:
            bag = bag_of(subject, asked, has)
            write_bag(bag, archive, out, follow.wrote)
            left = [outside_of(each.build, each.why, subject) for each in bag.left]
    _keep(one, result, left)


def _fetched(subject: Subject, asked: Asked, folder: Path, follow: "_Follow") -> set[str]:
    """Fetches what is wanted and does not lie here; gives what is there in the end. A source that is away keeps only
    its own builds out.
    """
    wanted = to_be_had(subject, asked)
    has = {sha256 for sha256, file in kept_of(subject.pack, wanted).items() if kept_files.is_kept(file.place)}
    overlay = subject.recipe.lock.by_mod.get(OVERLAY)
    if subject.release is None and overlay and asked.own:
        (folder / f"{overlay.archive.sha256}.zip").write_bytes(own_files.archive_of(subject.pack.draft))
        has.add(overlay.archive.sha256)
    with reaching.client() as client:
        for build in subject.recipe.lock.builds:
            sha256 = build.archive.sha256
            if sha256 not in wanted or sha256 in has:
                continue
            place = folder / f"{sha256}.zip"
            try:
                fetch_archive(client, open_addresses(build, subject.sources), build.archive, place, follow.came)
            except (NotRead, ClosedAddress, httpx.InvalidURL):
                place.unlink(missing_ok=True)
                continue
            has.add(sha256)
    return has


def _keep(one: Packing, result: Path, left: list[Outside]) -> None:
    digest = hashlib.sha256()
    with result.open("rb") as file:
        while block := file.read(CHUNK):
            digest.update(block)
    sha256 = digest.hexdigest()
    with result.open("rb") as file:
        kept_files.keep(one.place, file, sha256)
    told = [f"{each.name} {each.version}: {each.why}" for each in left]
    size = result.stat().st_size
    with transaction.atomic():
        # Somebody may have stopped it, or ended the crew, meanwhile.
        still = Packing.objects.filter(pk=one.pk, stop=False)
        if not still.update(state=MakingState.DONE, left=told, size=size, sha256=sha256, done=one.total):
            forget_file(one.place)
            raise Stopped
        audit.note(one.by, f"made {one.name} of {one.pack.name}", one.pack.crew)


class _Follow:
    """Tells how far it is, and notices that somebody stopped it."""

    def __init__(self, one: Packing) -> None:
        self._one, self._done, self._at = one, 0, time.monotonic()

    def came(self, size: int) -> None:
        """Fetching and writing are half of the way each."""
        self._moved(size // 2)

    def wrote(self, size: int) -> None:
        self._moved(size - size // 2)

    def _moved(self, size: int) -> None:
        self._done += size
        if time.monotonic() - self._at < LOOK_SECONDS:
            return
        self._at = time.monotonic()
        rows = Packing.objects.filter(pk=self._one.pk)
        rows.update(done=min(self._done, self._one.total))
        if rows.values_list("stop", flat=True).first() is not False:
            raise Stopped
