"""Which mods of a failing trial it takes: the core's search, answered by starts on the bench.

Every answer is kept as soon as it is there. The search is the same for the same answers, so that a worker that takes
over from one that was killed asks again only what was not answered.
"""

from dataclasses import asdict
from itertools import islice
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_core.narrow import Found, Outcome, Suspects, narrow, tries_for_one
from convoy_core.words.errors import ConvoyError
from convoy_io.games import GameRun, Stopped
from convoy_io.judging import read_outcome

from ..packs.models import Pack
from ..people.models import User
from ..people.rights import NotFound
from ..releases.models import FAILED, MakingState
from . import archives, services, starting
from .bench import bench_game
from .following import Ended, Follow
from .models import Narrowing, Trial
from .starting import Prepared
from .trying import Changed
from .ways_out import as_kept, ways_out

TASK = "convoy_site.trials.tasks.narrow_down"

STAYS = 0.4
"""Seconds after the main screen, as long as it takes to see that it did not fall at once."""

MOST_TRIES = 400
"""After which nothing more is tried: a search that goes on for longer is answered by chance."""


class NotFailing(ConvoyError):
    code = "not-failing"


class WithoutEnd(ConvoyError):
    """A search that goes on for longer than anybody waits."""

    code = "without-end"


@transaction.atomic
def ask(user: User, pack_id: UUID, trial_id: UUID, chance: float) -> Narrowing:
    """Has the bench find what a failing trial of the draft fails by. `chance`: with which it fails, above 0. Of one
    trial one is open at a time: that one is given. Raises NotFound, Forbidden, NoBench, NotFailing, Changed.
    """
    pack = services.curated(user, pack_id)
    bench_game(pack.game_id)
    trial = services.trial(user, pack_id, trial_id)
    if not trial.outcome or (read_outcome(trial.outcome).came_up and read_outcome(trial.outcome).ended != "crashed"):
        raise NotFailing("This trial did not fail.", "There is nothing to be found in it.", "Narrow one down that did.")
    _refuse_changed(trial, pack)
    Pack.objects.select_for_update().get(pk=pack.pk)
    if same := trial.narrowings.filter(state__in=services.OPEN).first():
        return same
    if Narrowing.objects.filter(trial__pack=pack, state__in=services.OPEN).exists():
        raise services.TooManyTrials(
            "Another trial of this pack is being narrowed down.", now="Stop that one, or wait for it."
        )
    mods = len(read_outcome(trial.outcome).fates) or 1
    made = Narrowing.objects.create(trial=trial, by=user, chance=chance, planned=tries_for_one(mods, chance), total=1)
    # One at a time on the whole site: a search may take hours, and others wait for workers, too.
    app.configure_task(TASK, lock="bench-narrowing").defer(narrowing=str(made.pk))
    return made


def _refuse_changed(trial: Trial, pack: Pack) -> None:
    if trial.release_id is None and trial.revision != pack.draft.revision:
        raise Changed(
            "The draft was changed since this trial.",
            "What failed is not there any more.",
            "Try the draft again first.",
        )


def narrowing(user: User, pack_id: UUID, narrowing_id: UUID) -> Narrowing:
    pack = services.pack_of(user, pack_id)
    found = Narrowing.objects.filter(pk=narrowing_id, trial__in=services.trials(user, pack.pk))
    one = found.select_related("trial__pack__draft", "trial__pack__game", "by").first()
    if one is None:
        raise NotFound("This narrowing is not here any more.", now="Begin it again from the trial.")
    return one


@transaction.atomic
def stop(user: User, pack_id: UUID, narrowing_id: UUID) -> None:
    """Stops one that is open; forgets one that has ended."""
    services.curated(user, pack_id)
    found = narrowing(user, pack_id, narrowing_id)
    rows = Narrowing.objects.filter(pk=found.pk)
    if found.state in services.OPEN:
        rows.update(stop=True)
        rows.filter(state=MakingState.WAITS).update(state=MakingState.STOPPED)
    else:
        rows.delete()


def narrow_down(narrowing_id: UUID) -> None:
    """What the worker does."""
    rows = Narrowing.objects.filter(pk=narrowing_id)
    one = rows.select_related(
        "trial__pack__crew", "trial__pack__game", "trial__pack__draft", "trial__release", "by"
    ).first()
    if one is None or one.stop or one.state not in services.OPEN:
        return
    pack = one.trial.pack
    pack.draft.pack = pack
    rows.update(state=MakingState.WORKING, told="")
    try:
        _refuse_changed(one.trial, pack)
        found = _searched(one, pack)
        rows.update(found=asdict(found))
        _rehearse(one, pack, found)
        rows.update(state=MakingState.DONE, ended_at=timezone.now())
    except Ended:
        rows.update(state=MakingState.STOPPED, ended_at=timezone.now())
    except ConvoyError as error:
        rows.update(state=MakingState.FAILED, told=error.sentence(), ended_at=timezone.now())
    except Exception:
        rows.update(state=MakingState.FAILED, told=FAILED, ended_at=timezone.now())
        raise
    finally:
        archives.sweep()


def _searched(one: Narrowing, pack: Pack) -> Found:
    follow = Follow(one, STAYS)
    prepared = starting.prepare(pack, one.trial.number, follow.passed)
    suspects = suspects_of(prepared)
    Narrowing.objects.filter(pk=one.pk).update(
        mods=list(suspects.mods), planned=tries_for_one(len(suspects.mods), one.chance)
    )
    search = narrow(suspects, one.chance)
    answers = list(one.answers)
    try:
        wanted = next(search)
        for told in answers:
            wanted = search.send(Outcome(told["outcome"]))
        while True:
            if len(answers) >= MOST_TRIES:
                raise WithoutEnd(
                    f"Nothing sure was found in {MOST_TRIES} tries.", now="Say how often it fails, and try again."
                )
            run, _ = starting.start(pack, prepared, wanted, follow.passed, follow.wanted)
            if run.stopped is Stopped.ASKED or follow.is_stopped():
                raise Ended
            answers.append(
                {"mods": _numbers(suspects, wanted), "outcome": _outcome(run), "seconds": round(run.seconds, 2)}
            )
            Narrowing.objects.filter(pk=one.pk).update(answers=answers)
            wanted = search.send(_outcome(run))
    except StopIteration as end:
        found: Found = end.value
        return found


def _rehearse(one: Narrowing, pack: Pack, found: Found) -> None:
    """Starts each way out, so that it is offered with how it went. Of what fails at times one start says nothing."""
    if not found.culprits or one.chance < 1 or one.trial.release_id is not None:
        return
    follow = Follow(one, STAYS)
    kept = list(one.rehearsed)
    for way, subject in islice(ways_out(one.by, pack, found.culprits), len(kept), None):
        prepared = starting.prepare_subject(subject, follow.passed)
        run, _ = starting.start(pack, prepared, prepared.there, follow.passed, follow.wanted)
        if run.stopped is Stopped.ASKED or follow.is_stopped():
            return
        kept.append(as_kept(way, _outcome(run), run.seconds))
        Narrowing.objects.filter(pk=one.pk).update(rehearsed=kept)


def suspects_of(prepared: Prepared) -> Suspects:
    """What can be laid down, and what of it needs what."""
    there = set(prepared.there)
    needs = {build.mod: [need for need in build.needs if need in there] for build in prepared.lock.builds}
    return Suspects(prepared.there, {mod: wanted for mod, wanted in needs.items() if mod in there and wanted})


def _numbers(suspects: Suspects, mods: tuple[str, ...]) -> list[int]:
    """Places in the row of suspects: a list of ids for each try would be the larger part of what is kept."""
    place = {mod: at for at, mod in enumerate(suspects.mods)}
    return [place[mod] for mod in mods]


def _outcome(run: GameRun) -> Outcome:
    return Outcome.WORKS if run.came_up and run.log.ended != "crashed" else Outcome.FAILS
