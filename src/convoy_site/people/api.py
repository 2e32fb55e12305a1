"""Me, crews and roles."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.conf import settings
from django.middleware.csrf import get_token
from ninja import Router
from pydantic import Field

from convoy_core.words.codes import show_code

from ..shapes import Done, Name, Schema, Short
from . import defaults, invitations, services
from .demo import DEMO_ACCOUNTS
from .models import CrewInvitation, Membership, Registration, Role, SiteRules
from .rights import Action, SignedIn, role_in
from .tries import count_use

router = Router(tags=["people"])


class CrewOut(Schema):
    id: UUID
    name: str
    role: Role


class DemoAccount(Schema):
    username: str
    password: str
    who: str


class Me(Schema):
    """Who is signed in (empty username: nobody). Demo accounts are given in demo mode only. `registration`: who may
    make an account here; `mail`: whether this site sends mail, so that a forgotten password has a way back.
    """

    username: str
    name: str
    keeper: bool
    registration: Registration
    mail: bool
    crews: list[CrewOut]
    demo_accounts: list[DemoAccount]


class CrewIn(Schema):
    name: Name


class Person(Schema):
    username: str
    name: str
    role: Role
    since: datetime


class CrewPage(CrewOut):
    people: list[Person]
    reviews: bool
    """A second curator looks at what own builds claim."""


class ReviewsIn(Schema):
    asked: bool


class RoleIn(Schema):
    role: Role


class CrewNameIn(Schema):
    name: Name


class CrewInvitationIn(Schema):
    """`uses` of null: any number. `mail`: whom to write to, where the site sends mail."""

    role: Role = Role.MEMBER
    uses: Annotated[int, Field(ge=1, le=1000)] | None = 1
    days: Annotated[int, Field(ge=1, le=365)] = 14
    note: Short = ""
    mail: Annotated[str, Field(max_length=254, pattern=r"^$|^[^@\s<>,;]{1,64}@[^@\s<>,;]{1,189}$")] = ""


class CrewInvitationOut(Schema):
    code: str
    address: str
    role: Role
    note: str
    uses_left: int | None
    until: datetime
    made_by: str


class InvitedTo(Schema):
    """What an invitation leads to. `now`: the role that its reader has there already."""

    crew: UUID
    name: str
    owner: str
    by: str
    role: Role
    now: Role | None


class DefaultsBody(Schema):
    """Null: not said. `memory_share` in percent; `line_kb`, `most_mb`: 0 for any."""

    memory_share: Annotated[int, Field(ge=10, le=50)] | None = None
    line_kb: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    most_mb: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    kept_backups: Annotated[int, Field(ge=1, le=100)] | None = None


class CrewDefaultsBody(DefaultsBody):
    """`mail`: how the crew's news comes to those who said nothing; empty: once a day."""

    mail: Literal["", "at-once", "daily", "never"] = ""


@router.get("/me", auth=None, response=Me, operation_id="me")
def me(request: SignedIn) -> Me:
    get_token(request)
    accounts = [DemoAccount(**vars(account)) for account in DEMO_ACCOUNTS] if settings.DEMO else []
    site = _site()
    if not request.user.is_authenticated:
        return Me(username="", name="", keeper=False, crews=[], demo_accounts=accounts, **site)
    memberships = Membership.objects.filter(user=request.user).select_related("crew").order_by("crew__name")
    crews = [CrewOut(id=one.crew.id, name=one.crew.name, role=Role(one.role)) for one in memberships]
    me = request.user
    return Me(
        username=me.username, name=me.shown, keeper=me.keeps_the_site, crews=crews, demo_accounts=accounts, **site
    )


def _site() -> dict[str, Any]:
    return {"registration": SiteRules.now().registration, "mail": settings.MAIL is not None}


@router.post("/crews", response=CrewOut, operation_id="start_crew")
def start_crew(request: SignedIn, body: CrewIn) -> CrewOut:
    crew = services.start_crew(request.user, body.name)
    return CrewOut(id=crew.id, name=crew.name, role=Role.OWNER)


@router.get("/crews/{crew_id}", response=CrewPage, operation_id="crew")
def crew(request: SignedIn, crew_id: UUID) -> CrewPage:
    found = services.crew_for(request.user, crew_id, Action.SEE)
    memberships = list(found.memberships.select_related("user").order_by("since", "pk"))
    own = next(Role(one.role) for one in memberships if one.user_id == request.user.pk)
    people = [
        Person(username=one.user.username, name=one.user.shown, role=Role(one.role), since=one.since)
        for one in memberships
    ]
    return CrewPage(id=found.id, name=found.name, role=own, people=people, reviews=found.reviews)


@router.patch("/crews/{crew_id}", response=Done, operation_id="rename_crew")
def rename_crew(request: SignedIn, crew_id: UUID, body: CrewNameIn) -> Done:
    services.rename_crew(request.user, crew_id, body.name)
    return Done()


@router.put("/crews/{crew_id}/reviews", response=Done, operation_id="ask_for_reviews")
def ask_for_reviews(request: SignedIn, crew_id: UUID, body: ReviewsIn) -> Done:
    services.ask_for_reviews(request.user, crew_id, body.asked)
    return Done()


@router.get("/crews/{crew_id}/invitations", response=list[CrewInvitationOut], operation_id="crew_invitations")
def crew_invitations(request: SignedIn, crew_id: UUID) -> list[CrewInvitationOut]:
    return [_invitation(one) for one in invitations.open_invitations(request.user, crew_id)]


@router.post("/crews/{crew_id}/invitations", response=CrewInvitationOut, operation_id="invite_to_crew")
def invite_to_crew(request: SignedIn, crew_id: UUID, body: CrewInvitationIn) -> CrewInvitationOut:
    if body.mail:
        count_use("invite-by-mail", str(request.user.pk), 30, 24 * 3600)
    return _invitation(invitations.invite(request.user, crew_id, body.role, body.uses, body.days, body.note, body.mail))


@router.delete("/crews/{crew_id}/invitations/{code}", response=Done, operation_id="withdraw_crew_invitation")
def withdraw_crew_invitation(request: SignedIn, crew_id: UUID, code: Short) -> Done:
    invitations.withdraw(request.user, crew_id, code)
    return Done()


def _invitation(one: CrewInvitation) -> CrewInvitationOut:
    return CrewInvitationOut(
        code=show_code(one.code),
        address=invitations.address_of(one),
        role=Role(one.role),
        note=one.note,
        uses_left=one.uses_left,
        until=one.until,
        made_by=one.made_by.shown,
    )


@router.get("/aboard/{code}", response=InvitedTo, operation_id="look_at_invitation")
def look_at_invitation(request: SignedIn, code: Short) -> InvitedTo:
    found, owner, now = invitations.look(request.user, code)
    by = found.made_by.shown
    return InvitedTo(crew=found.crew_id, name=found.crew.name, owner=owner, by=by, role=Role(found.role), now=now)


@router.post("/aboard/{code}", response=CrewOut, operation_id="come_aboard")
def come_aboard(request: SignedIn, code: Short) -> CrewOut:
    crew = invitations.accept(request.user, code)
    return CrewOut(id=crew.id, name=crew.name, role=role_in(request.user, crew) or Role.MEMBER)


@router.put("/crews/{crew_id}/people/{username}", response=Done, operation_id="change_role")
def change_role(request: SignedIn, crew_id: UUID, username: Name, body: RoleIn) -> Done:
    services.change_role(request.user, crew_id, username, body.role)
    return Done()


@router.delete("/crews/{crew_id}/people/{username}", response=Done, operation_id="go_ashore")
def go_ashore(request: SignedIn, crew_id: UUID, username: Name) -> Done:
    services.go_ashore(request.user, crew_id, username)
    return Done()


@router.get("/defaults", response=DefaultsBody, operation_id="own_defaults")
def own_defaults(request: SignedIn) -> DefaultsBody:
    """What holds for all of one's own installations that say nothing themselves."""
    return DefaultsBody.model_validate(defaults.own(request.user))


@router.put("/defaults", response=Done, operation_id="change_own_defaults")
def change_own_defaults(request: SignedIn, body: DefaultsBody) -> Done:
    defaults.change_own(request.user, body.dict())
    return Done()


@router.get("/crews/{crew_id}/defaults", response=CrewDefaultsBody, operation_id="crew_defaults")
def crew_defaults(request: SignedIn, crew_id: UUID) -> CrewDefaultsBody:
    return CrewDefaultsBody.model_validate(defaults.of_crew(request.user, crew_id))


@router.put("/crews/{crew_id}/defaults", response=Done, operation_id="change_crew_defaults")
def change_crew_defaults(request: SignedIn, crew_id: UUID, body: CrewDefaultsBody) -> Done:
    said = body.dict()
    defaults.change_crews(request.user, crew_id, {name: said[name] for name in defaults.PRODUCT}, body.mail)
    return Done()
