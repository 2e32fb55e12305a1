"""What is done with installations: joined, paired, heard from. Where each stands is told by `standings`."""

import hashlib
import secrets
from dataclasses import dataclass, field
from datetime import timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils import timezone

from convoy_core.lock.lock import Lock
from convoy_core.lock.signing import key_fingerprint
from convoy_core.outside.takeover import mark
from convoy_core.sync.deviations import Deviation
from convoy_core.words.codes import JOIN_LENGTH, PAIRING_LENGTH, make_code, read_code, show_code
from convoy_core.words.errors import BadCode, ConvoyError
from convoy_core.words.model import Reach, Side

from ..catalogue.models import Build
from ..catalogue.services import shelf
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

PAIRING_TRIES, PAIRING_SECONDS = 40, 600
"""A machine asks twice: what the code opens, and for its token."""

MAX_DEVIATIONS = 10_000
"""Paths in one report. An agent with more sends that many: nobody reads further, and the state is the same."""

BY_LISTING = "By listing"
"""The name of the row that a listing makes; no installation may have it."""

QUIET_AFTER = timedelta(seconds=20)
"""An agent tells its progress every second; after this silence it is taken to have stopped."""


class NameTaken(ConvoyError):
    code = "name-taken"


class Busy(ConvoyError):
    code = "already"


class TooLong(ConvoyError):
    code = "too-long"


@dataclass(frozen=True)
class PairingCommand:
    """The command that pairs a machine, shown once. `code` works until `until`, and once only. `install` gets the agent
    onto a machine that has none.
    """

    command: str
    code: str
    until: object
    install: str


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
    return PairingCommand(command, show_code(code), installation.pairing_until, install_command())


@lru_cache(maxsize=1)
def install_command() -> str:
    """Installs the agent that this site hands out; its hash goes with it, so that no other file is taken for it.

    Empty on a site that has no agent to hand out.
    """
    file = next(iter(sorted(settings.AGENT_FILES.glob("*.whl"))), None)
    if file is None:
        return ""
    return f"pipx install {settings.ADDRESS}/agent/{file.name}#sha256={hashlib.sha256(file.read_bytes()).hexdigest()}"


@transaction.atomic
def pair(text: str, who: str) -> tuple[Installation, str]:
    """Exchanges a pairing code for the agent's token, once. `who` is the caller's address, for counting tries."""
    found = opened_by(text, who)
    token = secrets.token_urlsafe(32)
    found.token_hash, found.pairing_hash, found.pairing_until = _hash(token), "", None
    found.save(update_fields=["token_hash", "pairing_hash", "pairing_until"])
    return found, token


def opened_by(text: str, who: str) -> Installation:
    """The installation that a pairing code opens, locked; the code is not used up. Raises BadCode or NotFound."""
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
        Installation.objects.aboard()
        .select_for_update(of=("self",))
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
    return found


def by_token(token: str) -> Installation | None:
    """The installation that a token is of, while its member is in the crew."""
    return Installation.objects.aboard().select_related("pack", "member").filter(token_hash=_hash(token)).first()


@dataclass(frozen=True)
class Told:
    """What an agent says of its folder. `strayed`: enforced settings that differ; `about`: as `agent_api.AboutIn`."""

    release: str
    deviations: dict[str, Deviation]
    fingerprint: str = ""
    strayed: list[dict[str, str]] = field(default_factory=list)
    found: dict[str, str] = field(default_factory=dict)
    about: dict[str, Any] = field(default_factory=dict)


def take_report(installation: Installation, told: Told) -> None:
    """Keeps what the agent says. Raises NotFound for a release that the pack does not have."""
    release = None
    if told.release:
        release = releases_of(installation.pack).filter(number=told.release).first()
        if release is None:
            raise NotFound(f"{installation.pack.name} has no release {told.release}.")
    deviations = {path: what.value for path, what in told.deviations.items()}
    if not deviations:
        installation.since = None
    elif (deviations, release) != (installation.deviations, installation.release) or installation.since is None:
        installation.since = timezone.now()
    installation.release, installation.deviations = release, deviations
    installation.fingerprint, installation.strayed = told.fingerprint, told.strayed
    installation.about = told.about
    installation.has, installation.harmless = {}, []
    if release and told.found:
        share = recipe_of(release.pk).lock.share(Side(installation.side))
        installation.has, installation.harmless = name_what_lies_there(installation.pack, share, told.found)
    changed = REPORTED
    if _went_on(installation, told):
        installation.answer = {}
        changed = [*REPORTED, "answer"]
    installation.heard_at = timezone.now()
    installation.progress, installation.progress_at = {}, None
    installation.save(update_fields=changed)


def _went_on(installation: Installation, told: Told) -> bool:
    """Whether what a sync was refused for has been got over since: the agent went on by itself, and came to its end."""
    refused = installation.answer.get("refused") and installation.answer.get("what") == "sync"
    return bool(refused and told.release == told.about.get("plan", {}).get("release") and not told.deviations)


REPORTED = [
    "release", "deviations", "fingerprint", "strayed", "has", "harmless", "about", "since", "heard_at", "progress",
    "progress_at",
]  # fmt: skip


def name_what_lies_there(pack: Pack, share: Lock, found: dict[str, str]) -> tuple[dict[str, str], list[str]]:
    """Which builds altered and extra files are of, by path, and which extra ones touch their owner alone.

    Recognised by a build's largest files, in one query.

    `found`: path to sha256. An altered file of a mod of the pack is told by version, another by name and version.
    """
    marks = {mark(sha256): sha256 for sha256 in found.values()}
    rows = Build.objects.filter(mod__in=shelf(pack), marks__overlap=list(marks)).select_related("mod").defer("files")
    # Builds of one mod share files: the one that most speaks for comes last, and wins.
    likely = sorted(rows[:MAX_RECOGNISED], key=lambda row: (len(marks.keys() & set(row.marks)), row.pk))
    by_hash = {mark_: row for row in likely for mark_ in row.marks if mark_ in marks}
    named: dict[str, str] = {}
    folders: dict[str, Build] = {}
    for path, sha256 in found.items():
        row = by_hash.get(mark(sha256))
        file = share.by_path.get(path)
        if row is None:
            continue
        if file and file.mod == row.mod.slug:
            # One file tells for the whole mod: its others are of that build, too, or were altered by hand.
            named |= {other: row.version for other in found if _mod_at(share, other) == file.mod}
        elif not file:
            folders["/".join(path.split("/")[:2])] = row
    harmless = []
    for path in found:
        row = folders.get("/".join(path.split("/")[:2]))
        if row and path not in share.by_path:
            named[path] = f"{row.mod.name} {row.version}"
            harmless += [path] if row.reach == Reach.OWN else []
    return named, harmless


MAX_RECOGNISED = 50
"""Builds that one report may be recognised by: nobody has more strangers, and nobody reads further."""


def _mod_at(share: Lock, path: str) -> str:
    file = share.by_path.get(path)
    return file.mod if file else ""


def left(installation: Installation) -> None:
    """Forgets what a folder was that follows the pack no more. The installation may be paired anew."""
    installation.token_hash, installation.release, installation.heard_at, installation.since = "", None, None, None
    installation.deviations, installation.fingerprint, installation.strayed = {}, "", []
    installation.has, installation.harmless, installation.about = {}, [], {}
    installation.progress, installation.progress_at, installation.watched_at = {}, None, None
    installation.save(update_fields=[*REPORTED, "token_hash", "watched_at"])


def remove(user: User, installation_id: UUID) -> None:
    """Takes one's own installation out of the site. Files on its machine stay as they are."""
    installation_for(user, installation_id).delete()


def release_for(installation: Installation, number: str) -> Release:
    """A release with its document, for an installation that may have it, or has it. Raises NotFound, saying why not."""
    one = installation
    found = one.pack.releases.select_related("withdrawal").filter(number=number).first()
    if found is None:
        raise NotFound(f"{one.pack.name} has no release {number}.")
    if found.pk == one.release_id:
        return found
    if hasattr(found, "withdrawal"):
        raise NotFound(f"Release {number} was withdrawn.", found.withdrawal.why, "Choose another one.")
    if found.channel != "stable" and not one.trial:
        raise NotFound(
            f"Release {number} is for trial only.",
            now="Choose to follow trial releases on the installation's page first.",
        )
    return found


def seen_watching(installation: Installation) -> None:
    Installation.objects.filter(pk=installation.pk).update(watched_at=timezone.now())


def take_progress(installation: Installation, progress: dict) -> None:
    installation.progress, installation.progress_at = progress, timezone.now()
    installation.save(update_fields=["progress", "progress_at"])


def hear_progress(installation: Installation, progress: dict) -> str:
    """Keeps what the agent is doing; gives what its member asks meanwhile: `pause`, `stop` or nothing.

    What was asked of an earlier run is not asked of the next one.
    """
    before = current_progress(installation)
    if installation.hold and (progress.get("error") or not before or before.get("error")):
        installation.hold = ""
        installation.save(update_fields=["hold"])
    take_progress(installation, progress)
    return installation.hold


def current_progress(installation: Installation) -> dict:
    """What the agent is doing now; empty at rest. One that fell silent is said to have stopped."""
    if not installation.progress or installation.progress.get("error"):
        return installation.progress
    if installation.progress_at and timezone.now() - installation.progress_at > QUIET_AFTER:
        return {**installation.progress, "error": "The agent stopped without a word. Start it again: it goes on."}
    return installation.progress


def stand_in_folder(installation: Installation) -> Path:
    """Where a stand-in machine keeps an installation: from ids only, so no name can lead elsewhere."""
    assert installation.machine is not None
    return Path(settings.STANDIN_MACHINES) / installation.machine.slug / str(installation.pk)


def side_of(installation: Installation) -> Side:
    return Side(installation.side)


def known_archive(pack: Pack, sha256: str) -> str:
    """Which build an archive is, in words; empty when no source that the pack draws on has it."""
    row = Build.objects.filter(mod__in=shelf(pack), archive_sha256=sha256).select_related("mod").first()
    return f"{row.mod.name} {row.version}" if row else ""


def forget_listing(user: User, pack: Pack, installation_id: UUID) -> None:
    """Removes a row that was told by listing. Raises NotFound for anybody else's, and for an agent's."""
    deleted, _ = Installation.objects.filter(pk=installation_id, pack=pack, member=user, by_listing=True).delete()
    if not deleted:
        raise NotFound("This row does not exist, or it is not yours.")


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
