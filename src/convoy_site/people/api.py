"""Me, crews and roles."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.conf import settings
from django.middleware.csrf import get_token
from ninja import Router

from ..shapes import Done, Name, Schema
from . import services
from .demo import DEMO_ACCOUNTS
from .models import Membership, Registration, Role, SiteRules
from .rights import Action, SignedIn

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


class RoleIn(Schema):
    role: Role


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
    return CrewPage(id=found.id, name=found.name, role=own, people=people)


@router.put("/crews/{crew_id}/people/{username}", response=Done, operation_id="change_role")
def change_role(request: SignedIn, crew_id: UUID, username: Name, body: RoleIn) -> Done:
    services.change_role(request.user, crew_id, username, body.role)
    return Done()


@router.delete("/crews/{crew_id}/people/{username}", response=Done, operation_id="go_ashore")
def go_ashore(request: SignedIn, crew_id: UUID, username: Name) -> Done:
    services.go_ashore(request.user, crew_id, username)
    return Done()
