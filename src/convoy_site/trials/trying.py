"""A trial, as a worker makes it: archives, a fresh installation, a start in the sandbox, and what came of it.

A worker that is killed takes its game along (the sandbox dies with it); the job is run again from its beginning.
"""

import hashlib
from typing import Any
from uuid import UUID

from django.utils import timezone

from convoy_core.words.errors import ConvoyError
from convoy_io.games import Stopped
from convoy_io.judging import Outcome, judged, read_outcome

from .. import kept_files
from ..releases.models import FAILED, MakingState
from . import archives, starting
from .following import Ended, Follow
from .models import Trial
from .outcome import Kept, against, read_kept, rows_of

STAYS = 1.5
"""Seconds that a game has to stay up after its main screen: some fall right behind it."""


class Changed(ConvoyError):
    """What was to be tried is not there any more."""

    code = "draft-changed"


def try_out(trial_id: UUID) -> None:
    """What the worker does."""
    one = Trial.objects.select_related("pack__crew", "pack__game", "pack__draft", "release").filter(pk=trial_id).first()
    if one is None or one.stop or one.state not in (MakingState.WAITS, MakingState.WORKING):
        return
    one.pack.draft.pack = one.pack
    Trial.objects.filter(pk=one.pk).update(state=MakingState.WORKING, began_at=timezone.now(), done=0, told="")
    try:
        _try(one)
    except Ended:
        end(one, MakingState.STOPPED)
    except ConvoyError as error:
        end(one, MakingState.FAILED, error.sentence())
    except Exception:
        end(one, MakingState.FAILED, FAILED)
        raise
    finally:
        archives.sweep()


def end(one: Trial, state: MakingState, told: str = "") -> None:
    Trial.objects.filter(pk=one.pk).update(state=state, told=told, ended_at=timezone.now())


def refuse_changed(one: Trial) -> None:
    """Raises Changed where what was to be tried is not there any more."""
    if one.release is None and one.pack.draft.revision != one.revision:
        raise Changed("The draft was changed before its turn came.", "What was to be tried is gone.", "Try it again.")


def _try(one: Trial) -> None:
    refuse_changed(one)
    follow = Follow(one, STAYS)
    prepared = starting.prepare(one.pack, one.number, follow.moved)
    rows = [{"mod": mod, "name": prepared.names[mod], "why": why} for mod, why in prepared.left_out.items()]
    Trial.objects.filter(pk=one.pk).update(without=rows)
    run, new = starting.start(one.pack, prepared, prepared.there, follow.moved, follow.wanted)
    if run.stopped is Stopped.ASKED:
        raise Ended
    keep(one, judged(run, prepared.lock, prepared.there, new), rows_of(run.log))


def keep(one: Trial, outcome: Outcome, rows: list[dict[str, Any]]) -> None:
    """Keeps how it went, held against the last good trial of the pack."""
    good = last_good(one)
    before, trial = (_log_of(good), str(good.pk)) if good else (None, "")
    outcome, log = against(outcome, rows, before, trial)
    data = log.as_bytes()
    kept_files.keep(one.place, data, hashlib.sha256(data).hexdigest())
    Trial.objects.filter(pk=one.pk).update(
        outcome=outcome.as_data(), state=MakingState.DONE, ended_at=timezone.now(), done=one.total
    )


def last_good(one: Trial) -> Trial | None:
    """The newest trial of the pack before this one that reached the main screen."""
    earlier = one.pack.trials.filter(state=MakingState.DONE, at__lt=one.at, outcome__came_up=True)
    return next((each for each in earlier[:5] if read_outcome(each.outcome).ended != "crashed"), None)


def _log_of(one: Trial) -> Kept | None:
    try:
        return read_kept(kept_files.read(one.place))
    except FileNotFoundError:
        return None
