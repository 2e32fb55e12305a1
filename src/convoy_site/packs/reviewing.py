"""A second pair of eyes: what the crew's own builds claim, and the curator who looked at it without having uploaded it.

Only where the crew asks for it. What was agreed to is a side and a reach; where these are said otherwise later, it
waits again. The rule is `convoy_core.checks.unreviewed`.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.checks import Subject
from convoy_core.checks.unreviewed import against, claim, is_reviewed
from convoy_core.lock.lock import LockedBuild
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Reach, Side

from ..catalogue.claiming import claim_of, is_agreed, own_rows
from ..catalogue.models import Build, OwnClaim
from ..people.models import User
from ..people.rights import Action, NotFound
from . import checking
from .models import Pack
from .services import pack_for


class OwnWord(ConvoyError):
    """Nobody looks at their own claim."""

    code = "own-word"


@dataclass(frozen=True)
class Review:
    """A claim of one of the crew's own builds in a draft. `against`: what its contents say against it; `agreed`: it was
    looked at as it is now.
    """

    build: LockedBuild
    row: OwnClaim | None
    claim: str
    against: Sequence[str]
    agreed: bool


def reviews(pack: Pack) -> list[Review]:
    """Claims of the crew's own builds in the draft, those that wait first."""
    subject: Subject = checking.checked(pack.draft).subject
    builds = [build for build, _ in subject.layers]
    rows = own_rows(pack, builds)
    found = [
        Review(
            build,
            claim_of(row),
            claim(build.side, build.reach),
            against(subject, build),
            is_agreed(row, build),
        )
        for build in builds
        if (row := rows.get(build.mod)) and is_reviewed(build.side, build.reach)
    ]
    return sorted(found, key=lambda one: (one.agreed, one.build.name))


@transaction.atomic
def review(
    user: User, pack_id: UUID, build: tuple[str, str], said: tuple[Side, Reach], agrees: bool, note: str
) -> None:
    """Says whether a claim is so. `build`: mod and version; `said`: what was looked at. Raises NotFound, OwnWord."""
    pack, (mod, version) = pack_for(user, pack_id, Action.EDIT), build
    row = Build.objects.filter(mod__crew=pack.crew, mod__source__is_own=True, mod__slug=mod, version=version).first()
    if row is None:
        raise NotFound("This is none of the crew's own builds.")
    found, _ = OwnClaim.objects.select_for_update().get_or_create(build=row)
    if found.by_id == user.pk:
        raise OwnWord(
            "You uploaded this build yourself.", "The crew asks for a second pair of eyes.", "Ask another one."
        )
    found.agreed_by, found.refused_by = (user, None) if agrees else (None, user)
    found.side, found.reach = said if agrees else ("", "")
    found.note, found.at = note, timezone.now()
    found.save()
    # What was checked rests on it: pages make it anew.
    checking.forget(pack)
