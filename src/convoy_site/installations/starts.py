"""Starts of the game, as a crew learns of them around a departure. At any other hour nobody is told who plays."""

from datetime import datetime, timedelta
from typing import Any

from django.utils import timezone

from convoy_core.sync.starts import StartState
from convoy_core.trust.statement import Named

from .models import Departure, Installation

BEFORE, AFTER = timedelta(hours=2), timedelta(hours=6)
"""From when until when starts are a departure's."""


def departs(one: Installation) -> bool:
    """Whether a departure of its pack is near."""
    now = timezone.now()
    near = Departure.objects.filter(pack=one.pack_id, called_off=False, at__lt=now + BEFORE, at__gt=now - AFTER)
    return near.exists()


def take_start(one: Installation, began: datetime, named: Named, in_step: bool, state: StartState) -> None:
    """Keeps how a start stands; one that is told at another hour is not kept."""
    if departs(one):
        told = {
            "began": began.isoformat(), "release": named.number, "sha256": named.sha256, "in_step": in_step,
            "state": state, "at": timezone.now().isoformat(),
        }  # fmt: skip
        Installation.objects.filter(pk=one.pk).update(start=told)


def start_for(one: Installation, departure: Departure) -> dict[str, Any]:
    """Its last start, where that is one of this departure; else nothing."""
    if not one.start:
        return {}
    at = datetime.fromisoformat(one.start["at"])
    return one.start if departure.at - BEFORE < at < departure.at + AFTER else {}
