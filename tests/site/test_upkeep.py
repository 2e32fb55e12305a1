"""What a worker had in hand when it was killed is done by the next one."""

import pytest
from django.db import connection
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from convoy_site.catalogue.tasks import read_one, read_sources
from convoy_site.management.commands import worker
from convoy_site.upkeep import resume_stalled


@pytest.mark.django_db(transaction=True)
def test_what_a_killed_worker_had_in_hand_blocks_nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[str] = []
    monkeypatch.setattr(read_sources, "func", lambda timestamp=0: None)
    monkeypatch.setattr(read_one, "func", lambda source_id: read.append(source_id))
    for source in ("tollhouse", "reed-post"):
        read_one.configure(queueing_lock=source, lock=source).defer(source_id=source)
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing'")  # by a worker that is no more
    # Asked for again meanwhile: it waits for the lock of the one that nobody does.
    read_one.configure(queueing_lock="tollhouse", lock="tollhouse").defer(source_id="tollhouse")
    resume_stalled.defer()
    with app.replace_connector(app.connector.get_worker_connector()) as working:
        working.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)
    jobs = ProcrastinateJob.objects.filter(task_name=read_one.name).order_by("id")
    assert [job.status for job in jobs] == ["failed", "succeeded", "succeeded"]
    assert sorted(read) == ["reed-post", "tollhouse"]


def test_a_worker_that_is_stopped_while_the_database_is_away_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    turns: list[int] = []

    async def working(concurrency: int, stop: worker.Stop) -> None:
        turns.append(concurrency)
        stop.asked = len(turns) == 2
        raise OSError("the line was cut")

    monkeypatch.setattr(worker, "_work", working)
    monkeypatch.setattr(worker.time, "sleep", lambda seconds: None)
    worker.Command().handle(concurrency=3)
    assert turns == [3, 3]
