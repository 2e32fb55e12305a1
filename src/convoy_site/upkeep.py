"""Keeps the queue of background jobs itself in order."""

from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Status

from .people.tries import forget_old
from .releases.statements import renew_statements

KEPT_HOURS = 72
"""How long jobs that have ended stay to be looked at."""


@app.periodic(cron="* * * * *")
@app.task(queueing_lock="resume-stalled", pass_context=True)
async def resume_stalled(context: JobContext, timestamp: int = 0) -> None:
    """Runs again what a worker had in hand when it was killed. It would stand as being done for ever, and jobs that
    wait for its lock would never run: that source would never be read again.
    """
    jobs = context.app.job_manager
    for job in await jobs.get_stalled_jobs():
        try:
            await jobs.retry_job(job)
        except UniqueViolation:
            # One that does the same waits already, and has only this one's lock to wait for.
            assert job.id is not None
            await jobs.finish_job_by_id_async(job.id, Status.FAILED, delete_job=False)


@app.periodic(cron="17 * * * *")
@app.task(queueing_lock="renew-statements")
def renew(timestamp: int = 0) -> None:
    """Signs the packs' words anew before they run out, whether anybody asks for them or not, and forgets old tries."""
    renew_statements()
    forget_old()


@app.periodic(cron="31 4 * * *")
@app.task(queueing_lock="forget-old-jobs", pass_context=True)
async def forget_old_jobs(context: JobContext, timestamp: int = 0) -> None:
    await context.app.job_manager.delete_old_jobs(
        nb_hours=KEPT_HOURS, include_failed=True, include_cancelled=True, include_aborted=True
    )
