"""Who may do what: the one place where rights are checked. Every door asks here, with a user and an action.

What somebody may not know of does not exist for them: another crew's things are "not found", never "forbidden".
"""

from enum import StrEnum
from uuid import UUID

from django.http import HttpRequest

from convoy_core.words.errors import ConvoyError

from .models import Crew, Membership, Role, User


class Action(StrEnum):
    SEE = "see"
    SEE_DRAFT = "see the draft"
    EDIT = "change the draft"
    PUBLISH = "publish"
    HAND_OUT = "hand out codes"
    PEOPLE = "change roles"
    SOURCES = "add sources"
    GAMES = "bring games"
    KEYS = "change who may sign"
    INVITE = "invite people"
    HELP = "answer calls for help"
    END = "retire packs, move them, or end the crew"


MAY: dict[Action, frozenset[Role]] = {
    Action.SEE: frozenset({Role.OWNER, Role.CURATOR, Role.MEMBER}),
    Action.SEE_DRAFT: frozenset({Role.OWNER, Role.CURATOR, Role.MEMBER}),
    Action.EDIT: frozenset({Role.OWNER, Role.CURATOR}),
    Action.PUBLISH: frozenset({Role.OWNER, Role.CURATOR}),
    Action.HAND_OUT: frozenset({Role.OWNER, Role.CURATOR}),
    Action.PEOPLE: frozenset({Role.OWNER}),
    Action.SOURCES: frozenset({Role.OWNER, Role.CURATOR}),
    Action.GAMES: frozenset({Role.OWNER}),
    Action.KEYS: frozenset({Role.OWNER}),
    Action.INVITE: frozenset({Role.OWNER, Role.CURATOR}),
    Action.HELP: frozenset({Role.OWNER, Role.CURATOR}),
    Action.END: frozenset({Role.OWNER}),
}


class NotFound(ConvoyError):
    code = "not-found"


class Forbidden(ConvoyError):
    code = "forbidden"


class Sealed(ConvoyError):
    """What is in it is nobody's business but its curators' yet. `data["until"]`: the hour, where there is one."""

    code = "sealed"


def role_in(user: User, crew: Crew | UUID) -> Role | None:
    role = Membership.objects.filter(user=user, crew=crew).values_list("role", flat=True).first()
    return Role(role) if role else None


def allow(user: User, crew: Crew, action: Action, thing: str = "It") -> Role:
    """The user's role, when it may do this. Raises NotFound for strangers, Forbidden for the wrong role."""
    role = role_in(user, crew)
    if role is None:
        raise NotFound(f"{thing} does not exist, or you are not in its crew.", now="Ask for a join code.")
    if role not in MAY[action]:
        raise Forbidden(
            f"As {role.value} of {crew.name} you may not {action.value}.",
            f"That takes {' or '.join(sorted(MAY[action]))}.",
            "Ask the crew's owner for that role.",
        )
    return role


def keeper(user: User, what: str = "see this") -> None:
    """Raises Forbidden unless the user keeps the site: what is everybody's is changed by its keepers alone."""
    if not user.keeps_the_site:
        raise Forbidden(f"You may not {what}.", "That takes a keeper of the site.", "Ask one of them.")


class SignedIn(HttpRequest):
    """A request as doors get it that ask who is there: nobody comes past them without an account."""

    user: User
