"""Reads a source's catalogue into the database: only when it changed, and without harm when it is away or nonsense."""

import json
import logging
from collections.abc import Sequence
from datetime import date

import httpx
from django.db import transaction
from django.utils import timezone

from convoy_core.catalogue import ListedBuild, ListedMod, Unreadable, read_catalogue
from convoy_core.errors import ConvoyError
from convoy_core.profile import GameProfile

from .models import Build, Mod, Source
from .search import WORDS

TIMEOUT_SECONDS = 20
MAX_CATALOGUE_BYTES = 512 * 1024 * 1024
"""Bytes. 50,000 mods with 400,000 builds are some 300 MB; more is nonsense."""

NOT_READ = "Not read"

log = logging.getLogger(__name__)


def read_source(source: Source, client: httpx.Client | None = None) -> None:
    """Brings a source's mods up to date. What went wrong is written to the source, never raised."""
    try:
        _read(source, client or httpx.Client(timeout=TIMEOUT_SECONDS))
    except (httpx.HTTPError, ConvoyError, ValueError) as error:
        source.trouble = f"{NOT_READ}: {error}"[:2000]
        log.warning("source %s: %s", source.id, error)
    source.save()


def _read(source: Source, client: httpx.Client) -> None:
    headers = {"If-None-Match": source.etag} if source.etag else {}
    with client.stream("GET", f"{source.address}/catalogue.json", headers=headers) as reply:
        if reply.status_code == 304:
            source.read_at = timezone.now()
            source.trouble = "" if source.trouble.startswith(NOT_READ) else source.trouble
            return
        reply.raise_for_status()
        body = bytearray()
        for chunk in reply.iter_bytes():
            body += chunk
            if len(body) > MAX_CATALOGUE_BYTES:
                raise ValueError("its catalogue is larger than 512 MB")
    entries = list(read_catalogue(json.loads(body), source.game.profile))
    mods = [entry for entry in entries if isinstance(entry, ListedMod)]
    unread = [entry for entry in entries if isinstance(entry, Unreadable)]
    taken = _keep(source, mods)
    troubles = [f"{one.entry}: {one.why}" for one in unread] + taken
    source.trouble = "\n".join(troubles)[:2000]
    source.etag = reply.headers.get("etag", "")[:200]
    source.read_at = timezone.now()


@transaction.atomic
def _keep(source: Source, listed: Sequence[ListedMod]) -> list[str]:
    """Writes mods and builds; gives a sentence for each that was not taken."""
    known = {mod.slug: mod for mod in Mod.objects.filter(game=source.game, slug__in=[one.id for one in listed])}
    troubles = [
        f"{one.id}: {known[one.id].source_id} has it already."
        for one in listed
        if one.id in known and known[one.id].source_id != source.id
    ]
    ours = [one for one in listed if one.id not in known or known[one.id].source_id == source.id]
    rows = Mod.objects.bulk_create(
        [_mod_row(source, one) for one in ours],
        batch_size=1000,
        update_conflicts=True,
        unique_fields=["game", "slug"],
        update_fields=[
            "name", "summary", "author", "category", "kind", "licence", "page",
            "downloads", "counterpart", "updated", "provides", "fits", "followers", "rating", "added", "needs", "sides",
            "reaches", "channels",
        ],
    )  # fmt: skip
    Mod.objects.filter(pk__in=[row.pk for row in rows]).update(words=WORDS)
    troubles += _keep_builds([(row, one.builds) for row, one in zip(rows, ours, strict=True)])
    Build.objects.filter(mod__source=source).exclude(mod__slug__in=[one.id for one in ours]).update(gone=True)
    return troubles


def _keep_builds(listed: Sequence[tuple[Mod, Sequence[ListedBuild]]]) -> list[str]:
    """Adds new builds, marks vanished ones; a known version with another archive is refused and named."""
    known: dict[int, dict[str, tuple[int, str, bool]]] = {}
    found = Build.objects.filter(mod__in=[mod for mod, _ in listed])
    for mod, version, pk, sha256, gone in found.values_list("mod_id", "version", "pk", "archive_sha256", "gone"):
        known.setdefault(mod, {})[version] = (pk, sha256, gone)
    troubles, fresh, vanished, back = [], [], [], []
    for mod, builds in listed:
        there = known.get(mod.pk, {})
        names = {one.build.version.text for one in builds}
        vanished += [pk for version, (pk, _, gone) in there.items() if version not in names and not gone]
        for one in builds:
            if one.build.version.text not in there:
                fresh.append(_build_row(mod, one))
                there[one.build.version.text] = (0, one.archive.sha256, False)
            elif there[one.build.version.text][1] != one.archive.sha256:
                troubles.append(f"{mod.slug} {one.build.version}: listed with another archive than before; not taken.")
            elif there[one.build.version.text][2]:
                back.append(there[one.build.version.text][0])
    Build.objects.bulk_create(fresh, batch_size=1000)
    Build.objects.filter(pk__in=vanished).update(gone=True)
    Build.objects.filter(pk__in=back).update(gone=False)
    return troubles


def _mod_row(source: Source, listed: ListedMod) -> Mod:
    dates = [day for one in listed.builds if (day := _day(one.date))]
    return Mod(
        game=source.game,
        source=source,
        slug=listed.id,
        name=listed.name,
        summary=listed.summary,
        author=listed.author,
        category=listed.category,
        kind=listed.kind,
        licence=listed.licence,
        page=listed.page,
        downloads=listed.downloads,
        counterpart=listed.counterpart,
        followers=listed.followers,
        rating=listed.rating,
        updated=max(dates, default=None),
        added=min(dates, default=None),
        needs=sorted({name for one in listed.builds for name in one.build.needs}),
        sides=sorted({one.side for one in listed.builds}),
        reaches=sorted({one.reach for one in listed.builds}),
        channels=sorted({one.build.channel for one in listed.builds}),
        provides=sorted({name for one in listed.builds for name in one.build.provides}),
        fits=_fits(listed, source.game.profile),
    )


def _build_row(mod: Mod, listed: ListedBuild) -> Build:
    build = listed.build
    return Build(
        mod=mod,
        version=build.version.text,
        channel=build.channel,
        date=_day(listed.date),
        side=listed.side,
        reach=listed.reach,
        relations={
            "games": build.games.text,
            "loaders": {name: str(wanted) for name, wanted in build.loaders.items()},
            "needs": {name: str(wanted) for name, wanted in build.needs.items()},
            "breaks": {name: str(wanted) for name, wanted in build.breaks.items()},
            "provides": {name: str(version) for name, version in build.provides.items()},
        },
        archive_name=listed.archive.name,
        archive_size=listed.archive.size,
        archive_sha256=listed.archive.sha256,
        url=listed.url,
        files=[[file.path, file.size, file.sha256] for file in listed.files],
        refused=listed.refused[:600],
        change_log=listed.change_log,
    )


def _fits(listed: ListedMod, profile: GameProfile) -> list[str]:
    """Every `VERSION` and `VERSION/LOADER` that some installable build is made for: what the finder filters by."""
    builds = [one.build for one in listed.builds if not one.refused]
    found = set()
    for game in profile.versions:
        for build in builds:
            if not build.games.holds(game.version):
                continue
            if not build.loaders:
                found.add(str(game.version))
            for loader in profile.loaders:
                wanted = build.loaders.get(loader.id)
                runs = any(wanted.holds(one.version) for one in loader.versions_for(game.version)) if wanted else False
                if runs or not build.loaders:
                    found.add(f"{game.version}/{loader.id}")
    return sorted(found)


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None
