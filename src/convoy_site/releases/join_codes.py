"""Join codes: made, withdrawn, and opened by somebody who typed one."""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

from django.utils import timezone

from convoy_core.words.codes import JOIN_LENGTH, make_code, read_code
from convoy_core.words.errors import ConvoyError

from ..packs.services import pack_for
from ..people.models import User
from ..people.rights import Action, NotFound
from ..people.tries import guarded
from .models import JoinCode
from .services import Blocked

CODE_TRIES = 30
"""Wrong codes of one person in ten minutes: plenty for typing, hopeless for guessing 35 bits."""


class NoSuchCode(ConvoyError):
    code = "no-such-code"


class CodeWithdrawn(ConvoyError):
    code = "code-withdrawn"


class CodeUsedUp(ConvoyError):
    code = "code-used-up"


def make_join_code(user: User, pack_id: UUID, uses: int | None) -> JoinCode:
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    if not pack.releases.exists():
        raise Blocked("There is nothing to join yet.", "The pack has no release.", "Publish one first.")
    return JoinCode.objects.create(code=make_code(JOIN_LENGTH, secrets.choice), pack=pack, made_by=user, uses_left=uses)


def withdraw_code(user: User, pack_id: UUID, code: str) -> None:
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    updated = JoinCode.objects.filter(pack=pack, code=read_code(code, JOIN_LENGTH), withdrawn_at=None)
    if not updated.update(withdrawn_at=timezone.now()):
        raise NotFound("This code is not one of the pack's open codes.")


def open_code(user: User, text: str) -> JoinCode:
    """The join code that somebody typed, when it still opens something.

    Raises BadCode for a slip, NoSuchCode, CodeWithdrawn, CodeUsedUp, and TooMany for guessing.
    """
    with tries_at_codes(user, text) as code:
        return standing_code(code)


@contextmanager
def tries_at_codes(user: User, text: str) -> Iterator[str]:
    """What is done with a code that somebody typed: the code as it is kept. A body that fails was a wrong try."""
    code = read_code(text, JOIN_LENGTH)
    with guarded("code", {f"user:{user.pk}": CODE_TRIES}, code):
        yield code


def standing_code(code: str, lock: bool = False) -> JoinCode:
    """The same for a code that was read already. Whoever calls it sees to it that codes are not guessed."""
    rows = JoinCode.objects.select_for_update(of=("self",)) if lock else JoinCode.objects
    found = rows.select_related("pack__crew", "pack__game", "pack__draft").filter(code=code).first()
    if found is None:
        raise NoSuchCode("Nobody has given out this code.", now="Ask your curator for the right one.")
    if found.withdrawn_at:
        raise CodeWithdrawn(
            f"This code for {found.pack.name} was withdrawn.", now=f"Ask {found.made_by.shown} for a new one."
        )
    if found.pack.retired_at:
        raise CodeWithdrawn(
            f"{found.pack.name} is retired.", found.pack.retired_because, "Ask its crew what they play."
        )
    if found.uses_left == 0:
        raise CodeUsedUp(
            f"This code for {found.pack.name} is used up.",
            "It was made for a limited number of installations.",
            f"Ask {found.made_by.shown} for a new one.",
        )
    return found
