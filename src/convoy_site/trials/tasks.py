"""What the worker does for trials."""

from uuid import UUID

from procrastinate.contrib.django import app

from . import trying
from .narrowing import narrow_down as narrowing_down
from .remote import give_up_waiting
from .services import forget_old


@app.task
def try_out(trial: str) -> None:
    trying.try_out(UUID(trial))


@app.task
def narrow_down(narrowing: str) -> None:
    narrowing_down(UUID(narrowing))


@app.periodic(cron="47 * * * *")
@app.task(queueing_lock="forget-old-trials")
def forget_old_trials(timestamp: int = 0) -> None:
    give_up_waiting()
    forget_old()
