"""What a member asks of their own installation on its page: orders, choices, pausing. The agent picks them up.

A machine of one's own does so while `convoy watch` runs there; for a stand-in of the demo the worker runs the agent.
"""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.words.errors import ConvoyError

from ..people.models import User
from ..people.rights import NotFound
from ..releases.services import releases_of
from .models import Installation
from .services import Busy, current_progress, installation_for, left, take_progress
from .standings import followed

ORDERS = ("look", "sync", "undo", "back up", "restore", "drop backup", "step", "put back", "leave")
"""What can be asked for; `convoy_agent.watch.DO` has the doing."""

WATCHES_FOR = timedelta(seconds=45)
"""An agent that watches asks every few seconds; after this silence it is taken to have gone."""


ORDER_FOR = timedelta(minutes=10)
"""An agent that comes back later does not do what somebody wanted then."""


class NotWatching(ConvoyError):
    """No agent is there to do it: the installation is on a machine of the member's own."""

    code = "not-watching"


@dataclass(frozen=True)
class Choices:
    """What a member chooses; None leaves it as it is. `stays_at` empty: whatever is newest."""

    stays_at: str | None = None
    trial: bool | None = None
    left_out: Sequence[str] | None = None
    asked_about: Sequence[str] | None = None
    line_kb: int | None = None
    most_mb: int | None = None


def is_watching(one: Installation) -> bool:
    return bool(one.machine_id) or (one.watched_at is not None and timezone.now() - one.watched_at < WATCHES_FOR)


@transaction.atomic
def ask(user: User, installation_id: UUID, what: str, given: dict[str, Any]) -> None:
    """Asks for something to be done. Raises Busy while something is, and NotWatching when nobody would do it."""
    from .tasks import send_agent

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
        send_agent(one)


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
    one.answer, one.hold = {}, ""
    one.save(update_fields=["orders", "order", "answer", "hold"])
    take_progress(one, {"phase": "waiting"})


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


def choose(user: User, installation_id: UUID, choices: Choices) -> Installation:
    """Keeps a member's choices; the next sync follows them. Raises NotFound for a release that is not open to them.

    An agent that watches sees by itself that its release or its share is another one, and looks; a stand-in's is sent.
    """
    from .tasks import send_agent

    installation_for(user, installation_id)
    with transaction.atomic():
        one = Installation.objects.select_for_update(of=("self",)).select_related("pack").get(pk=installation_id)
        if choices.trial is not None:
            one.trial = choices.trial
        for name in ("left_out", "asked_about"):
            if (value := getattr(choices, name)) is not None:
                setattr(one, name, sorted(set(value)))
        for name in ("line_kb", "most_mb"):
            if (number := getattr(choices, name)) is not None:
                setattr(one, name, number)
        if choices.stays_at is not None:
            releases = list(releases_of(one.pack).select_related("withdrawal"))
            found = next((release for release in followed(one, releases) if release.number == choices.stays_at), None)
            if choices.stays_at and found is None:
                raise NotFound(
                    f"Release {choices.stays_at} cannot be chosen.",
                    "It does not exist, was withdrawn, or is for trial only.",
                    "Choose one of those listed.",
                )
            one.stays_at = found
        one.save(update_fields=["trial", "left_out", "asked_about", "line_kb", "most_mb", "stays_at"])
        moved = any(each is not None for each in (choices.trial, choices.stays_at, choices.left_out))
        if moved and one.machine_id and one.token_hash:
            send_agent(one, only_look=True)
    return one
