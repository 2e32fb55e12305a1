"""A release, or the draft, as a file: judged while somebody chooses, asked for, and kept for a day (`making` makes it).

What a licence does not let others hand out stays outside, with the reason.
"""

import io
from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum
from pathlib import Path
from typing import Any
from uuid import UUID

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
from convoy_core.words.licences import meaning
from convoy_core.words.model import Side
from convoy_io.bags import write_bag

from ... import kept_files
from ...catalogue.games import profile_for_others
from ...catalogue.models import OwnFile
from ...catalogue.services import addresses
from ...packs import draft_layers
from ...packs.models import Pack
from ...packs.services import pack_for
from ...people.models import SiteRules, User
from ...people.rights import MAY, Action, NotFound, role_in
from ...receiving import CHUNK, TooLarge
from ..charters import all_charters, signatures_of
from ..handing_out import plain_name
from ..lookup import current_release, recipe_of, release_numbered
from ..models import MakingState, Packing, Release
from ..seals import hidden_from, refuse_hidden
from ..services import as_recipe

TASK = "convoy_site.releases.tasks.pack_up"
KEPT = timedelta(days=1)
MOST_KEPT = 4
"""Files of one pack at a time: an older one gives way."""


class Shape(StrEnum):
    """A bag is the pack for another crew, another site, or for later; a share is laid down as it is."""

    BAG = "bag"
    SHARE = "share"


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
class Subject:
    """What is packed: a release as it was signed, or the draft, which nobody signed."""

    pack: Pack
    recipe: Recipe
    signed: Signed
    release: Release | None
    sources: dict[str, str]


def plan(user: User, pack_id: UUID, number: str, asked: Asked) -> Plan:
    """What would be inside, and what not. `number` empty: the draft. Nothing is fetched. Raises NotFound."""
    pack = _packed(user, pack_id, number)
    subject = subject_of(pack, number)
    return plan_of(subject, asked, to_be_had(subject, asked))


def _packed(user: User, pack_id: UUID, number: str) -> Pack:
    """A pack of which one may have a release, or the draft (no number), as a file. Raises as `pack_for`, and Sealed."""
    pack = pack_for(user, pack_id, Action.SEE if number else Action.SEE_DRAFT)
    if number:
        refuse_hidden(user, pack, [release_numbered(pack, number)])
    return pack


def subject_of(pack: Pack, number: str) -> Subject:
    sources = {name: at for name, at in addresses(pack.game_id, pack.crew_id).items() if "://" in at}
    if number:
        release = release_numbered(pack, number)
        return Subject(pack, recipe_of(release.pk), signatures_of(release), release, sources)
    before = current_release(pack)
    recipe = as_recipe(
        pack,
        f"0.0.0-draft.{pack.draft.revision}",
        ReleaseChannel.TRIAL,
        pack.notes,
        draft_layers.lock_of(pack.draft),
        draft_layers.needed_by_draft(pack.draft),
        recipe_of(before.pk) if before else None,
    )
    return Subject(pack, recipe, Signed(recipe.as_bytes(), ()), None, sources)


def to_be_had(subject: Subject, asked: Asked) -> set[str]:
    """Archives that lie here, or that their sources give to any program: nothing is fetched that may not travel."""
    builds = [one for one in subject.recipe.lock.builds if asked.side is Side.BOTH or one.side.goes_to(asked.side)]
    here = set(kept_of(subject.pack, [one.archive.sha256 for one in builds]))
    return here | {
        one.archive.sha256
        for one in builds
        if asked.builds and meaning(one.licence).may_be_carried and open_addresses(one, subject.sources)
    }


def kept_of(pack: Pack, hashes: Collection[str]) -> dict[str, OwnFile]:
    return {one.sha256: one for one in OwnFile.objects.filter(crew=pack.crew_id, sha256__in=hashes).defer("files")}


def plan_of(subject: Subject, asked: Asked, has: Collection[str]) -> Plan:
    if asked.form is Shape.SHARE:
        share = make_share(subject.recipe, asked.share_side, subject.sources, has if asked.builds else ())
        outside = tuple(outside_of(one, why_outside(one, asked), subject) for one in share.left)
        return Plan(sum(one.size for one in share.placed), len(share.carried), outside)
    bag = bag_of(subject, asked, has)
    carried = [one for one in bag.carried.values() if one.mod != OVERLAY]
    return Plan(
        sum(one.archive.size for one in bag.carried.values()),
        len(carried),
        tuple(outside_of(one.build, one.why, subject) for one in bag.left),
    )


def bag_of(subject: Subject, asked: Asked, has: Collection[str]) -> Bag:
    charters = all_charters(subject.pack.crew)
    game = profile_for_others(subject.pack.game, str(subject.recipe.lock.base.version))
    return make_bag(subject.recipe, subject.signed, charters, subject.sources, has, asked.wanted, game)


def release_alone(pack: Pack, release: Release) -> bytes:
    """A release as a signed file without any build: small, whatever the pack."""
    subject, into = subject_of(pack, release.number), io.BytesIO()
    write_bag(bag_of(subject, Asked(Shape.BAG, builds=False, own=False), ()), Path, into)
    return into.getvalue()


def why_outside(build: LockedBuild, asked: Asked) -> str:
    if not asked.builds:
        return "Only lists and scripts were wanted."
    said = meaning(build.licence)
    return "It does not lie where this was made." if said.may_be_carried else said.sentence


def outside_of(build: LockedBuild, why: str, subject: Subject) -> Outside:
    address = next(iter(open_addresses(build, subject.sources)), "")
    return Outside(build.name, build.version, why, address, build.archive.size)


@transaction.atomic
def ask(user: User, pack_id: UUID, number: str, asked: Asked) -> Packing:
    """Has a worker make the file. Raises NotFound, TooLarge."""
    pack = _packed(user, pack_id, number)
    if not number:
        pack_for(user, pack_id, Action.EDIT)
    Pack.objects.select_for_update().get(pk=pack.pk)
    subject = subject_of(pack, number)
    planned = plan_of(subject, asked, to_be_had(subject, asked))
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


def _file_name(subject: Subject, asked: Asked) -> str:
    parts = [plain_name(subject.pack.name), subject.recipe.number if subject.release else "draft"]
    parts += [f"{asked.share_side}-share"] if asked.form is Shape.SHARE else []
    return f"{'-'.join(parts)[:110]}.zip"


def packings(user: User, pack_id: UUID) -> QuerySet[Packing]:
    """But for those of which one is not shown what is in them."""
    pack = pack_for(user, pack_id, Action.SEE)
    found = pack.packings.exclude(release__in=hidden_from(user, [pack.pk])).select_related("release", "by")
    curates = role_in(user, pack.crew_id) in MAY[Action.EDIT]
    return found if curates or not pack.draft.is_kept else found.exclude(release=None)


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
    transaction.on_commit(lambda: forget_file(place))


def forget_file(place: str) -> None:
    with suppress(FileNotFoundError):
        kept_files.forget(place)


def forget_old_packings() -> int:
    """Files that nobody fetches any more; gives how many."""
    old = Packing.objects.filter(at__lt=timezone.now() - KEPT)
    for one in old:
        with transaction.atomic():
            _forget(one)
    return len(old)
