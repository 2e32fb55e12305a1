"""What is proposed in answer to a call. It is taken in the draft by whoever may change that, else by its member."""

from collections.abc import Callable, Mapping
from typing import Any, assert_never
from uuid import UUID

from django.db import transaction
from django.utils import timezone
from pydantic import TypeAdapter

from convoy_core.settings.knowledge import as_words
from convoy_core.sync.orders import OrderKind
from convoy_core.words.errors import ConvoyError

from ...installations import choices, orders
from ...installations.choices import MemberChoices
from ...installations.models import Installation
from ...packs import services as packs
from ...packs.shapes.edits import HoldLine
from ...people.models import User
from ...people.rights import MAY, Action, NotFound, allow, role_in
from ..models import HelpCall, HelpWord
from . import services
from .shapes import HoldProposal, Proposal, ReleaseProposal, SettingProposal, StepProposal

_READ: TypeAdapter[Proposal] = TypeAdapter(Proposal)


class AlreadyTaken(ConvoyError):
    code = "already-taken"


class NoFolder(ConvoyError):
    """The installation that the call was made for is gone."""

    code = "no-folder"


def read(told: Mapping[str, Any]) -> Proposal:
    return _READ.validate_python(dict(told))


def sentence(one: Proposal, names: Mapping[str, str]) -> str:
    if isinstance(one, HoldProposal):
        return f"Hold {names.get(one.mod, one.mod)} at {one.version}, for everybody"
    if isinstance(one, SettingProposal):
        return f"Set {'.'.join(one.key)} to {as_words(one.value)} in {one.path}, on your machine"
    if isinstance(one, ReleaseProposal):
        return f"Stay at release {one.number} for now"
    if isinstance(one, StepProposal):
        return one.text
    assert_never(one)


def may_take(user: User, call: HelpCall, one: Proposal) -> bool:
    if isinstance(one, HoldProposal):
        return role_in(user, call.pack.crew_id) in MAY[Action.EDIT]
    return call.member_id == user.pk


@transaction.atomic
def take(user: User, call_id: UUID, number: int) -> None:
    """Does what is proposed. Raises AlreadyTaken, NotFound, NotWatching where no agent is there to do it, NoFolder, and
    what changing the draft raises; nothing is taken then.
    """
    call = services.call(user, call_id, lock=True)
    word = HelpWord.objects.filter(call=call, pk=number).exclude(proposal={}).first()
    if word is None:
        raise NotFound("Nothing of that kind is proposed here.")
    if word.taken_at:
        raise AlreadyTaken("This was taken already.", now="Look whether it helped.")
    proposal = read(word.proposal)
    if not isinstance(proposal, HoldProposal) and call.member_id != user.pk:
        raise NotFound("This is proposed to somebody else.", "It is for them to take.")
    _TAKING[type(proposal)](user, call, proposal)
    word.taken_at, word.taken_by = timezone.now(), user
    word.save(update_fields=["taken_at", "taken_by"])


def _hold(user: User, call: HelpCall, one: HoldProposal) -> None:
    allow(user, call.pack.crew, Action.EDIT)
    because = f"Helps {call.member.shown}"[:200]
    edit = HoldLine(do="hold", mod=one.mod, version=one.version, because=because)
    packs.edit_draft(user, call.pack_id, call.pack.draft.revision, [edit])


def _set(user: User, call: HelpCall, one: SettingProposal) -> None:
    folder = _folder(call)
    place = {"path": one.path, "key": one.key}
    others = [{"path": path, "key": key} for path, key in folder.pinned if (path, list(key)) != (one.path, one.key)]
    orders.ask(user, folder.pk, OrderKind.SET_OWN, {"settings": [{**place, "value": one.value}]})
    choices.choose(user, folder.pk, MemberChoices(pinned=[*others, place]))


def _stay(user: User, call: HelpCall, one: ReleaseProposal) -> None:
    folder = _folder(call)
    choices.choose(user, folder.pk, MemberChoices(stays_at=one.number))
    orders.ask(user, folder.pk, OrderKind.SYNC, {})


def _do(user: User, call: HelpCall, one: StepProposal) -> None:
    """It is done by its member; that is what is noted."""


def _folder(call: HelpCall) -> Installation:
    if call.installation is None:
        raise NoFolder("The installation that this was about is gone.", now="Close the call.")
    return call.installation


_TAKING: Mapping[type, Callable[[User, HelpCall, Any], None]] = {
    HoldProposal: _hold,
    SettingProposal: _set,
    ReleaseProposal: _stay,
    StepProposal: _do,
}
