"""Machines of the demo: where their folders lie, and how the worker is sent to run their agents."""

from contextlib import suppress
from pathlib import Path

from django.conf import settings
from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from .models import Installation

OBEY = "obey"
"""The task that runs a stand-in's agent, by name: whoever sends it needs nothing of what it does."""


def stand_in_folder(installation: Installation) -> Path:
    """Where a stand-in machine keeps an installation: from ids only, so no name can lead elsewhere."""
    assert installation.machine is not None
    return Path(settings.STANDIN_MACHINES) / installation.machine.slug / str(installation.pk)


def send_agent(one: Installation, only_look: bool = False) -> None:
    """Has the worker run a stand-in's agent: one run at a time. `only_look`: unless one is waiting already, which looks
    as well.
    """
    queued = f"look-{one.pk}" if only_look else None
    # Whoever waits already keeps the place; the failed attempt must not take the caller's transaction with it.
    with suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(OBEY, queue="stand-ins", lock=f"agent-{one.pk}", queueing_lock=queued).defer(
            installation=str(one.pk)
        )
