"""Calls for help: gathered by an agent, sent by its member, answered by curators."""

from collections.abc import Sequence
from typing import Annotated, Literal
from uuid import UUID

from ninja import Query, Router

from ...installations.tokens import AgentToken, FromAgent
from ...packs import drafts
from ...people.rights import SignedIn
from ...people.tries import count_use
from ...shapes import Done
from ..models import HelpCall, HelpState, HelpWord
from ..reading import page
from ..shapes import LogWanted, TrialLog
from . import proposals, services
from .shapes import (
    HelpAlikeOut,
    HelpAnswerIn,
    HelpAnswerOut,
    HelpCallIn,
    HelpCallMade,
    HelpCallOut,
    HelpCallRow,
    HelpCloseIn,
    HelpEndOut,
    HelpStartOut,
)

router = Router(tags=["helping"])

SHOWN = 60


@router.post("/agent/help", auth=AgentToken(), response=HelpCallMade, operation_id="agent_help")
def gather(request: FromAgent, body: HelpCallIn) -> HelpCallMade:
    """A call for help as an agent gathered it. Its member alone sees it until they send it."""
    count_use("call-for-help", str(request.auth.pk), 30, 3600)
    made = services.gather(request.auth, body)
    return HelpCallMade(id=made.pk, address=services.address_of(made))


@router.get("/packs/{pack_id}/calls", response=list[HelpCallRow], operation_id="help_calls")
def calls(request: SignedIn, pack_id: UUID) -> list[HelpCallRow]:
    """One's own; for curators also what was sent to them. Open ones first, then the newest."""
    found = list(services.calls(request.user, pack_id)[:SHOWN])
    found.sort(key=lambda one: one.state == HelpState.CLOSED)
    said = services.answers_of(found)
    return [_row(one, request, said.get(one.pk, 0)) for one in found]


@router.get("/calls/{call_id}", response=HelpCallOut, operation_id="help_call")
def call(request: SignedIn, call_id: UUID) -> HelpCallOut:
    one = services.call(request.user, call_id)
    said = list(one.answers.select_related("by", "taken_by"))
    found, good = services.alike(one), services.last_good(one)
    logs = services.logs_of(one)
    mods = {entry["mod"] or "" for entries in logs.values() for entry in entries}
    mods |= {*one.mods, *(word.proposal.get("mod", "") for word in said)}
    names = drafts.names_of(one.pack, mods - {""})
    return HelpCallOut(
        **_row(one, request, len(said)).model_dump(),
        text=one.text,
        starts=[HelpStartOut(**start) for start in one.starts],
        last_good=HelpStartOut(**good) if good else None,
        mods=one.mods,
        alike=HelpAlikeOut(people=found.people, ends=[HelpEndOut(was=was, times=times) for was, times in found.ends]),
        said=_said(request, one, said, names),
        curates=services.answers_calls(request.user, one.pack),
        closed_by=one.closed_by.shown if one.closed_by else "",
        logs=list(logs),
        names=names,
        installation_id=one.installation_id if one.member_id == request.user.pk else None,
    )


@router.get("/calls/{call_id}/log/{which}", response=TrialLog, operation_id="help_log")
def log(
    request: SignedIn, call_id: UUID, which: Literal["last", "good"], wanted: Annotated[LogWanted, Query()]
) -> TrialLog:
    """Entries of what the last start said, or the last good one."""
    return page(services.logs_of(services.call(request.user, call_id)).get(which, []), wanted)


@router.post("/calls/{call_id}/send", response=Done, operation_id="send_help_call")
def send(request: SignedIn, call_id: UUID) -> Done:
    """Lets the crew's curators see what was gathered."""
    services.send(request.user, call_id)
    return Done()


@router.delete("/calls/{call_id}", response=Done, operation_id="drop_help_call")
def drop(request: SignedIn, call_id: UUID) -> Done:
    """Takes one's own call back, with what was said to it."""
    services.drop(request.user, call_id)
    return Done()


@router.post("/calls/{call_id}/answers", response=Done, operation_id="answer_help_call")
def answer(request: SignedIn, call_id: UUID, body: HelpAnswerIn) -> Done:
    """Says something to a call; curators may propose something that can be taken with one press."""
    count_use("help-answer", str(request.user.pk), 60, 3600)
    services.say(request.user, call_id, body.text, body.proposal)
    return Done()


@router.post("/calls/{call_id}/answers/{number}/take", response=Done, operation_id="take_help")
def take(request: SignedIn, call_id: UUID, number: int) -> Done:
    """Does what was proposed."""
    proposals.take(request.user, call_id, number)
    return Done()


@router.post("/calls/{call_id}/close", response=Done, operation_id="close_help_call")
def close(request: SignedIn, call_id: UUID, body: HelpCloseIn) -> Done:
    """Closes a call with what it was."""
    services.close(request.user, call_id, body.was)
    return Done()


def _row(one: HelpCall, request: SignedIn, answers: int) -> HelpCallRow:
    return HelpCallRow(
        id=one.pk,
        pack_id=one.pack_id,
        state=HelpState(one.state),
        member=one.member.shown,
        own=one.member_id == request.user.pk,
        installation=one.installation.name if one.installation else "",
        number=one.number,
        words=one.words,
        cause=one.cause,
        at=one.at,
        sent_at=one.sent_at,
        closed_at=one.closed_at,
        was=one.was,
        answers=answers,
    )


def _said(request: SignedIn, one: HelpCall, said: Sequence[HelpWord], names: dict[str, str]) -> list[HelpAnswerOut]:
    found = []
    for word in said:
        proposal = proposals.read(word.proposal) if word.proposal else None
        is_open = proposal is not None and word.taken_at is None and one.state != HelpState.CLOSED
        found.append(
            HelpAnswerOut(
                number=word.pk,
                by=word.by.shown,
                at=word.at,
                text=word.text,
                proposal=word.proposal,
                says=proposals.sentence(proposal, names) if proposal else "",
                mine=bool(is_open and proposal and proposals.may_take(request.user, one, proposal)),
                taken_at=word.taken_at,
                taken_by=word.taken_by.shown if word.taken_by else "",
            )
        )
    return found
