"""What the worker does about news."""

from uuid import UUID

from procrastinate.contrib.django import app

from . import calls, looking_ahead, mailing, spreading


@app.task
def spread(event: str) -> None:
    spreading.spread(UUID(event))


@app.task
def call(call: str) -> None:
    calls.send(UUID(call))


@app.periodic(cron="*/5 * * * *")
@app.task(queueing_lock="look-ahead")
def look_ahead(timestamp: int = 0) -> None:
    looking_ahead.look_ahead()


@app.periodic(cron="0 16 * * *")
@app.task(queueing_lock="mail-the-day")
def mail_the_day(timestamp: int = 0) -> None:
    """In the afternoon: before people play."""
    mailing.mail_the_day()
    calls.forget_old_calls()
