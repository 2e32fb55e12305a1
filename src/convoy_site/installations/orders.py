"""What a member asks of their own installation on its page: orders, and pausing. The agent picks them up.

A machine of one's own does so while `convoy watch` runs there; for a stand-in of the demo the worker runs the agent.
"""

from contextlib import suppress
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.trust.word import call_name
from convoy_core.words.errors import ConvoyError

from ..people.models import User
from ..releases.statements import CALLS_FOR
from . import stand_ins
from .joining import Busy, installation_for, left
from .models import Installation
from .progress import current_progress, take_progress

WATCHES_FOR = timedelta(minutes=11)
"""An agent that watches asks the site itself every five minutes; after this silence it is taken to have gone."""


ORDER_FOR = timedelta(minutes=10)
"""An agent that comes back later does not do what somebody wanted then."""


class NotWatching(ConvoyError):
    """No agent is there to do it: the installation is on a machine of the member's own."""

    code = "not-watching"


def is_watching(one: Installation) -> bool:
    return bool(one.machine_id) or (one.watched_at is not None and timezone.now() - one.watched_at < WATCHES_FOR)


@transaction.atomic
def ask(user: User, installation_id: UUID, what: str, given: dict[str, Any]) -> None:
    """Asks for something to be done. Raises Busy while something is, and NotWatching when nobody would do it."""

    installation_for(user, installation_id)
    one = Installation.objects.select_for_update(of=("self",)).select_related("machine").get(pk=installation_id)
    progress = current_progress(one)
    if progress and not progress.get("error"):
        raise Busy("It is busy already.", now="Wait until it has ended.")
    if not is_watching(one):
        raise NotWatching(
            "No agent is watching this installation.",
            "It is on a machine of your own, where only you start the agent.",
            "Run “convoy watch” there, and ask again; or run the command itself.",
        )
    note_order(one, what, given)
    if one.machine_id:
        stand_ins.send_agent(one)


def go_on_after_errands(user: User, installation_id: UUID) -> None:
    """Asks for the sync again that had to wait for files, now that the last one has come."""
    one = Installation.objects.get(pk=installation_id)
    if one.answer.get("what") == "sync" and one.answer.get("refused") and one.about.get("errands"):
        # Somebody may have pressed the button already: then it is being done.
        with suppress(Busy):
            ask(user, installation_id, "sync", {})


def note_order(one: Installation, what: str, given: dict[str, Any]) -> None:
    """Keeps an order for the agent's next question."""
    one.orders += 1
    one.order = {"id": one.orders, "what": what, "given": given, "at": timezone.now().isoformat()}
    one.answer, one.hold, one.called_at = {}, "", timezone.now()
    one.save(update_fields=["orders", "order", "answer", "hold", "called_at"])
    take_progress(one, {"phase": "waiting"})


def calls_of(pack_id: UUID) -> dict[str, int]:
    """Which installations of a pack are called to ask the site: how they are called in public, and a count that
    grows.
    """
    since = timezone.now() - CALLS_FOR
    rows = Installation.objects.filter(pack_id=pack_id, called_at__gt=since).values_list("id", "orders")
    return {call_name(str(one)): count for one, count in rows}


def pending(one: Installation) -> dict[str, Any] | None:
    """The order that waits for the agent: id, what, given. One that nobody picked up in time is not given any more."""
    if not one.order or timezone.now() - datetime.fromisoformat(one.order["at"]) > ORDER_FOR:
        return None
    return {name: one.order[name] for name in ("id", "what", "given")}


def hold(user: User, installation_id: UUID, what: str) -> None:
    """`pause`, `stop`, or nothing to go on: the agent hears it at its next word."""
    Installation.objects.filter(pk=installation_for(user, installation_id).pk).update(hold=what)


def order_done(one: Installation, order_id: int, said: str, refused: bool) -> None:
    """The agent tells how an order went. One that was asked for since stays."""
    with transaction.atomic():
        locked = Installation.objects.select_for_update().get(pk=one.pk)
        if locked.order.get("id") != order_id:
            return
        locked.answer = {"what": locked.order["what"], "said": said, "refused": refused}
        locked.order, locked.hold = {}, ""
        locked.save(update_fields=["order", "answer", "hold"])
        if locked.answer["what"] == "leave" and not refused:
            left(locked)
        elif locked.progress.get("phase") == "waiting":
            take_progress(locked, {})


def give_up_order(one: Installation, said: str) -> None:
    """For a stand-in whose agent could not even be started."""
    Installation.objects.filter(pk=one.pk).update(order={}, answer={"what": "", "said": said, "refused": True}, hold="")
