"""What is done with crews and roles."""

from datetime import datetime
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest

from convoy_core.words.errors import ConvoyError, NameTaken
from convoy_core.words.names import checked_name, look_of
from convoy_core.words.wording import counted

from . import audit
from .events import Happened, tell
from .models import Crew, Membership, Removal, Role, SiteRules, User
from .rights import MAY, Action, Forbidden, NotFound, allow
from .tries import TooMany


class TooFew(ConvoyError):
    """A crew has nobody else for what would be asked of a second person."""

    code = "too-few"


@transaction.atomic
def start_crew(user: User, name: str) -> Crew:
    User.objects.select_for_update().get(pk=user.pk)
    most = SiteRules.now().crews_per_person
    if Membership.objects.filter(user=user, role=Role.OWNER).count() >= most:
        raise TooMany(f"You own {counted(most, 'crew')} already.", now="Use one of those.")
    crew = Crew.objects.create(name=name, look=_free_look(name))
    Membership.objects.create(crew=crew, user=user, role=Role.OWNER)
    return crew


def _free_look(name: str, of: Crew | None = None) -> str:
    """Raises UnreadableName, and NameTaken for a name that is another crew's in disguise. The very same name may be
    another crew's: their owners tell them apart.
    """
    look = look_of(checked_name(name))
    others = Crew.objects.filter(look=look).exclude(name__iexact=name)
    other = (others.exclude(pk=of.pk) if of else others).first()
    if other:
        raise NameTaken(
            f"There is a crew {other.name}, and {name} looks like it.", now="Choose another name.", field="name"
        )
    return look


def crew_for(user: User, crew_id: UUID, action: Action) -> Crew:
    crew = Crew.objects.filter(pk=crew_id).first()
    if crew is None:
        raise NotFound("This crew does not exist, or you are not in it.")
    allow(user, crew, action, "This crew")
    return crew


@transaction.atomic
def rename_crew(user: User, crew_id: UUID, name: str) -> None:
    """Raises UnreadableName, NameTaken."""
    crew = crew_for(user, crew_id, Action.PEOPLE)
    was, crew.name, crew.look = crew.name, name, _free_look(name, crew)
    crew.save(update_fields=["name", "look"])
    audit.note(user, f"called {was} {name}", crew)


@transaction.atomic
def ask_for_reviews(user: User, crew_id: UUID, asked: bool) -> None:
    """Whether a second curator looks at what own builds claim. Raises Forbidden, and TooFew where nobody else could."""
    crew = crew_for(user, crew_id, Action.PEOPLE)
    if asked and crew.memberships.filter(role__in=MAY[Action.EDIT]).count() < 2:
        raise TooFew(
            f"{crew.name} has one curator.", "Nobody looks at their own claim.", "Make somebody a curator first."
        )
    crew.reviews = asked
    crew.save(update_fields=["reviews"])
    audit.note(user, f"{'asked for' if asked else 'ended'} reviews of own builds", crew)


def owner_of(crew: Crew) -> str:
    """As they are shown: what tells two crews of one name apart."""
    row = crew.memberships.select_related("user").filter(role=Role.OWNER).first()
    return row.user.shown if row else ""


@transaction.atomic
def change_role(user: User, crew_id: UUID, username: str, role: Role) -> None:
    """Gives a role. Giving *owner* hands the crew over: the giver becomes curator."""
    crew = crew_for(user, crew_id, Action.PEOPLE)
    locked = crew.memberships.select_for_update(of=("self",)).select_related("user").order_by("pk")
    people = {one.user.username: one for one in locked}
    # Whoever came first may have handed the crew over meanwhile.
    allow(user, crew, Action.PEOPLE, "This crew")
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
    what = Happened.HANDED_OVER if role is Role.OWNER else Happened.ROLE
    tell(what, crew, user, who=theirs.user.shown, username=theirs.user.username, role=role.value)


@transaction.atomic
def go_ashore(user: User, crew_id: UUID, username: str) -> None:
    """Takes somebody out of a crew: the owner anybody, everybody themselves. What lies on their machines stays; their
    installations are served again when they come back. Raises Forbidden for the owner, whom a crew always has.
    """
    crew = crew_for(user, crew_id, Action.SEE if username == user.username else Action.PEOPLE)
    locked = crew.memberships.select_for_update(of=("self",)).select_related("user")
    theirs = locked.filter(user__username=username).first()
    if theirs is None:
        raise NotFound(f"{username} is not in {crew.name}.")
    if theirs.role == Role.OWNER:
        raise Forbidden("A crew always has an owner.", now="Hand it over to somebody else first.")
    theirs.delete()
    if username != user.username:
        Removal.objects.update_or_create(crew=crew, user=theirs.user)
        audit.note(user, f"took {username} out of {crew.name}", crew)


def bring_aboard(user: User, crew: Crew, by_code_of: datetime | None = None, role: Role = Role.MEMBER) -> None:
    """Takes somebody into a crew; keeps the role of one who is in already. `by_code_of`: when the code was made that
    they came with. Raises Forbidden for one whom the owner took out since.
    """
    if Membership.objects.filter(crew=crew, user=user).exists():
        return
    removed = Removal.objects.filter(crew=crew, user=user).first()
    if removed and by_code_of and by_code_of <= removed.at:
        raise Forbidden(
            f"You were taken out of {crew.name}.",
            "A code that was open then does not bring you back.",
            "Ask its owner for a new one.",
        )
    _, is_new = Membership.objects.get_or_create(crew=crew, user=user, defaults={"role": role})
    if is_new:
        tell(Happened.ABOARD, crew, user, who=user.shown, role=role.value)
    Removal.objects.filter(crew=crew, user=user).delete()


def asker_address(request: HttpRequest) -> str:
    """The address of whoever asks, as the machines before the site tell it (`CONVOY_PROXIES` says how many there are):
    what anybody else writes into that line is not believed.
    """
    proxies = settings.ALLAUTH_TRUSTED_PROXY_COUNT
    passed = [one.strip() for one in request.headers.get("X-Forwarded-For", "").split(",")]
    if proxies and len(passed) >= proxies:
        return passed[-proxies]
    return str(request.META.get("REMOTE_ADDR", ""))
