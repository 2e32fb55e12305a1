"""Doors for benches elsewhere, and the keeper's for letting them in."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from ninja import Path, Router
from ninja.security import HttpBearer

from convoy_core.words.errors import MalformedInput
from convoy_io.judging import read_outcome

from ..people.rights import SignedIn
from ..sending import send_file
from ..shapes import Done
from . import remote
from .models import Bench
from .shapes import (
    BenchIn,
    BenchMade,
    BenchRow,
    GamesIn,
    HeardIn,
    HeardOut,
    JobOutForBench,
    ResultIn,
)


class FromBench(HttpRequest):
    """A request of a bench that has shown its token."""

    auth: Bench


class BenchToken(HttpBearer):
    def authenticate(self, request: HttpRequest, token: str) -> Bench | None:
        return remote.by_token(token)


router = Router(tags=["benches"])
_bench = BenchToken()


@router.get("/keeper/benches", response=list[BenchRow], operation_id="benches")
def benches(request: SignedIn) -> list[BenchRow]:
    return [
        BenchRow(
            id=one.pk, name=one.name, games=one.games, made_at=one.made_at, seen_at=one.seen_at,
            made_by=one.made_by.shown if one.made_by else "",
        )
        for one in remote.benches(request.user)
    ]  # fmt: skip


@router.post("/keeper/benches", response=BenchMade, operation_id="make_bench")
def make_bench(request: SignedIn, body: BenchIn) -> BenchMade:
    """Lets a machine of the keeper's own take trials. Its token is shown once."""
    made, token = remote.make(request.user, body.name)
    return BenchMade(id=made.pk, token=token)


@router.delete("/keeper/benches/{bench_id}", response=Done, operation_id="drop_bench")
def drop_bench(request: SignedIn, bench_id: UUID) -> Done:
    remote.drop(request.user, bench_id)
    return Done()


@router.post("/bench/next", auth=_bench, response=JobOutForBench | None, operation_id="bench_next")
def next_trial(request: FromBench, body: GamesIn) -> JobOutForBench | None:
    """The next trial for this bench, which is its own from then on; nothing where none waits."""
    job = remote.take(request.auth, body.games)
    if job is None:
        return None
    pack = job.trial.pack
    return JobOutForBench(
        trial=job.trial.pk, game=pack.game_id, profile=pack.game.profile_text, lock=job.lock,
        memory_mb=job.memory_mb, sources=job.sources, own=job.own,
    )  # fmt: skip


@router.get("/bench/trials/{trial_id}/own/{sha256}", auth=_bench, operation_id="bench_own_file")
def own_file(
    request: FromBench, trial_id: UUID, sha256: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]
) -> HttpResponseBase:
    """An archive that only the site has, of what this bench is trying."""
    found = remote.own_archive(request.auth, trial_id, sha256)
    if isinstance(found, bytes):
        return HttpResponse(found, content_type="application/octet-stream")
    return send_file(request, found.place, found.size, found.sha256)


@router.post("/bench/trials/{trial_id}/progress", auth=_bench, response=HeardOut, operation_id="bench_progress")
def hear(request: FromBench, trial_id: UUID, body: HeardIn) -> HeardOut:
    return HeardOut(stop=remote.hear(request.auth, trial_id, body.done))


@router.post("/bench/trials/{trial_id}/result", auth=_bench, response=Done, operation_id="bench_result")
def result(request: FromBench, trial_id: UUID, body: ResultIn) -> Done:
    """How it went; or why it could not be tried there."""
    if body.failed:
        remote.failed(request.auth, trial_id, body.failed)
    elif body.outcome is None:
        raise MalformedInput("A result says how it went, or why it could not be tried.", field="outcome")
    else:
        rows = [entry.dict() for entry in body.entries]
        without = [one.dict() for one in body.without]
        remote.ended(request.auth, trial_id, without, read_outcome(body.outcome.dict()), rows)
    return Done()
