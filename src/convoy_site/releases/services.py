"""What is done with releases: published, promoted, withdrawn."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from convoy_core.checks import Severity
from convoy_core.checks.playthroughs import PLAYTHROUGH, said_of
from convoy_core.checks.unreviewed import CHECK as UNREVIEWED
from convoy_core.handing_out.announcement import announcement
from convoy_core.lock.lock import Lock
from convoy_core.lock.playthroughs import breaches
from convoy_core.lock.recipe import Despite, Recipe, ReleaseChannel
from convoy_core.lock.suits import read_suits
from convoy_core.lock.whole_log import whole_log
from convoy_core.machine.memory import Needed
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import ConvoyError
from convoy_core.words.versions import parse_version

from ..packs import checking, draft_layers, own_files
from ..packs.models import Draft, Pack
from ..packs.services import Stale, pack_for
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import User
from ..people.rights import Action, NotFound
from .lookup import newest_release, recipe_of, release_before, release_numbered, releases_of
from .models import Release, Withdrawal
from .pending import is_same
from .seals import checked_hour, closed, people_of
from .statements import restate
from .waiting import put_forward


class NumberTaken(ConvoyError):
    code = "number-taken"


class Blocked(ConvoyError):
    """The draft cannot be published as it is."""

    code = "blocked"


@transaction.atomic
def withdraw_release(user: User, pack_id: UUID, number: str, why: str) -> None:
    """Nobody is to install this release any more. It stays in the list, with the reason, and on machines that have it
    until they sync.
    """
    pack = pack_for(user, pack_id, Action.PUBLISH)
    release = release_numbered(pack, number)
    _, is_new = Withdrawal.objects.get_or_create(release=release, defaults={"by": user, "why": why})
    if is_new:
        restate(pack)
        audit.note(user, f"withdrew {pack.name} {number}: {why}", pack.crew)
        tell(Happened.WITHDRAWAL, pack.crew, user, pack.pk, name=pack.name, number=number, why=why)


@transaction.atomic
def publish(
    user: User,
    pack_id: UUID,
    revision: int,
    number: str,
    channel: str,
    notes: str,
    despite: str = "",
    announced: str = "",
    sealed_until: datetime | None = None,
    let_in: Sequence[str] = (),
) -> Release | None:
    """Fixes the draft as a release: composed, signed, kept. None where it waits for signatures that the site cannot
    give (`waiting`). `despite`: why it is published though blockers stand; the release carries it. `announced`: the
    announcement as its curator has it; one is written where there is none. `sealed_until`: until when nobody but its
    curators, and those who are `let_in` by name, are shown what is in it. Raises Stale when the draft moved on since it
    was shown, Blocked, NoSeal.
    """
    pack = pack_for(user, pack_id, Action.PUBLISH)
    draft = Draft.objects.select_for_update().get(pack=pack)
    draft.pack = pack
    if draft.revision != revision:
        raise Stale(
            "The draft has changed since you looked.",
            "A release fixes exactly what its publisher saw.",
            "Look at the changes again, then publish.",
            revision=draft.revision,
        )
    _check_number(pack, number)
    over = _over_blockers(draft, despite, channel)
    lock = draft_layers.lock_of(draft)
    own_files.keep_archive(user, draft)
    said = f" over {len(over)} blockers: {despite}" if over else ""
    audit.note(user, f"published {pack.name} {number}, {channel}{said}", pack.crew)
    needed = draft_layers.needed_by_draft(draft)
    seal = None
    if sealed_until is not None:
        hour = checked_hour(sealed_until).astimezone(UTC)
        seal = (hour.isoformat(timespec="seconds"), people_of(pack.crew, let_in))
    return _sign(user, pack, number, channel, notes, lock, needed, draft.revision, over, announced, seal)


@transaction.atomic
def promote(user: User, pack_id: UUID, trial: str, number: str, notes: str, despite: str = "") -> Release | None:
    """Makes a trial release stable: its very lock under a number of its own, signed anew, told against the last stable.
    `despite`: why, though a playthrough forbids something of it. Raises NotFound, Blocked, NumberTaken.
    """
    pack = pack_for(user, pack_id, Action.PUBLISH)
    # Whoever publishes meanwhile waits: numbers go up one by one.
    draft = Draft.objects.select_for_update().get(pack=pack)
    found = releases_of(pack).select_related("withdrawal").filter(number=trial).first()
    if found is None:
        raise NotFound(f"{pack.name} has no release {trial}.")
    if found.channel != ReleaseChannel.TRIAL:
        raise Blocked(f"Release {trial} is stable already.")
    if found.is_withdrawn:
        raise Blocked(f"Release {trial} was withdrawn.", found.withdrawal.why, "Publish the draft instead.")
    if closed(pack).filter(release=found).exists():
        raise Blocked(f"Release {trial} is sealed.", "What is in it is told at its hour.", "Promote it then.")
    _check_number(pack, number)
    recipe = recipe_of(found.pk)
    forbidden = [
        said_of(one.name, breach.what)
        for one in checking.ASKED.playing(pack)
        for breach in breaches(one.rule, one.now, recipe.lock)
    ]
    if forbidden and not despite:
        raise Blocked(
            "A playthrough stands in the way." if len(forbidden) == 1 else f"{len(forbidden)} changes are forbidden.",
            " ".join(forbidden[:3]),
            "End the playthrough, or say why you publish all the same.",
        )
    over = (*recipe.despite, *(Despite(one, despite) for one in forbidden))
    words = notes or found.notes
    stable = ReleaseChannel.STABLE
    return _sign(user, pack, number, stable, words, recipe.lock, recipe.needed, draft.revision, over)


def _sign(
    user: User,
    pack: Pack,
    number: str,
    channel: str,
    notes: str,
    lock: Lock,
    needed: Needed,
    draft_revision: int,
    despite: tuple[Despite, ...],
    announced: str = "",
    seal: tuple[str, list[User]] | None = None,
) -> Release | None:
    """A lock as a release of a channel, unless the channel has exactly that already. Raises Blocked. None: it waits."""
    before = release_before(pack, channel)
    earlier = recipe_of(before.pk) if before else None
    said = earlier.lock if earlier else None
    if before and said and is_same(said, lock):
        raise Blocked(f"Release {before.number} holds exactly this.", now="Change the draft first.")
    _refuse_unsealed(pack, seal[0] if seal else "")
    recipe = as_recipe(pack, number, channel, notes, lock, needed, earlier, despite)
    text = announced.strip() or announce(pack, before, recipe)
    if seal is None:
        return put_forward(pack, recipe, user, draft_revision, text)
    until, people = seal
    return put_forward(
        pack, replace(recipe, sealed_until=until), user, draft_revision, text, [one.pk for one in people]
    )


def _refuse_unsealed(pack: Pack, until: str) -> None:
    """What comes out while another release is sealed would tell of it by its change log. Raises Blocked."""
    last = closed(pack).order_by("-until").first()
    if last is not None and (not until or datetime.fromisoformat(until) < last.until):
        raise Blocked(
            f"Release {last.release.number} is sealed.",
            "The next one's change log would tell of it.",
            f"Seal this one, too, until {last.until:%Y-%m-%d %H:%M} UTC or later; or wait.",
        )


def as_recipe(
    pack: Pack,
    number: str,
    channel: str,
    notes: str,
    lock: Lock,
    needed: Needed,
    earlier: Recipe | None,
    despite: tuple[Despite, ...] = (),
) -> Recipe:
    """A release of now; `earlier`: what its change log is told against."""
    made = Recipe(
        pack=str(pack.id),
        pack_name=pack.name,
        number=number,
        channel=channel,
        published_at=timezone.now().isoformat(timespec="seconds"),
        notes=notes,
        lock=lock,
        needed=needed,
        despite=despite,
        suits=read_suits(Fields(pack.suits)) if pack.is_collection else None,
    )
    return replace(made, changes=whole_log(earlier, made))


def announce(pack: Pack, before: Release | None, recipe: Recipe) -> str:
    """The announcement as the product writes it, for those who follow `before`."""
    bases = (before.base_text if before else "", pack.game.profile.base_in_words(recipe.lock.base))
    address = f"{settings.ADDRESS}/packs/{pack.pk}/releases/{recipe.number}"
    return announcement(recipe_of(before.pk) if before else None, recipe, bases, address)


def _check_number(pack: Pack, number: str) -> None:
    newest = newest_release(pack)
    if pack.releases.filter(number=number).exists():
        raise NumberTaken(
            f"Release {number} exists already.", "A release never changes.", "Choose a higher number.", field="number"
        )
    if newest and parse_version(number) <= parse_version(newest.number):
        raise NumberTaken(
            f"{number} is not above {newest.number}, the newest release.",
            "Members follow the highest number.",
            "Choose a higher number.",
            field="number",
        )


def _over_blockers(draft: Draft, despite: str, channel: str) -> tuple[Despite, ...]:
    """The blockers that the draft is published over, with why; those that are laid down have their reason already.
    Raises Blocked where some stand and nobody says why. A release for trial changes no world that is being played: only
    those have it who chose to.
    """
    found = [one for one in checking.findings(draft) if one.severity is Severity.BLOCKER]
    if channel == ReleaseChannel.TRIAL:
        found = [one for one in found if one.check != PLAYTHROUGH]
    if unlooked := [one for one in found if one.check == UNREVIEWED]:
        raise Blocked(
            f"{len(unlooked)} claims wait for a second curator." if len(unlooked) > 1 else unlooked[0].what,
            "This crew asks for that before they enter a release, and no reason stands in for it.",
            "See Check.",
        )
    laid = {one.id: told["because"] for one in found if (told := checking.laid_down(draft, one))}
    blockers = [one for one in found if one.id not in laid]
    if blockers and not despite:
        raise Blocked(
            f"{len(blockers)} blockers stand in the way." if len(blockers) > 1 else "A blocker stands in the way.",
            " ".join(one.what for one in blockers[:3]),
            "See Check, or say why you publish all the same.",
        )
    if not draft.picks:
        raise Blocked("The draft is empty.", "A release without mods helps nobody.", "Add a mod first.")
    return tuple(Despite(one.what, laid.get(one.id, despite)) for one in found)
