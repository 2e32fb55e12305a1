"""What holds for an installation that says nothing itself: what its member wants everywhere, else what its crew wants,
else what the product does. Each value is told with where it comes from.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal
from uuid import UUID

from django.db import transaction
from django.db.models import Q

from . import audit
from .models import Crew, Defaults, User
from .rights import Action
from .services import crew_for

Name = Literal["memory_share", "line_kb", "most_mb", "kept_backups"]

PRODUCT: dict[Name, int] = {"memory_share": 33, "line_kb": 0, "most_mb": 0, "kept_backups": 8}
"""Percent; KB a second and MB at once (0: any); backups made before syncs."""


class From(StrEnum):
    """Where a value comes from, the nearest first."""

    HERE = "this installation"
    YOU = "you"
    CREW = "the crew"
    PRODUCT = "the product"


@dataclass(frozen=True)
class Settled:
    value: int
    source: From


Said = Mapping[str, int | None]


def settled(here: Said, yours: Said, crews: Said) -> dict[Name, Settled]:
    """By name what holds, of what is said on each level."""
    found: dict[Name, Settled] = {}
    for name, product in PRODUCT.items():
        levels = ((From.HERE, here), (From.YOU, yours), (From.CREW, crews))
        said = next(((told[name], source) for source, told in levels if told.get(name) is not None), None)
        value, source = said or (product, From.PRODUCT)
        assert value is not None
        found[name] = Settled(value, source)
    return found


def said_by(users: Collection[int], crews: Collection[UUID]) -> tuple[dict[int, Said], dict[UUID, Said]]:
    """What these people and crews say, by their keys. One query."""
    of_users: dict[int, Said] = {}
    of_crews: dict[UUID, Said] = {}
    for row in Defaults.objects.filter(Q(user__in=users) | Q(crew__in=crews)):
        said: dict[str, int | None] = {name: getattr(row, name) for name in PRODUCT}
        if row.user_id is not None:
            of_users[row.user_id] = said
        elif row.crew_id is not None:
            of_crews[row.crew_id] = said
    return of_users, of_crews


def own(user: User) -> Defaults:
    return Defaults.objects.filter(user=user).first() or Defaults(user=user)


def of_crew(user: User, crew_id: UUID) -> Defaults:
    crew = crew_for(user, crew_id, Action.SEE)
    return Defaults.objects.filter(crew=crew).first() or Defaults(crew=crew)


@transaction.atomic
def change_own(user: User, said: Said) -> None:
    Defaults.objects.update_or_create(user=user, defaults=dict(said))


@transaction.atomic
def change_crews(user: User, crew_id: UUID, said: Said, mail: str) -> None:
    crew: Crew = crew_for(user, crew_id, Action.PEOPLE)
    Defaults.objects.update_or_create(crew=crew, defaults={**said, "mail": mail})
    audit.note(user, f"changed what holds for the installations of {crew.name}", crew)
