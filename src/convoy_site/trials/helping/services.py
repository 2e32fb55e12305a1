"""Calls for help as people make, answer and close them. A call is seen by its member, and by the crew's curators once
it was sent.
"""

import gzip
import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.db.models import Count, QuerySet
from django.utils import timezone

from convoy_core.words.errors import ConvoyError

from ...installations.models import Installation
from ...packs.models import Pack
from ...packs.services import pack_for
from ...people.events import Happened, tell
from ...people.models import User
from ...people.rights import MAY, Action, NotFound, allow, role_in
from ..models import HelpCall, HelpLog, HelpState, HelpWord
from .shapes import HelpCallIn, HelpCauseIn, HelpStartIn, Proposal

MOST_OPEN = 20
"""Calls of one member for one pack that are not closed."""

MOST_ANSWERS = 200


class TooManyCalls(ConvoyError):
    code = "too-many-calls"


class CallClosed(ConvoyError):
    """It was closed meanwhile: nothing is added to it."""

    code = "call-closed"


@dataclass(frozen=True)
class Alike:
    """Other calls by the same cause: of how many people, and what they were, the commonest first."""

    people: int
    ends: Sequence[tuple[str, int]]


@transaction.atomic
def gather(one: Installation, told: HelpCallIn) -> HelpCall:
    """Keeps what an agent gathered; only its member sees it until it is sent. Raises TooManyCalls."""
    Installation.objects.select_for_update(of=("self",)).get(pk=one.pk)
    mine = HelpCall.objects.filter(pack=one.pack_id, member=one.member_id)
    # One that was gathered and never sent makes room for the next: nobody else knows of it.
    mine.filter(state=HelpState.GATHERED, installation=one).delete()
    if mine.exclude(state=HelpState.CLOSED).count() >= MOST_OPEN:
        raise TooManyCalls(
            f"{MOST_OPEN} calls of yours are open already.", now="Close those that are settled, then send this one."
        )
    cause = told.cause
    made = HelpCall.objects.create(
        pack_id=one.pack_id,
        member_id=one.member_id,
        installation=one,
        number=told.number,
        words=told.words,
        text=told.text,
        cause=cause.sentence if cause else "",
        alike=_alike(cause),
        mods=[mod for mod in (cause.mod, cause.other) if mod] if cause else [],
        starts=[start.dict() for start in told.starts],
    )
    logs = told.logs.dict()
    if logs["last"]:
        data = gzip.compress(json.dumps(logs, ensure_ascii=False).encode(), 6, mtime=0)
        HelpLog.objects.create(call=made, data=data)
    if told.send:
        _send(made)
    return made


def logs_of(one: HelpCall) -> dict[str, list[dict[str, Any]]]:
    """By *last* and *good* the entries of what was said, as far as something was."""
    found = HelpLog.objects.filter(call=one).first()
    told = json.loads(gzip.decompress(bytes(found.data))) if found else {}
    return {which: entries for which, entries in told.items() if entries}


def _alike(cause: HelpCauseIn | None) -> str:
    """A cause that neither a message nor a mod names is like no other."""
    if cause is None or not (cause.known or cause.mod):
        return ""
    return "|".join((cause.known or "likely", cause.mod, cause.other))[:400]


def _send(call: HelpCall) -> None:
    call.state, call.sent_at = HelpState.OPEN, timezone.now()
    call.save(update_fields=["state", "sent_at"])
    _tell(Happened.CALLED_FOR_HELP, call, call.member, call.cause or call.words or "something is wrong")


def _tell(what: Happened, call: HelpCall, by: User, why: str) -> None:
    pack = call.pack
    tell(
        what, pack.crew, by, pack.pk,
        name=pack.name, who=by.shown, call=str(call.pk), why=why[:200], username=call.member.username,
    )  # fmt: skip


def address_of(call: HelpCall) -> str:
    return f"{settings.ADDRESS}/calls/{call.pk}"


def calls(user: User, pack_id: UUID) -> QuerySet[HelpCall]:
    """Of a pack: one's own; for who answers calls also those that were sent by others."""
    pack = pack_for(user, pack_id, Action.SEE)
    found = HelpCall.objects.filter(pack=pack)
    mine = found.filter(member=user)
    shown = (found.exclude(state=HelpState.GATHERED) | mine) if answers_calls(user, pack) else mine
    return shown.select_related("member", "installation")


def answers_of(ones: Sequence[HelpCall]) -> dict[UUID, int]:
    """How much was said to each."""
    rows = HelpWord.objects.filter(call__in=ones).order_by().values_list("call").annotate(Count("pk"))
    return dict(rows)


def answers_calls(user: User, pack: Pack) -> bool:
    return role_in(user, pack.crew_id) in MAY[Action.HELP]


def call(user: User, call_id: UUID, lock: bool = False) -> HelpCall:
    """One's own, or one that was sent to the curators of a crew that one curates. Raises NotFound for all others."""
    found = HelpCall.objects.select_related("pack__crew", "pack__draft", "member", "installation", "closed_by")
    one = (found.select_for_update(of=("self",)) if lock else found).filter(pk=call_id).first()
    if one is None or not _may_see(user, one):
        raise NotFound("This call for help does not exist, or it is not for you.")
    return one


def _may_see(user: User, one: HelpCall) -> bool:
    if one.member_id == user.pk:
        return role_in(user, one.pack.crew_id) is not None
    return one.state != HelpState.GATHERED and answers_calls(user, one.pack)


def own(user: User, call_id: UUID, lock: bool = False) -> HelpCall:
    """Raises NotFound for anybody else's."""
    one = call(user, call_id, lock)
    if one.member_id != user.pk:
        raise NotFound("This call for help is not yours.")
    return one


@transaction.atomic
def send(user: User, call_id: UUID) -> None:
    """Lets the curators see it. What was sent is sent once."""
    one = own(user, call_id, lock=True)
    if one.state == HelpState.GATHERED:
        _send(one)


def drop(user: User, call_id: UUID) -> None:
    """Takes one's own back, with what was said to it."""
    own(user, call_id).delete()


@transaction.atomic
def say(user: User, call_id: UUID, text: str, proposal: Proposal | None) -> HelpWord:
    """Raises CallClosed, TooManyCalls, Forbidden where somebody proposes who answers no calls."""
    one = call(user, call_id, lock=True)
    _refuse_closed(one)
    if proposal is not None:
        allow(user, one.pack.crew, Action.HELP)
    if one.answers.count() >= MOST_ANSWERS:
        raise TooManyCalls("So much was said to this call that nobody reads it any more.", now="Close it.")
    said = HelpWord.objects.create(call=one, by=user, text=text, proposal=proposal.dict() if proposal else {})
    if one.state == HelpState.OPEN:
        _tell(Happened.HELP_ANSWERED, one, user, text or "something is proposed")
    return said


@transaction.atomic
def close(user: User, call_id: UUID, was: str) -> None:
    """Says what it was. Whoever finds the same cause later is told."""
    one = call(user, call_id, lock=True)
    _refuse_closed(one)
    one.state, one.closed_at, one.closed_by, one.was = HelpState.CLOSED, timezone.now(), user, was
    one.save(update_fields=["state", "closed_at", "closed_by", "was"])
    if one.sent_at:
        _tell(Happened.HELP_CLOSED, one, user, was or "nobody said what it was")


def _refuse_closed(one: HelpCall) -> None:
    if one.state == HelpState.CLOSED:
        raise CallClosed("This call is closed.", f"It was: {one.was}." if one.was else "", "Make another one.")


def alike(one: HelpCall) -> Alike:
    """In the same crew, whichever pack; of those that were sent."""
    if not one.alike:
        return Alike(0, ())
    found = HelpCall.objects.filter(pack__crew=one.pack.crew_id, alike=one.alike).exclude(state=HelpState.GATHERED)
    rows = list(found.exclude(pk=one.pk).values_list("member", "was"))
    ends = Counter(was for _, was in rows if was)
    return Alike(len({member for member, _ in rows} - {one.member_id}), ends.most_common(5))


def last_good(one: HelpCall) -> dict[str, Any] | None:
    return next((start for start in one.starts if HelpStartIn(**start).good), None)
