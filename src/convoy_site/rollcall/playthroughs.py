"""Playthroughs: opened from a release and a world, with milestones at which worlds are backed up, and ended."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from convoy_core.lock.playthroughs import Rule, breaches
from convoy_core.lock.recipe import Despite
from convoy_core.words.errors import ConvoyError, NameTaken
from convoy_core.words.versions import parse_version

from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..installations import stand_ins
from ..installations.models import Installation
from ..packs import draft_layers
from ..packs.models import Draft, Pack
from ..packs.services import edit_draft, pack_for
from ..packs.shapes.edits import TakeBuild
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import User
from ..people.rights import Action, NotFound
from ..releases.lookup import current_release, release_numbered
from ..releases.models import Milestone, Playthrough, Release
from ..releases.playing import MOST_MILESTONES, exceptions_of, playing
from ..releases.seals import hidden_from

MOST_OPEN = 5
MOST_TRIED = 12
"""Builds of one mod that are tried, newest first."""


class NoPlaythrough(ConvoyError):
    """One that has ended, or cannot begin."""

    code = "no-playthrough"


@dataclass(frozen=True)
class Shown:
    """A playthrough with what was changed against its rule, and by milestone how many installations backed it up."""

    playthrough: Playthrough
    exceptions: Sequence[tuple[str, Despite]]
    milestones: Sequence[tuple[Milestone, int]]


def of_pack(user: User, pack: Pack) -> list[Shown]:
    """Those that are open first, each by its beginning; without what is in releases that are sealed for this reader."""
    rows = list(pack.playthroughs.select_related("begun", "last", "by", "pack").prefetch_related("milestones__by"))
    if not rows:
        return []
    told = Installation.objects.aboard().filter(pack=pack).values_list("about__backups", flat=True)
    backups = [{str(one.get("why", "")) for one in found or ()} for found in told]
    hidden = hidden_from(user, [pack.pk])
    rows.sort(key=lambda one: one.ended_at is not None)
    return [
        Shown(
            one,
            exceptions_of(one, hidden),
            [(each, sum(called(one, each) in found for found in backups)) for each in one.milestones.all()],
        )
        for one in rows
    ]


def last_number(one: Playthrough, current: Release | None) -> str:
    """The release that it is at, or ended with."""
    if one.last:
        return one.last.number
    return current.number if current else one.begun.number


def called(one: Playthrough, milestone: Milestone) -> str:
    milestone.playthrough = one
    return milestone.called


def worlds_known(user: User, pack: Pack) -> list[str]:
    """Worlds that one may know of: on one's own machines, and on the server."""
    rows = Installation.objects.aboard().filter(pack=pack)
    seen = [*rows.filter(member=user), *rows.filter(side="server")]
    return sorted({row["world"].rpartition("/")[2] for one in seen for row in one.about.get("worlds", ())})


@transaction.atomic
def open_playthrough(
    user: User, pack_id: UUID, name: str, world: str, rule: Rule, release: str, note: str
) -> Playthrough:
    """Raises NameTaken, NotFound, and NoPlaythrough where too many are open."""
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    if pack.is_collection:
        raise NoPlaythrough("A collection is not played.", "It is laid under packs.", "Open it in the pack.")
    begun = release_numbered(pack, release)
    if begun.is_withdrawn:
        raise NoPlaythrough(f"Release {release} was withdrawn.", begun.withdrawal.why, "Begin with another.")
    # Whoever publishes meanwhile waits, and sees it.
    Draft.objects.select_for_update().get(pack=pack)
    if pack.playthroughs.filter(ended_at=None).count() >= MOST_OPEN:
        raise NoPlaythrough(f"{MOST_OPEN} playthroughs are open already.", now="End one first.")
    try:
        with transaction.atomic():
            made = Playthrough.objects.create(
                pack=pack, name=name, world=world, rule=rule, note=note, begun=begun, by=user
            )
    except IntegrityError as error:
        raise NameTaken(
            f"{pack.name} has a playthrough “{name}” already.", now="Choose another name.", field="name"
        ) from error
    audit.note(user, f"opened the playthrough {name} of {pack.name} {release}: {rule}", pack.crew)
    about = {"name": pack.name, "playthrough": name, "world": world, "number": release}
    tell(Happened.PLAYTHROUGH_OPENED, pack.crew, user, pack.pk, **about)
    return made


@transaction.atomic
def end_playthrough(user: User, pack_id: UUID, playthrough_id: UUID, because: str) -> None:
    """It is kept, with its releases; nothing is forbidden any more."""
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    one = _open_one(pack, playthrough_id)
    one.ended_at, one.ended_because, one.last = timezone.now(), because, current_release(pack) or one.begun
    one.save(update_fields=["ended_at", "ended_because", "last"])
    audit.note(user, f"ended the playthrough {one.name} of {pack.name}: {because}", pack.crew)
    tell(Happened.PLAYTHROUGH_ENDED, pack.crew, user, pack.pk, name=pack.name, playthrough=one.name, why=because)


@transaction.atomic
def reach_milestone(user: User, pack_id: UUID, playthrough_id: UUID, name: str) -> None:
    """Everybody's agent backs worlds up by its name, at once where it watches, else at its next visit."""
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    one = _open_one(pack, playthrough_id)
    if one.milestones.count() >= MOST_MILESTONES:
        raise NoPlaythrough(f"{one.name} has {MOST_MILESTONES} milestones already.", "Each is a backup of its own.")
    Milestone.objects.create(playthrough=one, name=name, by=user)
    aboard = Installation.objects.aboard().filter(pack=pack, by_listing=False)
    found = list(aboard.select_related("machine"))
    Installation.objects.filter(pk__in=[each.pk for each in found]).update(
        called_at=timezone.now(), orders=F("orders") + 1
    )
    for each in found:
        if each.machine_id and each.release_id:
            stand_ins.send_agent(each, only_look=True)
    tell(Happened.MILESTONE, pack.crew, user, pack.pk, name=pack.name, playthrough=one.name, milestone=name)


def _open_one(pack: Pack, playthrough_id: UUID) -> Playthrough:
    """Locked. Raises NotFound, NoPlaythrough."""
    one = pack.playthroughs.select_for_update().filter(pk=playthrough_id).first()
    if one is None:
        raise NotFound("This playthrough does not exist.")
    if one.ended_at:
        raise NoPlaythrough(f"{one.name} has ended.", one.ended_because, "Open another one.")
    return one


@dataclass(frozen=True)
class Keeps:
    """The newest build of a mod that open playthroughs leave to be taken. `version` empty: there is none but the one
    that is there. `passed`: newer ones, each with what forbids it.
    """

    version: str
    now: str
    passed: Sequence[tuple[str, str]]


def last_that_keeps(user: User, pack_id: UUID, mod: str) -> Keeps:
    """Tries the builds of a mod, newest first, each with all that it brings and moves. Raises NotFound and
    NoPlaythrough.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    if not playing(pack):
        raise NoPlaythrough("Nothing is being played with this pack.", now="Open a playthrough first.")
    now = pack.draft.picks.get(mod)
    if now is None:
        raise NotFound("This mod has no build in the draft.", now="Add it first.")
    rows = Build.objects.filter(mod__in=shelf(pack), mod__slug=mod, gone=False, refused="")
    versions = sorted({row.version for row in rows.only("version")}, key=parse_version, reverse=True)
    stands = set(_forbidden(pack, pack.draft))
    passed: list[tuple[str, str]] = []
    for version in [one for one in versions if parse_version(one) > parse_version(now)][:MOST_TRIED]:
        found = _why_not(user, pack, stands, TakeBuild(do="take", mod=mod, version=version))
        if not found:
            return Keeps(version, now, passed)
        passed.append((version, found))
    return Keeps("", now, passed)


def _forbidden(pack: Pack, draft: Draft) -> list[str]:
    """What open playthroughs forbid of a draft."""
    lock = draft_layers.lock_of(draft)
    return [breach.what for one in playing(pack) for breach in breaches(one.rule, one.now, lock)]


def _why_not(user: User, pack: Pack, stands: set[str], edit: TakeBuild) -> str:
    """What stands against a build that does not stand already (`stands`): a playthrough, or that it does not come in at
    all; empty where nothing does.
    """
    seen: list[str] = []
    try:
        outcome = edit_draft(
            user,
            pack.pk,
            pack.draft.revision,
            [edit],
            rehearse=True,
            look=lambda draft: seen.extend(_forbidden(pack, draft)),
        )
    except ConvoyError as error:
        return error.sentence()
    fresh = next((what for what in seen if what not in stands), "")
    came = next((one.after for one in outcome.changes if one.mod == edit.mod), "")
    return fresh or ("" if came == edit.version else "It does not go together with the rest.")
