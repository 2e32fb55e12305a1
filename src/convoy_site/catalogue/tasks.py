"""What runs in the background for the catalogue."""

from contextlib import suppress

from django.db.models import Q
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from .models import Source
from .own import tidy
from .reading_sources import read_source


@app.periodic(cron="*/10 * * * *")
@app.task(queueing_lock="read-sources")
def read_sources(timestamp: int = 0) -> None:
    """Has every source asked for news, each in a job of its own: a slow one keeps none of the others waiting."""
    rested = Q(rest_until=None) | Q(rest_until__lt=timezone.now())
    for source in Source.objects.filter(rested, crew=None).values_list("pk", flat=True):
        with suppress(AlreadyEnqueued):
            read_one.configure(queueing_lock=f"read-{source}", lock=f"read-{source}").defer(source_id=source)


@app.periodic(cron="17 4 * * *")
@app.task(queueing_lock="tidy-own-files")
def tidy_own_files(timestamp: int = 0) -> None:
    tidy()


@app.task
def read_one(source_id: str) -> None:
    read_source(Source.objects.select_related("game").get(pk=source_id))
