"""What a keeper looks at: background jobs and their troubles, how much is kept, and what was done."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from asgiref.sync import async_to_sync
from django.db import connection
from django.db.models import Count, Max, QuerySet, Sum
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from ..catalogue.models import OwnFile
from ..people.models import AuditEntry, Crew, User
from ..people.rights import NotFound, keeper

JOBS_SHOWN, CREWS_SHOWN, ENTRIES_A_PAGE = 50, 50, 100
TASK_WORDS = {
    "read_one": "Read a source",
    "read_sources": "Ask the sources for news",
    "refit_game": "Bring the catalogue in line with a game",
    "tidy_own_files": "Forget files of which nobody made a build",
    "send": "Send a mail",
    "resume_stalled": "Begin again what a worker had in hand",
    "forget_old_jobs": "Forget old jobs",
    "spread": "Tell whom it concerns",
    "call": "Call another service",
    "look_ahead": "See who is not ready for tonight",
    "mail_the_day": "Send the day's letters",
    "renew": "Sign anew what the newest releases are",
}


@dataclass(frozen=True)
class JobRow:
    id: int
    what: str
    about: str
    status: str
    attempts: int
    at: datetime | None


def jobs(asker: User, status: str = "") -> list[JobRow]:
    """Jobs that wait, are under way or failed; the newest first."""
    keeper(asker, "see the site's jobs")
    shown = ProcrastinateJob.objects.filter(status__in=[status] if status else ["todo", "doing", "failed"])
    rows = shown.annotate(last=Max("procrastinateevent__at")).order_by("-id")[:JOBS_SHOWN]
    return [_job_row(one) for one in rows]


def _job_row(job: Any) -> JobRow:
    name = job.task_name.rpartition(".")[2]
    # Of a mail only to whom it goes: what is in it is nobody's business here.
    about = ", ".join(job.args.get("to", [])) if name == "send" else ", ".join(str(one) for one in job.args.values())
    return JobRow(job.id, TASK_WORDS.get(name, name.replace("_", " ")), about[:120], job.status, job.attempts, job.last)


def try_again(asker: User, job_id: int) -> None:
    """Puts a failed job back into the queue."""
    keeper(asker, "begin jobs again")
    job = ProcrastinateJob.objects.filter(pk=job_id, status="failed").first()
    if job is None:
        raise NotFound("There is no such job, or it did not fail.")
    async_to_sync(app.job_manager.retry_job)(job.procrastinate_job)


@dataclass(frozen=True)
class CrewUse:
    name: str
    people: int
    packs: int
    files: int
    bytes: int


@dataclass(frozen=True)
class Storage:
    database_bytes: int
    files: int
    file_bytes: int
    crews: list[CrewUse]


def storage(asker: User) -> Storage:
    """How much is kept, and by whom most of it."""
    keeper(asker, "see what is kept")
    with connection.cursor() as cursor:
        cursor.execute("select pg_database_size(current_database())")
        database = int(cursor.fetchone()[0])
    told = OwnFile.objects.aggregate(files=Count("pk"), bytes=Sum("size"))
    of = {
        row["crew"]: (row["files"], row["bytes"])
        for row in OwnFile.objects.values("crew").annotate(files=Count("pk"), bytes=Sum("size"))
    }
    crews = Crew.objects.annotate(
        people_count=Count("memberships", distinct=True), pack_count=Count("packs", distinct=True)
    )
    rows = [
        CrewUse(one.name, one.people_count, one.pack_count, *of.get(one.pk, (0, 0)))
        for one in crews.order_by("name")[: CREWS_SHOWN * 20]
    ]
    rows.sort(key=lambda one: one.bytes, reverse=True)
    return Storage(database, told["files"], told["bytes"] or 0, rows[:CREWS_SHOWN])


def entries(asker: User) -> QuerySet[AuditEntry]:
    """What owners and keepers did, the newest first."""
    keeper(asker, "see what was done")
    return AuditEntry.objects.select_related("crew")
