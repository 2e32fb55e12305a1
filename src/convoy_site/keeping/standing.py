"""How the site stands: database, queue, storage and sources, each by itself, so that one trouble hides no other."""

import hashlib
import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from uuid import uuid4

from django.db import DatabaseError, connection
from django.db.models import Count, Min, Q
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

from .. import kept_files
from ..catalogue.models import Source, SourceState

log = logging.getLogger(__name__)

WORKER_SILENT = timedelta(minutes=2)
"""After which a worker that has not been heard of is none."""

WAITS_LONG = 600.0
"""Seconds that a job may wait before the queue counts as stuck."""

STORAGE_EVERY = 30.0
"""Seconds for which a trial of the storage holds: whoever asks for the health does not wear it out."""


@dataclass(frozen=True)
class Part:
    """`told`: a sentence where it is not as it should be."""

    name: str
    ok: bool
    told: str = ""


@dataclass(frozen=True)
class Jobs:
    """`oldest`: seconds for which the oldest job that could run has waited."""

    waiting: int = 0
    doing: int = 0
    failed: int = 0
    workers: int = 0
    oldest: float = 0.0


@dataclass(frozen=True)
class Standing:
    parts: list[Part] = field(default_factory=list)
    jobs: Jobs = field(default_factory=Jobs)
    sources: int = 0
    sources_in_trouble: int = 0

    @property
    def serves(self) -> bool:
        """Whether the site can do its work: a source in trouble is its keeper's worry, and stops nobody."""
        return all(part.ok for part in self.parts if part.name in ("database", "storage"))


def standing() -> Standing:
    database = _tried("database", _ask_database)
    if not database.ok:
        return Standing([database, _tried("storage", _ask_storage)])
    jobs = jobs_now()
    read = Source.objects.filter(is_own=False, state=SourceState.READ)
    in_trouble = read.filter(failures__gt=0).count()
    sources = Part("sources", not in_trouble, f"{in_trouble} could not be read last." if in_trouble else "")
    return Standing([database, _queue(jobs), _tried("storage", _ask_storage), sources], jobs, read.count(), in_trouble)


def jobs_now() -> Jobs:
    jobs = ProcrastinateJob.objects.aggregate(
        waiting=Count("id", filter=Q(status="todo")),
        doing=Count("id", filter=Q(status="doing")),
        failed=Count("id", filter=Q(status="failed")),
    )
    workers = ProcrastinateWorker.objects.filter(last_heartbeat__gt=timezone.now() - WORKER_SILENT).count()
    return Jobs(jobs["waiting"], jobs["doing"], jobs["failed"], workers, _oldest())


def _oldest() -> float:
    """Seconds since the oldest job that could run was put there, or since its time came where it had one."""
    waiting = ProcrastinateJob.objects.filter(status="todo")
    at_once = waiting.filter(scheduled_at=None).aggregate(since=Min("procrastinateevent__at"))["since"]
    timed = waiting.filter(scheduled_at__lt=timezone.now()).aggregate(since=Min("scheduled_at"))["since"]
    since = [one for one in (at_once, timed) if one]
    return max(0.0, (timezone.now() - min(since)).total_seconds()) if since else 0.0


def _queue(jobs: Jobs) -> Part:
    if not jobs.workers:
        return Part("queue", False, "No worker has been heard of lately.")
    if jobs.oldest > WAITS_LONG:
        return Part("queue", False, f"The oldest job has waited {jobs.oldest / 60:.0f} minutes.")
    return Part("queue", True)


def _ask_database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("select 1")


_storage_tried: list[tuple[float, str]] = []
"""When this process tried the storage last, and what came of it."""


def _ask_storage() -> None:
    now = time.monotonic()
    if not _storage_tried or now - _storage_tried[0][0] > STORAGE_EVERY:
        trouble = ""
        try:
            place = f"health/{uuid4().hex}"
            kept_files.keep(place, b"whole", hashlib.sha256(b"whole").hexdigest())
            kept_files.forget(place)
        except kept_files.StorageAway as error:
            trouble = error.sentence()
        _storage_tried[:] = [(now, trouble)]
    if _storage_tried[0][1]:
        raise OSError(_storage_tried[0][1])


def _tried(name: str, ask: Callable[[], None]) -> Part:
    try:
        ask()
    except (OSError, DatabaseError) as error:
        # Everybody may ask; what exactly is wrong is for the log.
        log.warning("%s: %s", name, error)
        return Part(name, False, f"The {name} does not answer.")
    return Part(name, True)
