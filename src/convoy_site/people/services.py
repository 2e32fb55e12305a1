"""What is done with crews and roles."""

from uuid import UUID

from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.http import HttpRequest

from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted

from . import audit
from .models import Crew, Membership, Role, SiteRules, User
from .rights import Action, Forbidden, NotFound, allow


class TooMany(ConvoyError):
    code = "too-many"


@transaction.atomic
def start_crew(user: User, name: str) -> Crew:
    User.objects.select_for_update().get(pk=user.pk)
    most = SiteRules.now().crews_per_person
    if Membership.objects.filter(user=user, role=Role.OWNER).count() >= most:
        raise TooMany(f"You own {counted(most, 'crew')} already.", now="Use one of those.")
    crew = Crew.objects.create(name=name)
    Membership.objects.create(crew=crew, user=user, role=Role.OWNER)
    return crew


def crew_for(user: User, crew_id: UUID, action: Action) -> Crew:
    crew = Crew.objects.filter(pk=crew_id).first()
    if crew is None:
        raise NotFound("This crew does not exist, or you are not in it.")
    allow(user, crew, action, "This crew")
    return crew


@transaction.atomic
def change_role(user: User, crew_id: UUID, username: str, role: Role) -> None:
    """Gives a role. Giving *owner* hands the crew over: the giver becomes curator."""
    crew = crew_for(user, crew_id, Action.PEOPLE)
    people = {one.user.username: one for one in crew.memberships.select_for_update().select_related("user")}
    theirs = people.get(username)
    if theirs is None:
        raise NotFound(f"{username} is not in {crew.name}.")
    if theirs.user_id == user.pk:
        if role is Role.OWNER:
            return
        raise Forbidden("A crew always has an owner.", now="Hand it over to somebody else first.")
    if role is Role.OWNER:
        own = people[user.username]
        own.role = Role.CURATOR
        own.save(update_fields=["role"])
    theirs.role = role
    theirs.save(update_fields=["role"])
    audit.note(user, f"made {theirs.user.shown} {role.value} of {crew.name}", crew)


@transaction.atomic
def go_ashore(user: User, crew_id: UUID, username: str) -> None:
    """Takes somebody out of a crew: the owner anybody, everybody themselves. What lies on their machines stays; their
    installations are served again when they come back. Raises Forbidden for the owner, whom a crew always has.
    """
    crew = crew_for(user, crew_id, Action.SEE if username == user.username else Action.PEOPLE)
    theirs = crew.memberships.select_for_update().filter(user__username=username).first()
    if theirs is None:
        raise NotFound(f"{username} is not in {crew.name}.")
    if theirs.role == Role.OWNER:
        raise Forbidden("A crew always has an owner.", now="Hand it over to somebody else first.")
    theirs.delete()
    if username != user.username:
        audit.note(user, f"took {username} out of {crew.name}", crew)


def bring_aboard(user: User, crew: Crew) -> None:
    """Makes somebody a member; keeps the role of one who is in already."""
    Membership.objects.get_or_create(crew=crew, user=user)


def asker_address(request: HttpRequest) -> str:
    """The address of whoever asks, as the machines before the site tell it (`CONVOY_PROXIES` says how many there are):
    what anybody else writes into that line is not believed.
    """
    proxies = settings.ALLAUTH_TRUSTED_PROXY_COUNT
    passed = [one.strip() for one in request.headers.get("X-Forwarded-For", "").split(",")]
    if proxies and len(passed) >= proxies:
        return passed[-proxies]
    return str(request.META.get("REMOTE_ADDR", ""))


def count_try(what: str, who: str, most: int, seconds: int) -> None:
    """Counts a try at something that may be guessed. Raises TooMany above `most` in `seconds`."""
    key = f"tries:{what}:{who}"
    cache.add(key, 0, seconds)
    try:
        tries = cache.incr(key)
    except ValueError:  # It ran out between the two calls.
        tries = 1
    if tries > most:
        raise TooMany("Too many tries.", "Codes are not to be guessed.", f"Wait {max(1, seconds // 60)} minutes.")
