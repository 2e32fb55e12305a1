"""A release, or the draft, as a file: judged while somebody chooses, made by a worker, kept for a day.

What its sources give to any program is fetched anew and checked; what a licence does not let others hand out stays
outside, with the reason. In memory there is never more than one block.
"""

import hashlib
import shutil
import tempfile
import time
from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum
from pathlib import Path
from typing import Any
from uuid import UUID

import httpx
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_core.handing_out.bag import Bag, Wanted, make_bag
from convoy_core.handing_out.places import open_addresses
from convoy_core.handing_out.share import make_share
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_core.lock.recipe import Recipe, ReleaseChannel
from convoy_core.trust.signed import Signed
from convoy_core.words.errors import ConvoyError
from convoy_core.words.licences import meaning
from convoy_core.words.model import Side
from convoy_io.bags import write_bag
from convoy_io.open_network import ClosedAddress
from convoy_io.shares import write_share

from .. import kept_files, receiving
from ..catalogue import reaching
from ..catalogue.fetching import NotRead, fetch_archive
from ..catalogue.games import profile_for_others
from ..catalogue.models import OwnFile
from ..catalogue.services import addresses
from ..kept_files import StorageAway
from ..packs import drafts, own_files
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.models import SiteRules, User
from ..people.rights import Action, NotFound
from ..receiving import CHUNK, SPARE_BYTES, TooLarge
from .charters import all_charters, signatures_of
from .models import FAILED, MakingState, Packing, Release
from .services import as_recipe, current_release, recipe_of, release_numbered

TASK = "convoy_site.releases.tasks.pack_up"
KEPT = timedelta(days=1)
MOST_KEPT = 4
"""Files of one pack at a time: an older one gives way."""
LOOK_SECONDS = 1.0
"""Between two looks at whether somebody stopped it, and two tellings of how far it is."""


class Shape(StrEnum):
    """A bag is the pack for another crew, another site, or for later; a share is laid down as it is."""

    BAG = "bag"
    SHARE = "share"


class Stopped(ConvoyError):
    code = "stopped"


@dataclass(frozen=True)
class Asked:
    """`side`: whose share; both: all of it, which a share cannot be."""

    form: Shape = Shape.BAG
    side: Side = Side.BOTH
    builds: bool = True
    own: bool = True

    @property
    def wanted(self) -> Wanted:
        return Wanted(None if self.side is Side.BOTH else self.side, self.builds, self.own)

    @property
    def share_side(self) -> Side:
        return Side.SERVER if self.side is Side.BOTH else self.side

    def as_data(self) -> dict[str, Any]:
        return {"form": self.form, "side": self.side, "builds": self.builds, "own": self.own}


def read_asked(told: dict[str, Any]) -> Asked:
    return Asked(Shape(told["form"]), Side(told["side"]), bool(told["builds"]), bool(told["own"]))


@dataclass(frozen=True)
class Outside:
    """What is not inside. `address`: where any program fetches it; `size` in bytes."""

    name: str
    version: str
    why: str
    address: str
    size: int


@dataclass(frozen=True)
class Plan:
    """What a file would hold. Sizes in bytes; `inside` of archives, which is what the file comes to."""

    inside: int
    builds: int
    outside: tuple[Outside, ...]


@dataclass(frozen=True)
class _Subject:
    """What is packed: a release as it was signed, or the draft, which nobody signed."""

    pack: Pack
    recipe: Recipe
    signed: Signed
    release: Release | None
    sources: dict[str, str]


def plan(user: User, pack_id: UUID, number: str, asked: Asked) -> Plan:
    """What would be inside, and what not. `number` empty: the draft. Nothing is fetched. Raises NotFound."""
    pack = pack_for(user, pack_id, Action.SEE)
    subject = _subject(pack, number)
    return _plan(subject, asked, _to_be_had(subject, asked))


def _subject(pack: Pack, number: str) -> _Subject:
    sources = {name: at for name, at in addresses(pack.game_id, pack.crew_id).items() if "://" in at}
    if number:
        release = release_numbered(pack, number)
        return _Subject(pack, recipe_of(release.pk), signatures_of(release), release, sources)
    before = current_release(pack)
    recipe = as_recipe(
        pack,
        f"0.0.0-draft.{pack.draft.revision}",
        ReleaseChannel.TRIAL,
        pack.notes,
        drafts.lock_of(pack.draft),
        drafts.needed_by_draft(pack.draft),
        recipe_of(before.pk) if before else None,
    )
    return _Subject(pack, recipe, Signed(recipe.as_bytes(), ()), None, sources)


def _to_be_had(subject: _Subject, asked: Asked) -> set[str]:
    """Archives that lie here, or that their sources give to any program: nothing is fetched that may not travel."""
    builds = [one for one in subject.recipe.lock.builds if asked.side is Side.BOTH or one.side.goes_to(asked.side)]
    here = set(_kept(subject.pack, [one.archive.sha256 for one in builds]))
    return here | {
        one.archive.sha256
        for one in builds
        if asked.builds and meaning(one.licence).may_be_carried and open_addresses(one, subject.sources)
    }


def _kept(pack: Pack, hashes: Collection[str]) -> dict[str, OwnFile]:
    return {one.sha256: one for one in OwnFile.objects.filter(crew=pack.crew_id, sha256__in=hashes).defer("files")}


def _plan(subject: _Subject, asked: Asked, has: Collection[str]) -> Plan:
    if asked.form is Shape.SHARE:
        share = make_share(subject.recipe, asked.share_side, subject.sources, has if asked.builds else ())
        outside = tuple(_outside(one, _why_outside(one, asked), subject) for one in share.left)
        return Plan(sum(one.size for one in share.placed), len(share.carried), outside)
    bag = _bag(subject, asked, has)
    carried = [one for one in bag.carried.values() if one.mod != OVERLAY]
    return Plan(
        sum(one.archive.size for one in bag.carried.values()),
        len(carried),
        tuple(_outside(one.build, one.why, subject) for one in bag.left),
    )


def _bag(subject: _Subject, asked: Asked, has: Collection[str]) -> Bag:
    charters = all_charters(subject.pack.crew)
    game = profile_for_others(subject.pack.game, str(subject.recipe.lock.base.version))
    return make_bag(subject.recipe, subject.signed, charters, subject.sources, has, asked.wanted, game)


def _why_outside(build: LockedBuild, asked: Asked) -> str:
    if not asked.builds:
        return "Only lists and scripts were wanted."
    said = meaning(build.licence)
    return "It does not lie where this was made." if said.may_be_carried else said.sentence


def _outside(build: LockedBuild, why: str, subject: _Subject) -> Outside:
    address = next(iter(open_addresses(build, subject.sources)), "")
    return Outside(build.name, build.version, why, address, build.archive.size)


@transaction.atomic
def ask(user: User, pack_id: UUID, number: str, asked: Asked) -> Packing:
    """Has a worker make the file. Raises NotFound, TooLarge."""
    pack = pack_for(user, pack_id, Action.SEE)
    if not number:
        pack_for(user, pack_id, Action.EDIT)
    Pack.objects.select_for_update().get(pk=pack.pk)
    subject = _subject(pack, number)
    planned = _plan(subject, asked, _to_be_had(subject, asked))
    most = SiteRules.now().crew_mb * CHUNK
    if planned.inside > most:
        raise TooLarge(
            f"The file would be larger than {most // CHUNK} MB.",
            "Nothing larger is made here.",
            "Take the release alone: whoever opens it fetches the rest.",
        )
    for old in pack.packings.all()[MOST_KEPT - 1 :]:
        _forget(old)
    made = Packing.objects.create(
        pack=pack,
        release=subject.release,
        by=user,
        asked=asked.as_data(),
        name=_file_name(subject, asked),
        total=planned.inside,
    )
    app.configure_task(TASK, lock=f"packing-{made.pk}").defer(packing=str(made.pk))
    return made


def _file_name(subject: _Subject, asked: Asked) -> str:
    name = subject.pack.name.lower()
    plain = "".join(one if one.isascii() and (one.isalnum() or one in ".-") else "-" for one in name)
    parts = [plain.strip("-.") or "pack", subject.recipe.number if subject.release else "draft"]
    parts += [f"{asked.share_side}-share"] if asked.form is Shape.SHARE else []
    return f"{'-'.join(parts)[:110]}.zip"


def packings(user: User, pack_id: UUID) -> QuerySet[Packing]:
    return pack_for(user, pack_id, Action.SEE).packings.select_related("release", "by")


def packing(user: User, pack_id: UUID, packing_id: UUID) -> Packing:
    found = packings(user, pack_id).filter(pk=packing_id).first()
    if found is None:
        raise NotFound("This file is not here any more.", "Files of packs are kept for a day.", "Have it made again.")
    return found


def made(user: User, pack_id: UUID, packing_id: UUID) -> Packing:
    """One that can be fetched. A draft's is for those who work on it. Raises NotFound."""
    found = packing(user, pack_id, packing_id)
    if found.release is None:
        pack_for(user, pack_id, Action.EDIT)
    if found.state != MakingState.DONE:
        raise NotFound("This file is not made yet.")
    return found


@transaction.atomic
def stop(user: User, pack_id: UUID, packing_id: UUID) -> None:
    """Stops one that is being made; forgets one that is made."""
    found = packing(user, pack_id, packing_id)
    if found.state in (MakingState.WAITS, MakingState.WORKING):
        Packing.objects.filter(pk=found.pk).update(stop=True)
        Packing.objects.filter(pk=found.pk, state=MakingState.WAITS).update(state=MakingState.STOPPED)
    else:
        _forget(found)


def _forget(one: Packing) -> None:
    place = one.place
    one.delete()
    transaction.on_commit(lambda: _forget_file(place))


def _forget_file(place: str) -> None:
    with suppress(FileNotFoundError):
        kept_files.forget(place)


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
    subject = _subject(one.pack, one.release.number if one.release else "")
    if shutil.disk_usage(folder).free < 2 * one.total + SPARE_BYTES:
        raise StorageAway("There is no room for the file on the site's disk.", now="Tell the site's keeper.")
    follow = _Follow(one)
    has = _fetched(subject, asked, folder, follow)
    kept = _kept(one.pack, [build.archive.sha256 for build in subject.recipe.lock.builds])

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
            left = [_outside(build, _why_outside(build, asked), subject) for build in share.left]
        else:
            bag = _bag(subject, asked, has)
            write_bag(bag, archive, out, follow.wrote)
            left = [_outside(each.build, each.why, subject) for each in bag.left]
    _keep(one, result, left)


def _fetched(subject: _Subject, asked: Asked, folder: Path, follow: "_Follow") -> set[str]:
    """Fetches what is wanted and does not lie here; gives what is there in the end. A source that is away keeps only
    its own builds out.
    """
    wanted = _to_be_had(subject, asked)
    kept = set(_kept(subject.pack, wanted))
    has = {sha256 for sha256 in kept if kept_files.is_kept(f"own/{subject.pack.crew_id}/{sha256}")}
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
            _forget_file(one.place)
            raise Stopped("It was stopped.")
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
            raise Stopped("It was stopped.")


def forget_old_packings() -> int:
    """Files that nobody fetches any more; gives how many."""
    old = Packing.objects.filter(at__lt=timezone.now() - KEPT)
    for one in old:
        with transaction.atomic():
            _forget(one)
    return len(old)
