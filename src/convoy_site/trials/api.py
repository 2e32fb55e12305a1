"""Trials: asked for, looked at, stopped; and what the game said."""

from collections import Counter
from typing import Annotated
from uuid import UUID

from ninja import Query, Router

from convoy_core.log.fates import Fate
from convoy_io.judging import Outcome, read_outcome

from ..packs import drafts
from ..people.rights import SignedIn
from ..people.tries import count_use
from ..releases.models import MakingState
from ..shapes import Done, Short
from . import narrowing as narrowings
from . import services
from .bench import has_bench
from .models import Narrowing, Trial
from .reading import page
from .seen import has_remote
from .shapes import (
    BenchOut,
    CulpritsOut,
    FateOut,
    LeftOutOut,
    LogWanted,
    NarrowIn,
    NarrowingOut,
    OutcomeOfTrial,
    PinIn,
    ReportOut,
    TrialIn,
    TrialLog,
    TrialOut,
    TrialRow,
    TriedWay,
    TryOut,
)
from .ways import ways_of, ways_without

router = Router(tags=["trials"])

SHOWN = 30


@router.get("/packs/{pack_id}/trials", response=BenchOut, operation_id="trials")
def trials(request: SignedIn, pack_id: UUID) -> BenchOut:
    """The newest trials of a pack, of its draft and of its releases."""
    pack = services.pack_of(request.user, pack_id)
    found = list(services.trials(request.user, pack_id)[:SHOWN])
    current = next((one for one in found if _is_current(one)), None)
    return BenchOut(
        has_bench=has_bench(pack.game_id) or has_remote(pack.game_id),
        current=current.pk if current else None,
        trials=[_row(one) for one in found],
    )


@router.post("/packs/{pack_id}/trials", response=TrialRow, operation_id="try_out")
def try_out(request: SignedIn, pack_id: UUID, body: TrialIn) -> TrialRow:
    """Has the bench start it: the draft as it is, or a release. What is on its way already is not begun twice."""
    count_use("try-out", str(request.user.pk), 60, 3600)
    return _row(services.ask(request.user, pack_id, body.number))


@router.get("/packs/{pack_id}/trials/{trial_id}", response=TrialOut, operation_id="trial")
def trial(request: SignedIn, pack_id: UUID, trial_id: UUID) -> TrialOut:
    one = services.trial(request.user, pack_id, trial_id)
    outcome = read_outcome(one.outcome) if one.outcome else None
    fates: dict[str, str] = dict(outcome.fates) if outcome else {}
    names = drafts.names_of(one.pack, fates)
    rows = [FateOut(mod=mod, name=names.get(mod, mod), fate=Fate(fate)) for mod, fate in fates.items()]
    order = {Fate.FAILED: 0, Fate.SILENT: 1, Fate.LOADED: 2}
    return TrialOut(
        **_row(one).model_dump(),
        without=one.without,
        fates=sorted(rows, key=lambda row: (order[row.fate], row.name.casefold())),
        reports=[ReportOut(path=path, text=text) for path, text in outcome.reports] if outcome else [],
        ways=ways_of(one.pack, outcome.cause) if outcome and outcome.cause else [],
        narrowing=one.narrowings.values_list("pk", flat=True).first(),
    )


@router.get("/packs/{pack_id}/releases/{number}/trial", response=TrialRow | None, operation_id="trial_of_release")
def of_release(request: SignedIn, pack_id: UUID, number: Short) -> TrialRow | None:
    """The newest trial of exactly what a release holds, also where it was made of the draft before."""
    found = services.of_release(request.user, pack_id, number)
    return _row(found) if found else None


@router.delete("/packs/{pack_id}/trials/{trial_id}", response=Done, operation_id="stop_trial")
def stop(request: SignedIn, pack_id: UUID, trial_id: UUID) -> Done:
    """Stops one that waits or runs; forgets one that has ended."""
    services.stop(request.user, pack_id, trial_id)
    return Done()


@router.patch("/packs/{pack_id}/trials/{trial_id}", response=Done, operation_id="pin_trial")
def pin(request: SignedIn, pack_id: UUID, trial_id: UUID, body: PinIn) -> Done:
    """Keeps one for good, or no longer."""
    services.pin(request.user, pack_id, trial_id, body.pinned)
    return Done()


@router.get("/packs/{pack_id}/trials/{trial_id}/log", response=TrialLog, operation_id="trial_log")
def log(request: SignedIn, pack_id: UUID, trial_id: UUID, wanted: Annotated[LogWanted, Query()]) -> TrialLog:
    """Entries of its log, PORTION at a time."""
    return page(services.log_of(request.user, pack_id, trial_id).entries, wanted)


@router.post("/packs/{pack_id}/trials/{trial_id}/narrowing", response=NarrowingOut, operation_id="narrow_down")
def narrow_down(request: SignedIn, pack_id: UUID, trial_id: UUID, body: NarrowIn) -> NarrowingOut:
    """Has the bench find the mods that a trial fails by."""
    count_use("narrow-down", str(request.user.pk), 20, 3600)
    return _narrowing(narrowings.ask(request.user, pack_id, trial_id, body.chance))


@router.get("/packs/{pack_id}/narrowings/{narrowing_id}", response=NarrowingOut, operation_id="narrowing")
def narrowing(request: SignedIn, pack_id: UUID, narrowing_id: UUID) -> NarrowingOut:
    return _narrowing(narrowings.narrowing(request.user, pack_id, narrowing_id))


@router.delete("/packs/{pack_id}/narrowings/{narrowing_id}", response=Done, operation_id="stop_narrowing")
def stop_narrowing(request: SignedIn, pack_id: UUID, narrowing_id: UUID) -> Done:
    """Stops one that is open; forgets one that has ended."""
    narrowings.stop(request.user, pack_id, narrowing_id)
    return Done()


def _narrowing(one: Narrowing) -> NarrowingOut:
    pack = one.trial.pack
    names = drafts.names_of(pack, one.mods)
    found = one.found
    culprits = list(found.get("culprits", ()))
    told = CulpritsOut(
        culprits=[LeftOutOut(mod=mod, name=names.get(mod, mod), why="") for mod in culprits],
        tries=found["tries"],
        without_it_works=found["without_it_works"],
        sure=found["sure"],
        fails=found["fails"],
    ) if found else None  # fmt: skip
    return NarrowingOut(
        id=one.pk,
        trial=one.trial_id,
        state=MakingState(one.state),
        told=one.told,
        by=one.by.shown,
        at=one.at,
        chance=one.chance,
        planned=one.planned,
        mods=[names.get(mod, mod) for mod in one.mods],
        tries=[TryOut(**answer) for answer in one.answers],
        found=told,
        ways=ways_without(pack, culprits),
        rehearsed=[TriedWay(**row) for row in one.rehearsed],
        is_current=_is_current(one.trial),
    )


def _is_current(one: Trial) -> bool:
    return one.release_id is None and one.revision == one.pack.draft.revision


def _row(one: Trial) -> TrialRow:
    queue = services.queue_of(one) if one.state == MakingState.WAITS else services.Queue(0, None)
    return TrialRow(
        id=one.pk,
        number=one.number,
        is_current=_is_current(one),
        state=MakingState(one.state),
        done=one.done,
        total=one.total,
        told=one.told,
        by=one.by.shown,
        at=one.at,
        ended_at=one.ended_at,
        pinned=one.pinned,
        before=queue.before,
        seconds_left=queue.seconds,
        outcome=_outcome(read_outcome(one.outcome)) if one.outcome else None,
    )


def _outcome(found: Outcome) -> OutcomeOfTrial:
    told = {name: one for name, one in found.as_data().items() if name not in ("fates", "against", "reports")}
    fates = Counter(found.fates.values())
    return OutcomeOfTrial(
        **told,
        loaded=fates[Fate.LOADED],
        silent=fates[Fate.SILENT],
        failed=fates[Fate.FAILED],
        against=UUID(found.against) if found.against else None,
    )
