"""Queues what a change of the catalogue has to be followed by: by name, as the tasks know the services, not the other
way round. Queued within a transaction, a job begins when that holds.
"""

from contextlib import suppress

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import AlreadyEnqueued

TASKS = "convoy_site.catalogue.tasks"


def read_soon(source_id: str) -> None:
    _queue("read_one", f"read-{source_id}", source_id=source_id)


def refit_soon(game_id: str) -> None:
    _queue("refit_game", f"refit-{game_id}", game_id=game_id)


def look_through_soon(file_pk: int) -> None:
    _queue("look_through_file", _looking(file_pk), file_pk=file_pk)


def read_files_soon(pack_id: str) -> None:
    """The task is packs': it knows which builds a draft has."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        named = "convoy_site.packs.tasks.read_files_of"
        app.configure_task(named, queueing_lock=f"files-{pack_id}", lock=f"files-{pack_id}").defer(pack_id=pack_id)


def is_reading_files(pack_id: str) -> bool:
    return ProcrastinateJob.objects.filter(lock=f"files-{pack_id}", status__in=("todo", "doing")).exists()


def is_to_be_looked_through(file_pk: int) -> bool:
    return ProcrastinateJob.objects.filter(lock=_looking(file_pk), status__in=("todo", "doing")).exists()


def _looking(file_pk: int) -> str:
    return f"look-through-{file_pk}"


def _queue(task: str, lock: str, **given: str | int) -> None:
    # In a savepoint of its own: one that is queued already would spoil the transaction around it.
    with suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(f"{TASKS}.{task}", queueing_lock=lock, lock=lock).defer(**given)
