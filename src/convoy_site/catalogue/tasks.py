"""What runs in the background for the catalogue."""

from django.db.models import Q
from django.utils import timezone
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from ..kept_files import StorageAway
from . import after, changes
from .dropping import look_through, tidy
from .models import Game, Source, SourceState
from .reading_sources import read_source
from .refitting import refit


@app.periodic(cron="*/10 * * * *")
@app.task(queueing_lock="read-sources")
def read_sources(timestamp: int = 0) -> None:
    """Has every source asked for news, each in a job of its own: a slow one keeps none of the others waiting."""
    rested = Q(rest_until=None) | Q(rest_until__lt=timezone.now())
    for source in Source.objects.filter(rested, is_own=False, state=SourceState.READ).values_list("pk", flat=True):
        after.read_soon(source)


@app.periodic(cron="17 4 * * *")
@app.task(queueing_lock="tidy-own-files")
def tidy_own_files(timestamp: int = 0) -> None:
    tidy()


@app.periodic(cron="7 * * * *")
@app.task(queueing_lock="forget-old-changes")
def forget_old_changes(timestamp: int = 0) -> None:
    changes.forget_old()


@app.task
def read_one(source_id: str) -> None:
    source = Source.objects.select_related("game").filter(pk=source_id, state=SourceState.READ).first()
    if source:
        read_source(source)


@app.task(retry=RetryStrategy(max_attempts=10, wait=30, retry_exceptions=[StorageAway]))
def look_through_file(file_pk: int) -> None:
    look_through(file_pk)


@app.task
def refit_game(game_id: str) -> None:
    game = Game.objects.filter(pk=game_id).first()
    if game:
        refit(game)
