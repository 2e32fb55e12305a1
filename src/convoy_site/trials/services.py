"""Trials as people ask for them: queued, stopped, listed, and their logs read."""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import Avg, F, QuerySet
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_core.lock.canonical import canonical_json, sha256_hex
from convoy_core.lock.lock import Lock
from convoy_core.lock.lock_json import as_data
from convoy_core.words.errors import ConvoyError

from .. import kept_files
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.models import User
from ..people.rights import Action, NotFound
from ..releases.as_files.packing import subject_of
from ..releases.lookup import recipe_of, release_numbered
from ..releases.models import MakingState
from ..releases.seals import hidden_from, refuse_hidden
from .bench import bench_game, has_bench
from .models import Trial
from .outcome import Kept, read_kept
from .seen import has_remote

TASK = "convoy_site.trials.tasks.try_out"

KEPT = timedelta(days=60)
MOST_KEPT = 30
"""Trials of a pack beside the pinned ones, and for how long."""

MOST_WAITING = 4
"""Trials of one pack that wait at a time: whoever tries every edit keeps others from trying."""

AT_ONCE = 2
"""Trials that run at a time, and one narrowing: whatever is tried, workers are left for everything else."""

OPEN = (MakingState.WAITS, MakingState.WORKING)


class TooManyTrials(ConvoyError):
    code = "bench-full"


class CannotTry(ConvoyError):
    """There is nothing that could be started."""

    code = "cannot-try"


@dataclass(frozen=True)
class Queue:
    """`before`: how many are in front of it; `seconds`: about how long until its turn, None where nobody knows."""

    before: int
    seconds: float | None


@transaction.atomic
def ask(user: User, pack_id: UUID, number: str = "") -> Trial:
    """Has the bench try a release, or the draft (no number). Of the same lock one is open at a time: that one is given.

    Raises NotFound, Forbidden, NoBench, TooManyTrials, and what a draft without a lock raises.
    """
    pack = curated(user, pack_id)
    is_remote = not has_bench(pack.game_id) and has_remote(pack.game_id)
    if not is_remote:
        bench_game(pack.game_id)
    if number:
        refuse_hidden(user, pack, [release_numbered(pack, number)])
    Pack.objects.select_for_update().get(pk=pack.pk)
    if not number and pack.draft.unsettled:
        raise CannotTry("The draft cannot be tried.", "Some of its lines have no build.", "Look into Check first.")
    subject = subject_of(pack, number)
    lock = subject.recipe.lock
    sha256 = identity(lock)
    waiting = list(pack.trials.filter(state__in=OPEN))
    if same := next((one for one in waiting if one.lock_sha256 == sha256), None):
        return same
    if len(waiting) >= MOST_WAITING:
        raise TooManyTrials(
            f"{len(waiting)} trials of this pack are waiting already.", now="Stop one, or wait for them."
        )
    made = Trial.objects.create(
        pack=pack,
        release=subject.release,
        number=number,
        revision=pack.draft.revision,
        lock_sha256=sha256,
        by=user,
        is_remote=is_remote,
        total=sum(build.archive.size for build in lock.builds) + sum(file.size for file in lock.files),
    )
    if is_remote:
        return made
    app.configure_task(TASK, lock=f"bench-{made.pk.int % AT_ONCE}").defer(trial=str(made.pk))
    return made


def pack_of(user: User, pack_id: UUID) -> Pack:
    """Raises NotFound, Forbidden."""
    return pack_for(user, pack_id, Action.SEE_DRAFT)


def curated(user: User, pack_id: UUID) -> Pack:
    """A pack on whose bench one may start things. Raises NotFound, Forbidden."""
    return pack_for(user, pack_id, Action.EDIT)


def trials(user: User, pack_id: UUID) -> QuerySet[Trial]:
    """But for those of which one is not shown what is in them."""
    pack = pack_of(user, pack_id)
    found = pack.trials.exclude(release__in=hidden_from(user, [pack.pk]))
    return found.select_related("by", "release", "pack__draft")


def trial(user: User, pack_id: UUID, trial_id: UUID) -> Trial:
    found = trials(user, pack_id).filter(pk=trial_id).first()
    if found is None:
        raise NotFound("This trial is not here any more.", "Trials are kept for two months.", "Try it again.")
    return found


def log_of(user: User, pack_id: UUID, trial_id: UUID) -> Kept:
    found = trial(user, pack_id, trial_id)
    try:
        return read_kept(kept_files.read(found.place)) if found.outcome else Kept()
    except FileNotFoundError:
        return Kept()


@transaction.atomic
def stop(user: User, pack_id: UUID, trial_id: UUID) -> None:
    """Stops one that waits or runs; forgets one that has ended."""
    curated(user, pack_id)
    found = trial(user, pack_id, trial_id)
    if found.state in OPEN:
        Trial.objects.filter(pk=found.pk).update(stop=True)
        Trial.objects.filter(pk=found.pk, state=MakingState.WAITS).update(
            state=MakingState.STOPPED, ended_at=timezone.now()
        )
    else:
        _forget([found])


@transaction.atomic
def pin(user: User, pack_id: UUID, trial_id: UUID, pinned: bool) -> None:
    curated(user, pack_id)
    Trial.objects.filter(pk=trial(user, pack_id, trial_id).pk).update(pinned=pinned)


def queue_of(one: Trial) -> Queue:
    before = Trial.objects.filter(state__in=OPEN, at__lt=one.at).count()
    recent = Trial.objects.filter(state=MakingState.DONE, ended_at__isnull=False, began_at__isnull=False)[:20]
    took = Trial.objects.filter(pk__in=[each.pk for each in recent]).aggregate(mean=Avg(F("ended_at") - F("began_at")))
    mean = took["mean"]
    return Queue(before, before * mean.total_seconds() if mean is not None else None)


def of_release(user: User, pack_id: UUID, number: str) -> Trial | None:
    """The newest trial of exactly this lock, whether of the release or of the draft that it was made of."""
    pack = pack_for(user, pack_id, Action.SEE)
    release = release_numbered(pack, number)
    refuse_hidden(user, pack, [release])
    sha256 = identity(recipe_of(release.pk).lock)
    found = Trial.objects.filter(pack=pack, lock_sha256=sha256).exclude(state=MakingState.STOPPED)
    return found.select_related("by", "release", "pack__draft").first()


def identity(lock: Lock) -> str:
    """What was tried, whatever it is called: equal for equal locks."""
    return sha256_hex(canonical_json(as_data(lock)))


def forget_old() -> int:
    """What is older than KEPT, or beyond MOST_KEPT of a pack, but for what is pinned."""
    old = list(Trial.objects.filter(at__lt=timezone.now() - KEPT, pinned=False).exclude(state__in=OPEN))
    for pack_id in Trial.objects.order_by().values_list("pack", flat=True).distinct():
        old += list(Trial.objects.filter(pack=pack_id, pinned=False).exclude(state__in=OPEN)[MOST_KEPT:])
    _forget(old)
    return len(old)


def _forget(ones: Sequence[Trial]) -> None:
    places = [one.place for one in ones]
    Trial.objects.filter(pk__in=[one.pk for one in ones]).delete()
    for place in places:
        transaction.on_commit(lambda place=place: _drop(place))  # type: ignore[misc]


def _drop(place: str) -> None:
    with suppress(FileNotFoundError):
        kept_files.forget(place)
