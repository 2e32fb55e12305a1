"""What is done with installations: joined, paired, reported, synced on a stand-in machine; and where each stands."""

import hashlib
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from convoy_core.codes import JOIN_LENGTH, PAIRING_LENGTH, make_code, read_code, show_code
from convoy_core.errors import BadCode, ConvoyError
from convoy_core.model import Side
from convoy_core.rollcall import Deviation, Report, Standing, standing
from convoy_core.signing import key_fingerprint

from ..packs.models import Pack
from ..people.models import User
from ..people.rights import NotFound
from ..people.services import bring_aboard, count_try
from ..releases.keys import public_key
from ..releases.models import JoinCode, Release
from ..releases.services import open_code, recipe_of, releases_of
from .models import Installation

PAIRING_FOR = timedelta(minutes=30)
"""How long a pairing command may be used: long enough to find the terminal, short enough to leave in a chat."""

PAIRING_TRIES, PAIRING_SECONDS = 20, 600

QUIET_AFTER = timedelta(seconds=20)
"""An agent tells its progress every second; after this silence it is taken to have stopped."""


class NameTaken(ConvoyError):
    code = "name-taken"


class NoStandIn(ConvoyError):
    """The installation is on a real machine, where only its owner starts the agent."""

    code = "no-stand-in"


class Busy(ConvoyError):
    code = "already"


@dataclass(frozen=True)
class PairingCommand:
    """The command that pairs a machine, shown once. `code` works until `until`, and once only."""

    command: str
    code: str
    until: object


def installation_for(user: User, installation_id: UUID) -> Installation:
    """One's own installation. Raises NotFound for every other one."""
    found = (
        Installation.objects.select_related("pack__crew", "pack__game", "pack__draft", "machine", "member")
        .filter(pk=installation_id, member=user)
        .first()
    )
    if found is None:
        raise NotFound("This installation does not exist, or it is not yours.")
    return found


def join(user: User, code: str, name: str, side: str, machine: str = "") -> Installation:
    """Uses a join code: brings the user aboard the crew, and starts an installation. Counts a use of the code."""
    try:
        with transaction.atomic():
            opened = open_code(user, code, lock=True)
            if opened.uses_left is not None:
                JoinCode.objects.filter(pk=opened.pk).update(uses_left=F("uses_left") - 1)
            bring_aboard(user, opened.pack.crew)
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
    key = key_fingerprint(public_key())
    command = f"convoy join {show_code(code)} --site {settings.ADDRESS} --key {key} --into {folder}"
    return PairingCommand(command, show_code(code), installation.pairing_until)


@transaction.atomic
def pair(text: str, who: str) -> tuple[Installation, str]:
    """Exchanges a pairing code for the agent's token, once. `who` is the caller's address, for counting tries."""
    count_try("pairing", who, PAIRING_TRIES, PAIRING_SECONDS)
    if len("".join(text.split()).replace("-", "")) == JOIN_LENGTH:
        raise BadCode(
            "This is a pack's join code, not a pairing code.",
            "A machine is paired with a code of its own.",
            f"Open {settings.ADDRESS}/join, paste it there, and copy the command that you get.",
            slip="kind",
        )
    code = read_code(text, PAIRING_LENGTH)
    found = (
        Installation.objects.select_for_update(of=("self",))
        .select_related("pack")
        .filter(pairing_hash=_hash(code), pairing_until__gt=timezone.now())
        .first()
    )
    if found is None:
        raise NotFound(
            "This pairing code opens nothing.",
            "It works once, for thirty minutes.",
            "Ask for a new command on the installation's page.",
        )
    token = secrets.token_urlsafe(32)
    found.token_hash, found.pairing_hash, found.pairing_until = _hash(token), "", None
    found.save(update_fields=["token_hash", "pairing_hash", "pairing_until"])
    return found, token


def by_token(token: str) -> Installation | None:
    return Installation.objects.select_related("pack", "member").filter(token_hash=_hash(token)).first()


def take_report(installation: Installation, release: str, deviations: dict[str, Deviation], fingerprint: str) -> None:
    """Keeps what the agent says of its folder. Raises NotFound for a release that the pack does not have."""
    found = None
    if release:
        found = releases_of(installation.pack).filter(number=release).first()
        if found is None:
            raise NotFound(f"{installation.pack.name} has no release {release}.")
    installation.release = found
    installation.deviations = {path: what.value for path, what in deviations.items()}
    installation.fingerprint = fingerprint
    installation.heard_at = timezone.now()
    installation.progress, installation.progress_at = {}, None
    installation.save(update_fields=["release", "deviations", "fingerprint", "heard_at", "progress", "progress_at"])


def take_progress(installation: Installation, progress: dict) -> None:
    installation.progress, installation.progress_at = progress, timezone.now()
    installation.save(update_fields=["progress", "progress_at"])


def current_progress(installation: Installation) -> dict:
    """What the agent is doing now; empty at rest. One that fell silent is said to have stopped."""
    if not installation.progress or installation.progress.get("error"):
        return installation.progress
    if installation.progress_at and timezone.now() - installation.progress_at > QUIET_AFTER:
        return {**installation.progress, "error": "The agent stopped without a word. Start it again: it goes on."}
    return installation.progress


def start_sync(user: User, installation_id: UUID, extras_aside: bool) -> None:
    """Asks the worker to run the agent for an installation on a stand-in machine."""
    from .tasks import sync_stand_in

    with transaction.atomic():
        installation = installation_for(user, installation_id)
        if installation.machine is None:
            raise NoStandIn(
                "This installation is on a machine of your own.", now="Run “convoy sync” there; it shows up here."
            )
        progress = current_progress(installation)
        if progress and not progress.get("error"):
            raise Busy("It is syncing already.", now="Wait until it has ended.")
        take_progress(installation, {"phase": "waiting"})
        sync_stand_in.defer(installation=str(installation.pk), extras_aside=extras_aside)


def stand_in_folder(installation: Installation) -> Path:
    """Where a stand-in machine keeps an installation: from ids only, so no name can lead elsewhere."""
    assert installation.machine is not None
    return Path(settings.STANDIN_MACHINES) / installation.machine.slug / str(installation.pk)


@dataclass(frozen=True)
class Stood:
    installation: Installation
    standing: Standing


def stand(pack: Pack, installations: Iterable[Installation], releases: list[Release]) -> list[Stood]:
    """Where each installation stands. `releases`: the pack's, newest first. Reads a lock only where files deviate."""
    now = timezone.now()
    numbers = [release.number for release in releases]
    found = []
    for one in installations:
        number = one.release.number if one.release_id and one.release else ""
        report = None
        if one.heard_at:
            report = Report(
                number, one.heard_at, {path: Deviation(what) for path, what in one.deviations.items()}, one.fingerprint
            )
        share = recipe_of(one.release_id).lock.share(Side(one.side)) if one.deviations and one.release_id else None
        current = numbers[0] if numbers else ""
        found.append(Stood(one, standing(report, current, numbers[1:], share, now)))
    return found


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
