"""What agents report: kept, and what lies there in place of the pack's files recognised."""

from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.in_worlds import as_any_world
from convoy_core.lock.lock import Lock, PlacedFile
from convoy_core.outside.takeover import short_hash
from convoy_core.sync.deviations import Deviation
from convoy_core.words.model import Reach, Side

from ..catalogue import readings
from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..packs.models import Pack
from ..people.rights import NotFound
from ..releases.lookup import recipe_of, releases_of
from .models import OF_SETTINGS, Installation

MAX_DEVIATIONS = 10_000
"""Paths in one report. An agent with more sends that many: nobody reads further, and the state is the same."""


@dataclass(frozen=True)
class AgentReport:
    """What an agent says of its folder. `strayed`: enforced settings that differ; `about`: as `agent_api.AboutIn`."""

    release: str
    deviations: dict[str, Deviation]
    sha256: str = ""
    """Of the release's document; empty from agents that do not say."""
    serial: int = 0
    fingerprint: str = ""
    strayed: list[dict[str, str]] = field(default_factory=list)
    found: dict[str, str] = field(default_factory=dict)
    about: dict[str, Any] = field(default_factory=dict)


@transaction.atomic
def take_report(known: Installation, told: AgentReport) -> None:
    """Keeps what the agent says, unless something newer was kept already. A release that this site does not know, or
    knows as another of that number, is kept as such: the roll call says so.
    """
    installation = Installation.objects.select_for_update(of=("self",)).filter(pk=known.pk).first()
    if installation is None:  # It was removed meanwhile.
        raise NotFound("This installation was removed from the site.")
    if told.serial and told.serial < installation.serial:
        return
    installation.pack, installation.serial = known.pack, told.serial
    release = None
    if told.release:
        release = releases_of(installation.pack).filter(number=told.release).first()
    is_other = bool(told.release) and (release is None or told.sha256 not in ("", release.sha256))
    installation.other_number, installation.other_sha256 = (told.release, told.sha256) if is_other else ("", "")
    release = None if is_other else release
    deviations = {path: what.value for path, what in told.deviations.items()}
    if not deviations:
        installation.since = None
    elif (deviations, release) != (installation.deviations, installation.release) or installation.since is None:
        installation.since = timezone.now()
    installation.release, installation.deviations = release, deviations
    installation.fingerprint, installation.strayed = told.fingerprint, told.strayed
    before, installation.about = installation.written, told.about
    if not installation.tells_settings:
        # Allowed no more since the agent asked: then it is not kept.
        for name in OF_SETTINGS:
            installation.about.pop(name, None)
    # A game may write its settings at each start: of each file what it says now is kept, and no other.
    gone = {*before.values()} - {*installation.written.values()}
    readings.forget_reported(installation.pack, installation.member, gone)
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


def _went_on(installation: Installation, told: AgentReport) -> bool:
    """Whether what a sync was refused for has been got over since: the agent went on by itself, and came to its end."""
    refused = installation.answer.get("refused") and installation.answer.get("what") == "sync"
    return bool(refused and told.release == told.about.get("plan", {}).get("release") and not told.deviations)


REPORTED = [
    "release", "deviations", "fingerprint", "strayed", "has", "harmless", "about", "since", "heard_at", "progress",
    "progress_at", "serial", "other_number", "other_sha256",
]  # fmt: skip


def name_what_lies_there(pack: Pack, share: Lock, found: dict[str, str]) -> tuple[dict[str, str], list[str]]:
    """Which builds altered and extra files are of, by path, and which extra ones touch their owner alone.

    Recognised by a build's largest files, in one query.

    `found`: path to sha256. An altered file of a mod of the pack is told by version, another by name and version.
    """
    wanted = {short_hash(sha256): sha256 for sha256 in found.values()}
    rows = (
        Build.objects.filter(mod__in=shelf(pack), short_hashes__overlap=list(wanted))
        .select_related("mod")
        .defer("files")
    )
    # Builds of one mod share files: the one that most speaks for comes last, and wins.
    likely = sorted(rows[:MAX_RECOGNISED], key=lambda row: (len(wanted.keys() & set(row.short_hashes)), row.pk))
    by_hash = {one: row for row in likely for one in row.short_hashes if one in wanted}
    named: dict[str, str] = {}
    folders: dict[str, Build] = {}
    for path, sha256 in found.items():
        row = by_hash.get(short_hash(sha256))
        file = _file_at(share, path)
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
        if row and not _file_at(share, path):
            named[path] = f"{row.mod.name} {row.version}"
            harmless += [path] if row.reach == Reach.OWN else []
    return named, harmless


MAX_RECOGNISED = 50
"""Builds that one report may be recognised by: nobody has more strangers, and nobody reads further."""


def _file_at(share: Lock, path: str) -> PlacedFile | None:
    return share.by_path.get(as_any_world(path, share.terms))


def _mod_at(share: Lock, path: str) -> str:
    file = _file_at(share, path)
    return file.mod if file else ""


def known_archive(pack: Pack, sha256: str) -> str:
    """Which build an archive is, in words; empty when no source that the pack draws on has it."""
    row = Build.objects.filter(mod__in=shelf(pack), archive_sha256=sha256).select_related("mod").first()
    return f"{row.mod.name} {row.version}" if row else ""
