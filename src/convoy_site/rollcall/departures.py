"""Departures: a date to play, the release that it needs, who is coming, and how ready they are."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.change_log import Change, changes
from convoy_core.sync.standing import State
from convoy_core.sync.starts import StartState
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side

from ..installations.models import Coming, Departure
from ..installations.standings import Stood
from ..installations.starts import start_for
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.events import Happened, tell
from ..people.models import User
from ..people.rights import Action, NotFound
from ..releases.lookup import recipe_of, releases_of
from ..releases.models import Release, open_ones

SHOWN_FOR = timedelta(hours=12)
"""A departure stays on the page through its own evening."""

MOST = 20
"""Open departures of one pack."""


class NoDeparture(ConvoyError):
    code = "no-departure"


@dataclass(frozen=True)
class Ready:
    """`ready` of `coming` who have what the departure needs; `waiting`: names of those who do not, with what to do."""

    coming: tuple[str, ...]
    absent: tuple[str, ...]
    silent: tuple[str, ...]
    ready: int
    waiting: tuple[tuple[str, str], ...]


def coming_up(pack: Pack) -> list[Departure]:
    found = pack.departures.filter(called_off=False, at__gt=timezone.now() - SHOWN_FOR)
    return list(found.select_related("release__withdrawal", "set_by").prefetch_related("answers__user")[:MOST])


@transaction.atomic
def set_departure(user: User, pack_id: UUID, at: datetime, release: str, note: str) -> Departure:
    """Raises NoDeparture for a date that has passed or a release that nobody can have."""
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    found = _sensible(pack, at, release)
    if len(coming_up(pack)) >= MOST:
        raise NoDeparture(f"There are {MOST} departures already.", now="Call one off first.")
    made = Departure.objects.create(pack=pack, at=at, release=found, note=note, set_by=user)
    Coming.objects.create(departure=made, user=user, comes=True)
    _tell(Happened.DEPARTURE_SET, user, pack, made)
    return made


@transaction.atomic
def move_departure(user: User, pack_id: UUID, departure_id: UUID, at: datetime, release: str, note: str) -> None:
    """Another date, release or note. Answers were to the old date: where that moves, only its mover's stays."""
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    departure = _open_one(pack, departure_id)
    found = _sensible(pack, at, release)
    was = departure.at
    departure.at, departure.release, departure.note = at, found, note
    departure.save(update_fields=["at", "release", "note"])
    if was != at:
        departure.answers.exclude(user=user).delete()
        _tell(Happened.DEPARTURE_MOVED, user, pack, departure, was=was.isoformat())


@transaction.atomic
def call_off(user: User, pack_id: UUID, departure_id: UUID) -> None:
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    departure = _open_one(pack, departure_id)
    departure.called_off = True
    departure.save(update_fields=["called_off"])
    _tell(Happened.DEPARTURE_OFF, user, pack, departure)


def _open_one(pack: Pack, departure_id: UUID) -> Departure:
    """Locked. Raises NotFound."""
    found = pack.departures.select_for_update().filter(pk=departure_id, called_off=False).first()
    if found is None:
        raise NotFound("This departure does not exist, or was called off.")
    return found


def _sensible(pack: Pack, at: datetime, release: str) -> Release | None:
    if at <= timezone.now():
        raise NoDeparture("This moment has passed.", now="Choose a later one.", field="at")
    if not release:
        return None
    found = releases_of(pack).filter(open_ones(trial=True), number=release).first()
    if found is None:
        raise NoDeparture(f"{pack.name} has no open release {release}.", now="Choose another.", field="release")
    return found


def _tell(what: Happened, user: User, pack: Pack, one: Departure, **more: str) -> None:
    number = one.release.number if one.release else ""
    at = one.at.isoformat()
    tell(
        what,
        pack.crew,
        user,
        pack.pk,
        name=pack.name,
        departure=str(one.pk),
        at=at,
        number=number,
        note=one.note,
        **more,
    )


def answer(user: User, pack_id: UUID, departure_id: UUID, comes: bool) -> None:
    pack = pack_for(user, pack_id, Action.SEE)
    with transaction.atomic():
        found = _open_one(pack, departure_id)
        Coming.objects.update_or_create(departure=found, user=user, defaults={"comes": comes})


def needed_release(departure: Departure, newest: Release | None) -> Release | None:
    """The one that was chosen, while it is open; else the newest."""
    chosen = departure.release
    return newest if chosen is None or not chosen.is_open(trial=True) else chosen


def readiness(departure: Departure, newest: Release | None, stood: Sequence[Stood], crew: Sequence[User]) -> Ready:
    """A person is ready with one installation that has the release and does not differ; the server is always asked."""
    wanted = needed_release(departure, newest)
    answers = {one.user_id: one.comes for one in departure.answers.all()}
    coming = [user for user in crew if answers.get(user.pk)]
    to_do = still_to_do(departure, newest, stood, coming)
    waiting = [(user.shown, to_do[user.pk]) for user in coming if user.pk in to_do]
    for one in stood:
        if one.installation.side == "server" and not _is_ready(one, wanted):
            waiting.append((one.installation.name, _to_do(one, wanted)))
    return Ready(
        tuple(user.shown for user in coming),
        tuple(user.shown for user in crew if answers.get(user.pk) is False),
        tuple(user.shown for user in crew if user.pk not in answers),
        len(coming) - len(to_do),
        tuple(waiting),
    )


def still_to_do(
    departure: Departure, newest: Release | None, stood: Sequence[Stood], people: Iterable[User]
) -> dict[int, str]:
    """What each of these people has to do before a departure, by their key; nothing for those who are ready."""
    wanted = needed_release(departure, newest)
    best: dict[int, Stood] = {}
    for one in stood:
        if one.installation.side != "server":
            kept = best.get(one.installation.member_id)
            if kept is None or (_is_ready(one, wanted) and not _is_ready(kept, wanted)):
                best[one.installation.member_id] = one
    mine = ((user.pk, best.get(user.pk)) for user in people)
    return {pk: _to_do(one, wanted) for pk, one in mine if not (one and _is_ready(one, wanted))}


@dataclass(frozen=True)
class Started:
    """`right`: with what the departure needs, and nothing differed."""

    who: str
    state: StartState
    release: str
    right: bool
    began: datetime


def started(departure: Departure, newest: Release | None, stood: Sequence[Stood]) -> list[Started]:
    """Who has started the game for a departure, the first first; servers, too."""
    wanted = needed_release(departure, newest)
    found = []
    for one in stood:
        if told := start_for(one.installation, departure):
            right = wanted is not None and told["in_step"] and told["sha256"] == wanted.sha256
            who = one.installation.name if one.installation.side == Side.SERVER else one.installation.member.shown
            began = datetime.fromisoformat(told["began"])
            found.append(Started(who, StartState(told["state"]), told["release"], right, began))
    return sorted(found, key=lambda one: (one.began, one.who))


def _is_ready(one: Stood, wanted: Release | None) -> bool:
    if wanted is None or one.installation.release_id != wanted.pk:
        return False
    # Behind the newest is right where the departure asks for an earlier release; what else keeps one back still does.
    return one.standing.state in (State.IN_STEP, State.BEHIND) and not any(
        each.counts for each in one.standing.differences
    )


def _to_do(one: Stood | None, wanted: Release | None) -> str:
    if wanted is None:
        return "Waits for a release: none is open."
    if one is None:
        return "Has no installation yet: hand out a join code."
    if one.current and wanted.pk != one.current.pk and one.installation.release_id != wanted.pk:
        trial = not wanted.is_open(one.installation.trial)
        return f"{'Follow trial releases, then go' if trial else 'Go'} to release {wanted.number}."
    return one.standing.to_do


def since_last_time(
    departure: Departure, newest: Release | None, hidden: Collection[int] = ()
) -> tuple[str, tuple[Change, ...]]:
    """What changed since the last evening: its release's number, and the change log from it to what is needed now.
    `hidden`: releases of which the reader is not shown what is in them.
    """
    wanted = needed_release(departure, newest)
    before = (
        Departure.objects.filter(pack=departure.pack, called_off=False, at__lt=departure.at)
        .select_related("release")
        .order_by("-at")
        .first()
    )
    if before is None or wanted is None:
        return "", ()
    played = before.release or releases_of(departure.pack).filter(published_at__lte=before.at).first()
    if played is None or {played.pk, wanted.pk} & set(hidden):
        return "", ()
    return played.number, changes(recipe_of(played.pk).lock, recipe_of(wanted.pk).lock).mods
