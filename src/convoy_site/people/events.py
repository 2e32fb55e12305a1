"""Tells that something happened: one row, in the transaction of what happened, and a job that begins when that holds.

Who learns of it, and how, is `notices`: queued by name, as it knows all parts and none knows it.
"""

from enum import StrEnum
from uuid import UUID

from procrastinate.contrib.django import app

from .models import Crew, Event, User

SPREAD = "convoy_site.notices.tasks.spread"


class Happened(StrEnum):
    """Source: docs/rules.md, "Words": notice."""

    RELEASE = "release"
    TRIAL = "trial"
    OPENED = "opened"
    WITHDRAWAL = "withdrawal"
    DEPARTURE_SET = "departure-set"
    DEPARTURE_MOVED = "departure-moved"
    DEPARTURE_OFF = "departure-off"
    PLAYTHROUGH_OPENED = "playthrough-opened"
    PLAYTHROUGH_ENDED = "playthrough-ended"
    MILESTONE = "milestone"
    LEAD_NEW = "lead-new"
    PROPOSED = "proposed"
    ANSWERED = "answered"
    CALLED_FOR_HELP = "called-for-help"
    HELP_ANSWERED = "help-answered"
    HELP_CLOSED = "help-closed"
    ROLE = "role"
    ABOARD = "aboard"
    HANDED_OVER = "handed-over"
    RENAMED = "renamed"
    PACK_MOVED = "pack-moved"
    RETIRED = "retired"
    BROUGHT_BACK = "brought-back"


def tell(
    what: Happened, crew: Crew, by: User | None = None, pack: UUID | None = None, **about: str | int | bool | None
) -> Event:
    """`about`: plain data."""
    event = Event.objects.create(what=what, crew=crew, by=by, pack=pack, about=about)
    app.configure_task(SPREAD).defer(event=str(event.pk))
    return event
