"""How installations come to be and end: joined by code, paired with a machine, left, removed."""

import hashlib
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from convoy_core.words.codes import JOIN_LENGTH, PAIRING_LENGTH, make_code, read_code, show_code
from convoy_core.words.errors import BadCode, ConvoyError, NameTaken

from ..people.models import User
from ..people.rights import NotFound
from ..people.services import bring_aboard
from ..people.tries import guarded
from ..releases.charters import newest_charter
from ..releases.join_codes import standing_code, tries_at_codes
from ..releases.models import JoinCode
from .models import Installation
from .reports import REPORTED

PAIRING_FOR = timedelta(minutes=30)
"""How long a pairing command may be used: long enough to find the terminal, short enough to leave in a chat."""

PAIRING_TRIES = 300
"""Wrong pairing codes of one address in ten minutes: a crew behind one proxy may slip, and 54 bits are not guessed."""


BY_LISTING = "By listing"
"""The name of the row that a listing makes; no installation may have it."""


class Busy(ConvoyError):
    """An agent is doing something already."""

    code = "working"


@dataclass(frozen=True)
class PairingCommand:
    """The command that pairs a machine, shown once. `code` works until `until`, and once only."""

    command: str
    code: str
    until: datetime


def installation_for(user: User, installation_id: UUID) -> Installation:
    """One's own installation, of a crew that one is in. Raises NotFound for every other one."""
    found = (
        Installation.objects.aboard()
        .select_related("pack__crew", "pack__game", "pack__draft", "machine", "member")
        .filter(pk=installation_id, member=user)
        .first()
    )
    if found is None:
        raise NotFound("This installation does not exist, or it is not yours.")
    return found


def join(user: User, code: str, name: str, side: str, machine: str = "") -> Installation:
    """Uses a join code: brings the user aboard the crew, and starts an installation. Counts a use of the code."""
    if name.casefold() == BY_LISTING.casefold():
        raise NameTaken(
            f"“{name}” is what a row is called that a listing made.", now="Choose another name.", field="name"
        )
    try:
        with tries_at_codes(user, code) as typed, transaction.atomic():
            opened = standing_code(typed, lock=True)
            if opened.pack.is_collection:
                raise BadCode(
                    f"{opened.pack.name} is a collection, and goes beside a pack.",
                    "It has no base of its own.",
                    "Add it on the page of one of your installations, or say “convoy add” with the code there.",
                    slip="kind",
                )
            if opened.uses_left is not None:
                JoinCode.objects.filter(pk=opened.pk).update(uses_left=F("uses_left") - 1)
            bring_aboard(user, opened.pack.crew, opened.made_at)
            own = user.machines.filter(slug=machine).first() if machine else None
            if machine and own is None:
                raise NotFound("This machine does not exist, or it is not yours.")
            return Installation.objects.create(pack=opened.pack, member=user, name=name, side=side, machine=own)
    except IntegrityError as error:
        if "one_installation_per_name" not in str(error):
            raise
        raise NameTaken(
            f"You have an installation named “{name}” already.", now="Choose another name.", field="name"
        ) from error


def pairing_command(user: User, installation_id: UUID) -> PairingCommand:
    """A new pairing command for one's own installation; an earlier one stops working."""
    installation = installation_for(user, installation_id)
    code = make_code(PAIRING_LENGTH, secrets.choice)
    installation.pairing_hash = _hash(code)
    installation.pairing_until = timezone.now() + PAIRING_FOR
    installation.save(update_fields=["pairing_hash", "pairing_until"])
    folder = "".join(char if char.isalnum() else "-" for char in installation.name.lower()).strip("-") or "pack"
    key = newest_charter(installation.pack.crew).charter.mark
    command = f"convoy join {show_code(code)} --site {settings.ADDRESS} --key {key} --into {folder}"
    return PairingCommand(command, show_code(code), installation.pairing_until)


def pair(text: str, who: str) -> tuple[Installation, str]:
    """Exchanges a pairing code for the agent's token, once. `who` is the caller's address, for counting tries."""
    with _tries_at_pairing(text, who) as code, transaction.atomic():
        return _paired(_opened_by(code))


def look(text: str, who: str) -> Installation:
    """The installation that a pairing code opens; the code is not used up. Raises BadCode, NotFound, TooMany."""
    with _tries_at_pairing(text, who) as code, transaction.atomic():
        return _opened_by(code)


def _paired(found: Installation) -> tuple[Installation, str]:
    token = secrets.token_urlsafe(32)
    found.token_hash, found.pairing_hash, found.pairing_until, found.serial = _hash(token), "", None, 0
    found.save(update_fields=["token_hash", "pairing_hash", "pairing_until", "serial"])
    return found, token


@contextmanager
def _tries_at_pairing(text: str, who: str) -> Iterator[str]:
    """The code as it is kept. A body that fails was a wrong try. Raises BadCode, TooMany."""
    if len("".join(text.split()).replace("-", "")) == JOIN_LENGTH:
        raise BadCode(
            "This is a pack's join code, not a pairing code.",
            "A machine is paired with a code of its own.",
            f"Open {settings.ADDRESS}/join, paste it there, and copy the command that you get.",
            slip="kind",
        )
    code = read_code(text, PAIRING_LENGTH)
    with guarded("pairing", {f"address:{who}": PAIRING_TRIES}, code):
        yield code


def _opened_by(code: str) -> Installation:
    """The installation that a code opens, locked."""
    found = (
        Installation.objects.aboard()
        .select_for_update(of=("self",))
        .select_related("pack__crew")
        .filter(pairing_hash=_hash(code), pairing_until__gt=timezone.now())
        .first()
    )
    if found is None:
        raise NotFound(
            "This pairing code opens nothing.",
            "It works once, for thirty minutes.",
            "Ask for a new command on the installation's page.",
        )
    return found


def by_token(token: str) -> Installation | None:
    """The installation that a token is of, while its member is in the crew."""
    served = Installation.objects.aboard().filter(member__is_active=True)
    # The member is named by id alone: nothing more is asked of them at most doors.
    return served.select_related("pack__crew").filter(token_hash=_hash(token)).order_by().first()


def left(installation: Installation) -> None:
    """Forgets what a folder was that follows the pack no more. The installation may be paired anew."""
    installation.token_hash, installation.release, installation.heard_at, installation.since = "", None, None, None
    installation.deviations, installation.fingerprint, installation.strayed = {}, "", []
    installation.has, installation.harmless, installation.about = {}, [], {}
    installation.progress, installation.progress_at, installation.watched_at = {}, None, None
    installation.other_number = installation.other_sha256 = ""
    installation.start = {}
    installation.save(update_fields=[*REPORTED, "token_hash", "watched_at", "start"])


def remove(user: User, installation_id: UUID) -> None:
    """Takes one's own installation out of the site. Files on its machine stay as they are."""
    installation_for(user, installation_id).delete()


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
