"""Benches elsewhere: machines of a keeper's own that take trials from here and tell how they went.

They are no members' machines: a bench is let in by a token that a keeper made, sees what it is to try and nothing else,
and lays it down in a folder of its own.
"""

import hashlib
import secrets
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from convoy_core.lock.in_worlds import in_worlds
from convoy_core.lock.lock import OVERLAY
from convoy_core.lock.lock_json import as_data
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side
from convoy_io.judging import Outcome

from ..catalogue.models import OwnFile
from ..packs import own_files
from ..people import audit
from ..people.models import User
from ..people.rights import NotFound, keeper
from ..releases.as_files.packing import kept_of, subject_of
from ..releases.models import MakingState
from . import trying
from .models import Bench, Trial

LOST = timedelta(minutes=3)
"""A bench tells every few seconds how far it is; after this silence another may take its trial."""

WAITED = timedelta(days=1)
NOBODY = "No bench took it within a day. Tell the site's keeper."

MOST_BENCHES = 20


class TooManyBenches(ConvoyError):
    code = "too-many-benches"


@dataclass(frozen=True)
class Job:
    """What a bench is to try: a player's share, with where its archives are. `own`: those that the site itself has."""

    trial: Trial
    lock: dict[str, Any]
    memory_mb: int
    sources: dict[str, str]
    own: list[str]


def make(user: User, name: str) -> tuple[Bench, str]:
    """A bench, and the token that lets it in, which is shown once."""
    keeper(user, "set up a bench")
    if Bench.objects.count() >= MOST_BENCHES:
        raise TooManyBenches(f"There are {MOST_BENCHES} benches already.", now="Remove one first.")
    token = secrets.token_urlsafe(32)
    made = Bench.objects.create(name=name, token_hash=_hash(token), made_by=user)
    audit.note(user, f"set up the bench {name}")
    return made, token


def benches(user: User) -> QuerySet[Bench]:
    keeper(user, "see benches")
    return Bench.objects.select_related("made_by")


def drop(user: User, bench_id: UUID) -> None:
    """It is let in no more; what it was trying is for another."""
    keeper(user, "remove a bench")
    found = Bench.objects.filter(pk=bench_id).first()
    if found is None:
        raise NotFound("There is no such bench.")
    Trial.objects.filter(bench=found, state=MakingState.WORKING).update(state=MakingState.WAITS, bench=None)
    found.delete()
    audit.note(user, f"removed the bench {found.name}")


def by_token(token: str) -> Bench | None:
    return Bench.objects.filter(token_hash=_hash(token)).first()


def take(bench: Bench, games: Collection[str]) -> Job | None:
    """The next trial for a bench, which is its own from now on. What cannot be tried any more ends here."""
    Bench.objects.filter(pk=bench.pk).update(seen_at=timezone.now(), games=sorted(games))
    _give_back_lost()
    while (one := _claimed(bench, games)) is not None:
        one.pack.draft.pack = one.pack
        try:
            trying.refuse_changed(one)
            return _job(one)
        except ConvoyError as error:
            trying.end(one, MakingState.FAILED, error.sentence())
    return None


@transaction.atomic
def _claimed(bench: Bench, games: Collection[str]) -> Trial | None:
    waiting = Trial.objects.filter(state=MakingState.WAITS, is_remote=True, stop=False, pack__game__in=games)
    waiting = waiting.select_related("pack__crew", "pack__game", "pack__draft", "release").order_by("at")
    one = waiting.select_for_update(of=("self",), skip_locked=True).first()
    if one is not None:
        now = timezone.now()
        Trial.objects.filter(pk=one.pk).update(
            state=MakingState.WORKING, bench=bench, began_at=now, heard_at=now, done=0, told=""
        )
    return one


def _give_back_lost() -> None:
    lost = Trial.objects.filter(is_remote=True, state=MakingState.WORKING, heard_at__lt=timezone.now() - LOST)
    lost.filter(stop=True).update(state=MakingState.STOPPED, ended_at=timezone.now())
    lost.update(state=MakingState.WAITS, bench=None)


def give_up_waiting() -> int:
    """Ends what has waited for a bench that came no more. Gives how many there were."""
    waiting = Trial.objects.filter(is_remote=True, state=MakingState.WAITS, at__lt=timezone.now() - WAITED)
    return waiting.update(state=MakingState.FAILED, told=NOBODY, ended_at=timezone.now())


def _job(one: Trial) -> Job:
    subject = subject_of(one.pack, one.number)
    lock = in_worlds(subject.recipe.lock.share(Side.PLAYER), {}, ())
    own = set(kept_of(one.pack, [build.archive.sha256 for build in lock.builds]))
    own |= {build.archive.sha256 for build in lock.builds if build.mod == OVERLAY and subject.release is None}
    return Job(one, as_data(lock), subject.recipe.needed.recommended, dict(subject.sources), sorted(own))


def taken(bench: Bench, trial_id: UUID) -> Trial:
    """One that this bench is trying now. Raises NotFound for every other one."""
    whole = Trial.objects.select_related("pack__crew", "pack__game", "pack__draft", "release")
    found = whole.filter(pk=trial_id, bench=bench, state=MakingState.WORKING).first()
    if found is None:
        raise NotFound("This trial is not yours, or not any more.", "It was stopped, or given to another bench.")
    return found


def own_archive(bench: Bench, trial_id: UUID, sha256: str) -> OwnFile | bytes:
    """An archive that only the site has: a build of the crew's own, or the own files of the draft that is tried."""
    one = taken(bench, trial_id)
    one.pack.draft.pack = one.pack
    subject = subject_of(one.pack, one.number)
    build = next((each for each in subject.recipe.lock.builds if each.archive.sha256 == sha256), None)
    found = kept_of(one.pack, [sha256]).get(sha256)
    if build is not None and found is not None:
        return found
    if build is not None and build.mod == OVERLAY and subject.release is None:
        return own_files.archive_of(one.pack.draft)
    raise NotFound("This archive is not among what is tried.")


def hear(bench: Bench, trial_id: UUID, done: int) -> bool:
    """How far it is. Says whether somebody wants it stopped."""
    one = taken(bench, trial_id)
    Bench.objects.filter(pk=bench.pk).update(seen_at=timezone.now())
    Trial.objects.filter(pk=one.pk).update(done=min(done, one.total), heard_at=timezone.now())
    return one.stop


@transaction.atomic
def ended(
    bench: Bench, trial_id: UUID, without: Sequence[dict[str, str]], outcome: Outcome, rows: list[dict[str, Any]]
) -> None:
    one = taken(bench, trial_id)
    Trial.objects.filter(pk=one.pk).update(without=list(without))
    if one.stop:
        trying.end(one, MakingState.STOPPED)
        return
    trying.keep(one, outcome, rows)


def failed(bench: Bench, trial_id: UUID, why: str) -> None:
    """It could not be tried there."""
    one = taken(bench, trial_id)
    trying.end(one, MakingState.STOPPED if one.stop else MakingState.FAILED, "" if one.stop else why)


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
