"""What members bring: a file that one drops on the page for an errand, on a stand-in machine; and what agents read in
archives that only a person may fetch.

A dropped file is kept only when it is a wanted one. On a machine of their own the browser only hashes it: what may not
be passed on does not travel through the site.
"""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile

from convoy_core.lock.lock import LockedBuild

from ..catalogue import readings
from ..catalogue.models import Build
from ..catalogue.readings import Reported, Wanted
from ..catalogue.services import shelf
from ..packs import draft_layers
from ..releases.lookup import recipe_of
from ..releases.models import Release
from . import beside
from .models import Installation
from .reports import known_archive


@dataclass(frozen=True)
class Brought:
    """`mod` is empty when the file is none that is wanted; `last`: nothing is left to bring."""

    mod: str
    said: str
    last: bool = False


def bring(one: Installation, target: Release | None, file: "UploadedFile[bytes]") -> Brought:
    """Puts a wanted file where the stand-in's downloads arrive; says what any other one is."""
    assert one.machine is not None
    digest = hashlib.sha256()
    for block in file.chunks():
        digest.update(block)
    sha256 = digest.hexdigest()
    own = [build for row in beside.rows_of(one, target) if row.own for build in row.own.lock.builds]
    errands = errands_of(one, target, own)
    found = next((build for build in errands if build.archive.sha256 == sha256), None)
    if found is None:
        name = known_archive(one.pack, sha256)
        said = f"This is {name}, which is not wanted here." if name else "No source of this game has this file."
        return Brought("", said)
    downloads = Path(settings.STANDIN_MACHINES) / one.machine.slug / "downloads"
    downloads.mkdir(parents=True, exist_ok=True)
    # Named by its hash: a name from outside could lead elsewhere.
    unfinished = downloads / f"{sha256}.new"
    with unfinished.open("wb") as kept:
        for block in file.chunks():
            kept.write(block)
    unfinished.replace(downloads / f"{sha256}.zip")
    last = all((downloads / f"{build.archive.sha256}.zip").exists() for build in errands)
    return Brought(found.mod, f"{found.name} {found.version}: that is the right file.", last)


def errands_of(one: Installation, target: Release | None, own: Iterable[LockedBuild]) -> list[LockedBuild]:
    """What only its member can bring, for the pack and for collections beside it, each file once."""
    wanted = set(one.about.get("errands", ()))
    beside_it = {mod for told in one.about.get("beside", ()) for mod in told["errands"]}
    if target is None or not wanted | beside_it:
        return []
    builds = [build for build in recipe_of(target.pk).lock.builds if build.mod in wanted]
    mods = {build.mod for build in builds}
    found = [*builds, *(build for build in own if build.mod in beside_it - mods)]
    return list({build.archive.sha256: build for build in found if not build.pickup.is_automatic}.values())


def unread_of(one: Installation) -> list[Wanted]:
    """Builds of the pack that only a person may fetch, with the files in them that nobody has read."""
    return readings.wanted_of(one.pack, _by_hand(one), by_hand=True)


def unread_written(one: Installation) -> dict[str, str]:
    """Settings files that the game wrote there and that nobody has read: path to sha256."""
    there = readings.known_hashes(one.pack, set(one.written.values()))
    return {path: sha256 for path, sha256 in one.written.items() if sha256 not in there}


def take_readings(one: Installation, told: Iterable[Reported]) -> int:
    """Keeps what an agent read; gives how many files that were. Raises MalformedInput."""
    asked = unread_of(one)
    hashes = {sha256 for each in asked for sha256, _ in each.files.values()} | set(unread_written(one).values())
    return readings.take_reported(one.pack, one.member, hashes, told)


def _by_hand(one: Installation) -> list[Build]:
    """Of the pack's draft and of the release that the machine has."""
    rows = draft_layers.picked(one.pack.draft, with_files=True).rows
    there = {row.archive_sha256 for row in rows}
    builds = recipe_of(one.release_id).lock.builds if one.release_id else ()
    hashes = {build.archive.sha256 for build in builds if not build.pickup.is_automatic} - there
    others = Build.objects.filter(archive_sha256__in=hashes, mod__in=shelf(one.pack)).select_related("mod__source")
    return [*rows, *others]
