"""Invitations to a crew: a code that brings somebody aboard, with the role that whoever made it may give."""

import secrets
from datetime import timedelta
from uuid import UUID

from django.conf import settings
from django.core.mail import EmailMessage
from django.db import transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone

from convoy_core.words.codes import CREW_LENGTH, make_code, read_code, show_code
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted

from . import audit
from .models import Crew, CrewInvitation, Role, User
from .rights import Action, NotFound, allow, role_in
from .services import bring_aboard, crew_for, owner_of
from .tries import TooMany, guarded

MOST_OPEN = 100
TRIES = 30


class NoSuchInvitation(ConvoyError):
    code = "no-such-invitation"


def open_invitations(user: User, crew_id: UUID) -> QuerySet[CrewInvitation]:
    crew = crew_for(user, crew_id, Action.INVITE)
    return _open(crew.invitations.all()).select_related("made_by")


def _open(found: QuerySet[CrewInvitation]) -> QuerySet[CrewInvitation]:
    return found.filter(Q(uses_left=None) | Q(uses_left__gt=0), until__gt=timezone.now())


def address_of(invitation: CrewInvitation) -> str:
    return f"{settings.ADDRESS}/aboard/{show_code(invitation.code)}"


@transaction.atomic
def invite(user: User, crew_id: UUID, role: Role, uses: int | None, days: int, note: str, mail: str) -> CrewInvitation:
    """Curators bring members aboard; who else may curate is for the owner to say. `mail`: whom to write to, where this
    site sends mail. Raises Forbidden, TooMany.
    """
    crew = crew_for(user, crew_id, Action.INVITE)
    if role is not Role.MEMBER:
        allow(user, crew, Action.PEOPLE, "This crew")
    Crew.objects.select_for_update().get(pk=crew.pk)
    if _open(crew.invitations.all()).count() >= MOST_OPEN:
        raise TooMany(f"{crew.name} has {counted(MOST_OPEN, 'invitation')} open.", now="Withdraw one first.")
    until = timezone.now() + timedelta(days=days)
    code = make_code(CREW_LENGTH, secrets.choice)
    made = CrewInvitation.objects.create(
        code=code, crew=crew, role=role, uses_left=uses, until=until, note=note, made_by=user
    )
    audit.note(user, f"made an invitation as {role.value} to {crew.name}{f' for {note}' if note else ''}", crew)
    if mail and settings.MAIL is not None:
        body = (
            f"{user.shown} invites you to {crew.name}, as {role.value}.\n\n{address_of(made)}\n\n"
            f"It holds until {until:%d %B %Y}. If you do not know {user.shown}, do nothing.\n"
        )
        EmailMessage(" ".join(f"An invitation to {crew.name}".split())[:200], body, to=[mail]).send()
    return made


def withdraw(user: User, crew_id: UUID, code: str) -> None:
    crew = crew_for(user, crew_id, Action.INVITE)
    if not crew.invitations.filter(code=read_code(code, CREW_LENGTH)).delete()[0]:
        raise NotFound("There is no such invitation.")


def look(user: User, text: str) -> tuple[CrewInvitation, str, Role | None]:
    """What an invitation leads to, its crew's owner, and the role that its reader has there already."""
    code = read_code(text, CREW_LENGTH)
    with guarded("invitation", {f"user:{user.pk}": TRIES}, code):
        found = _standing(code)
    return found, owner_of(found.crew), role_in(user, found.crew)


def accept(user: User, text: str) -> Crew:
    """Comes aboard; counts a use. Raises NoSuchInvitation, Forbidden for one whom the owner took out since."""
    code = read_code(text, CREW_LENGTH)
    with guarded("invitation", {f"user:{user.pk}": TRIES}, code), transaction.atomic():
        found = _standing(code, lock=True)
        if role_in(user, found.crew) is None:
            if found.uses_left is not None:
                CrewInvitation.objects.filter(pk=code).update(uses_left=F("uses_left") - 1)
            bring_aboard(user, found.crew, found.made_at, Role(found.role))
    return found.crew


def _standing(code: str, lock: bool = False) -> CrewInvitation:
    rows = CrewInvitation.objects.select_related("crew", "made_by")
    rows = rows.select_for_update(of=("self",)) if lock else rows
    found = _open(rows).filter(pk=code).first()
    # What its maker may not give any more leads nowhere either.
    givers = (Role.OWNER, Role.CURATOR) if found and found.role == Role.MEMBER else (Role.OWNER,)
    if found is None or role_in(found.made_by, found.crew) not in givers:
        raise NoSuchInvitation(
            "This invitation leads nowhere.", "It was used, withdrawn, or ran out.", "Ask for a new one."
        )
    return found
