"""Calls other services with what happens to a pack: CloudEvents 1.0, signed, tried again, with a log of it all.

An address that somebody typed must not open the rooms of the site: nothing but the open network is called, unless the
site's keeper named a network (`CONVOY_PRIVATE_CALLS`).
"""

import hashlib
import hmac
import json
import secrets
import time
from collections.abc import Sequence
from datetime import timedelta
from typing import Any
from uuid import UUID

import httpx
from django.conf import settings
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate.contrib.django import app

from convoy_io.open_network import ClosedAddress, judged_client

from ..catalogue.reaching import ALLOWING
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.events import Happened
from ..people.models import Event, User
from ..people.rights import Action, Forbidden, NotFound
from ..people.tries import TooMany
from .models import Call, CallState, Hook
from .sentences import Told

TASK = "convoy_site.notices.tasks.call"
TYPE = "true-convoy"
TRY = f"{TYPE}.try"
PAUSES = (10, 60, 300, 1800, 7200, 21600, 43200, 86400)
"""Seconds before it is tried again: about two days in all."""

TIMEOUT_SECONDS, MOST_ANSWER = 10, 2000
MOST_HOOKS = 10
KEPT = timedelta(days=30)
"""How long calls stay in the log."""

OF_PEOPLE = (Happened.CALLED_FOR_HELP, Happened.HELP_ANSWERED, Happened.HELP_CLOSED)
"""What is between a member and their curators: told to them, and to no other program, feed or hook."""

OF_PACKS = tuple(
    one for one in Happened if one not in (Happened.ROLE, Happened.ABOARD, Happened.HANDED_OVER, *OF_PEOPLE)
)


def hooks_of(user: User, pack_id: UUID) -> QuerySet[Hook]:
    return pack_for(user, pack_id, Action.HAND_OUT).hooks.select_related("made_by")


def _hook(user: User, pack_id: UUID, hook_id: UUID) -> Hook:
    found = hooks_of(user, pack_id).filter(pk=hook_id).first()
    if found is None:
        raise NotFound("There is no such hook.")
    return found


@transaction.atomic
def make_hook(user: User, pack_id: UUID, address: str, kinds: Sequence[Happened]) -> Hook:
    """Raises ClosedAddress for what is none of the web; where it leads is judged at each call."""
    if any(kind not in OF_PACKS for kind in kinds):
        raise Forbidden(
            "Programs are not told of that.", "It is between people.", "Choose among what happens to packs."
        )
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    Pack.objects.select_for_update().get(pk=pack.pk)
    if pack.hooks.count() >= MOST_HOOKS:
        raise TooMany(f"{pack.name} calls {MOST_HOOKS} addresses already.", now="Remove one first.")
    made = Hook.objects.create(
        pack=pack, address=_checked(address), secret=secrets.token_hex(32), kinds=list(kinds), made_by=user
    )
    audit.note(user, f"had {pack.name} call {made.address}", pack.crew)
    return made


def _checked(address: str) -> str:
    try:
        url = httpx.URL(address.strip())
    except (httpx.InvalidURL, ValueError) as error:
        raise ClosedAddress(f"“{address[:80]}” is no address.", str(error)) from error
    if url.scheme not in ("http", "https") or not url.host or url.userinfo or url.fragment:
        raise ClosedAddress(
            f"“{address[:80]}” cannot be called.", "It must begin with http:// or https://, without a sign-in."
        )
    return str(url)


def change_hook(user: User, pack_id: UUID, hook_id: UUID, on: bool) -> None:
    hook = _hook(user, pack_id, hook_id)
    hook.on, hook.off_because = on, "" if on else f"{user.shown} switched it off."
    hook.save(update_fields=["on", "off_because"])


@transaction.atomic
def remove_hook(user: User, pack_id: UUID, hook_id: UUID) -> None:
    hook = _hook(user, pack_id, hook_id)
    audit.note(user, f"had {hook.pack.name} call {hook.address} no more", hook.pack.crew)
    hook.delete()


def calls_of(user: User, pack_id: UUID, hook_id: UUID) -> QuerySet[Call]:
    """The log, the newest first."""
    return _hook(user, pack_id, hook_id).calls.all()


@transaction.atomic
def send_again(user: User, pack_id: UUID, hook_id: UUID, call_id: UUID) -> None:
    call = calls_of(user, pack_id, hook_id).select_for_update().filter(pk=call_id).first()
    if call is None:
        raise NotFound("There is no such call.")
    call.state, call.tries, call.next_at = CallState.WAITS, 0, None
    call.save(update_fields=["state", "tries", "next_at"])
    _soon(call)


@transaction.atomic
def try_hook(user: User, pack_id: UUID, hook_id: UUID) -> None:
    """A call that tells of nothing, to see whether it is taken."""
    hook = _hook(user, pack_id, hook_id)
    made = Call(hook=hook, kind=TRY)
    data = {"pack": {"id": str(hook.pack_id), "name": hook.pack.name}, "text": f"A try, asked for by {user.shown}."}
    made.body = _cloud_event(str(made.pk), TRY, hook.pack, made.at.isoformat(), data)
    made.save()
    _soon(made)


def call_hooks(event: Event, pack: Pack, told: Told, more: str) -> None:
    """Called in the transaction that spreads the event."""
    for hook in pack.hooks.filter(on=True, kinds__contains=[event.what], made_at__lte=event.at):
        kind = f"{TYPE}.{event.what}"
        data = {
            "pack": {"id": str(pack.pk), "name": pack.name},
            "crew": event.crew.name,
            "by": event.by.shown if event.by else "",
            "text": told.text,
            "address": f"{settings.ADDRESS}{told.address}",
            "announcement": more,
            "about": event.about,
        }
        body = _cloud_event(str(event.pk), kind, pack, event.at.isoformat(), data)
        call, is_new = Call.objects.get_or_create(hook=hook, event=event, defaults={"kind": kind, "body": body})
        if is_new:
            _soon(call)


def _cloud_event(id: str, kind: str, pack: Pack, at: str, data: dict[str, Any]) -> str:
    """CloudEvents 1.0, JSON, structured mode."""
    return json.dumps(
        {
            "specversion": "1.0",
            "id": id,
            "source": f"{settings.ADDRESS}/packs/{pack.pk}",
            "type": kind,
            "time": at,
            "datacontenttype": "application/json",
            "data": data,
        },
        ensure_ascii=False,
    )


def _soon(call: Call, seconds: int = 0) -> None:
    at = timezone.now() + timedelta(seconds=seconds) if seconds else None
    app.configure_task(TASK, lock=f"call-{call.pk}", schedule_at=at).defer(call=str(call.pk))


def signature(secret: str, moment: str, body: bytes) -> str:
    """Source: docs/formats.md, "Feed and calls"."""
    return "v1=" + hmac.new(secret.encode(), moment.encode() + b"." + body, hashlib.sha256).hexdigest()


def client() -> httpx.Client:
    return judged_client(settings.PRIVATE_CALLS, ALLOWING, timeout=TIMEOUT_SECONDS, follow_redirects=False)


def send(call_id: UUID) -> None:
    """One try at one call. What fails is tried again after a pause, until there are none left."""
    call = Call.objects.select_related("hook").filter(pk=call_id).first()
    if call is None or call.state != CallState.WAITS or not call.hook.on:
        return
    began = time.monotonic()
    taken, gone, told = _post(call)
    call.took_ms = round((time.monotonic() - began) * 1000)
    call.tries += 1
    call.told, call.next_at = told[:400], None
    if taken:
        call.state = CallState.TAKEN
    elif gone or call.tries > len(PAUSES):
        call.state = CallState.FAILED
    else:
        pause = PAUSES[call.tries - 1]
        call.next_at = timezone.now() + timedelta(seconds=pause)
    with transaction.atomic():
        call.save(update_fields=["took_ms", "tries", "told", "next_at", "state"])
        if gone:
            why = "The other side said that nobody listens there any more (410)."
            Hook.objects.filter(pk=call.hook_id).update(on=False, off_because=why)
        if call.next_at:
            _soon(call, PAUSES[call.tries - 1])


def _post(call: Call) -> tuple[bool, bool, str]:
    """Whether it was taken, whether nobody listens there any more, and what was said."""
    body, moment = call.body.encode(), str(int(time.time()))
    headers = {
        "Content-Type": "application/cloudevents+json; charset=utf-8",
        "User-Agent": "true-convoy",
        "Convoy-Time": moment,
        "Convoy-Signature": signature(call.hook.secret, moment, body),
    }
    try:
        with client() as asking, asking.stream("POST", call.hook.address, content=body, headers=headers) as answer:
            said = bytearray()
            for piece in answer.iter_bytes(1024):
                said += piece
                if len(said) >= MOST_ANSWER:
                    break
            text = said[:MOST_ANSWER].decode("utf-8", "replace")
            shown = "".join(char if char.isprintable() else " " for char in text).strip()
            return answer.is_success, answer.status_code == 410, f"{answer.status_code} {shown}".strip()
    except ClosedAddress as error:
        return False, False, error.sentence()
    except (httpx.HTTPError, OSError) as error:
        return False, False, f"Not reached: {error or type(error).__name__}"


def forget_old_calls() -> None:
    Call.objects.filter(at__lt=timezone.now() - KEPT).delete()
