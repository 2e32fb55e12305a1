"""A folder that somebody filled by hand, against the pack's shelf: what of it the draft can take over."""

import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.outside.archive_root import roots_of
from convoy_core.outside.inspection import refusals_of
from convoy_core.outside.takeover import Known, TakenOver, read_listing, recognise, short_hash
from convoy_core.words.model import CarriedFile, Kind
from convoy_core.words.profile import GameProfile, KindLayout
from convoy_io import archives

from ..catalogue.drawing import Drawing
from ..catalogue.dropping import CannotBeUsed
from ..catalogue.models import Build, Mod
from ..catalogue.services import build_rows, fit_of, shelf
from ..people.models import SiteRules
from ..receiving import Upload, incoming
from . import drafts
from .models import Pack

MAX_LISTING = 64 * 2**20
"""Bytes of a listing: 200,000 files with long names."""

HASHES_AT_ONCE = 20_000
MAX_BUILDS = 8_000
"""Builds that one listing is held against. A folder that speaks for more was made to keep us busy."""


@dataclass
class Proposal:
    """What a folder comes to. `mods` and `reasons` (why none of its builds fits, or empty) are by the mod's slug,
    `already` are lines of the draft.
    """

    taken: TakenOver
    mods: dict[str, Mod]
    reasons: dict[str, str]
    already: set[str]
    along: set[str]
    """Mods that others of the folder or of the draft need: they are brought in without a line of their own."""


def propose(pack: Pack, upload: Upload) -> Proposal:
    """Reads a listing, or a ZIP of the folder. Raises MalformedInput, CannotBeUsed, TooLarge."""
    taken = found_in(pack, upload)
    spoken = {one.mod for one in (*taken.found, *taken.doubles, *taken.remnants)}
    mods = {mod.slug: mod for mod in shelf(pack).filter(slug__in=spoken)}
    base, builds = (
        drafts.base_of(pack.draft),
        build_rows(drafts.sayings_in(pack.draft), {mod.pk: mod.slug for mod in mods.values()}),
    )
    reasons = {slug: fit_of(builds[mod.pk], base).reason for slug, mod in mods.items()}
    already = set(pack.draft.lines.values_list("mod", flat=True))
    needed = {need for one in taken.found for need in mods[one.mod].needs} | set(pack.draft.picks)
    return Proposal(taken, mods, reasons, already, needed - already)


def found_in(pack: Drawing, upload: Upload) -> TakenOver:
    """What a listing, or a ZIP of a folder, comes to by the shelf alone. Raises as `propose` does."""
    with incoming(upload, SiteRules.now().upload_mb * 2**20) as (path, _):
        files = _files_of_zip(path) if zipfile.is_zipfile(path) else _files_of_listing(path)
    profile = pack.game.profile
    return recognise(files, _known(pack, files, profile), profile)


def _files_of_listing(path: Path) -> tuple[CarriedFile, ...]:
    if path.stat().st_size > MAX_LISTING:
        raise CannotBeUsed(
            f"The listing is larger than {MAX_LISTING // 2**20} MB.", now="List the game's folder alone."
        )
    return read_listing(path.read_bytes())


def _files_of_zip(path: Path) -> tuple[CarriedFile, ...]:
    members = archives.contents(path)
    refused = refusals_of(members)
    if refused:
        raise CannotBeUsed("The ZIP is not read.", f"{refused[0].path}: {refused[0].why}".removeprefix(": "))
    sizes = {member.path: member.size for member in members}
    return tuple(CarriedFile(name, sizes[name], sha256) for name, sha256 in archives.hashes(path, members))


def _known(pack: Drawing, files: tuple[CarriedFile, ...], profile: GameProfile) -> list[Known]:
    """Builds of the shelf that one of the files' hashes speaks for: by an archive's, or by a mark's."""
    hashes = sorted({file.sha256 for file in files})
    keys: set[int] = set()
    builds = Build.objects.filter(mod__in=shelf(pack), refused="")
    for start in range(0, len(hashes), HASHES_AT_ONCE):
        part = hashes[start : start + HASHES_AT_ONCE]
        keys.update(builds.filter(archive_sha256__in=part).values_list("pk", flat=True))
        keys.update(
            builds.filter(short_hashes__overlap=[short_hash(one) for one in part]).values_list("pk", flat=True)[
                :MAX_BUILDS
            ]
        )
    if len(keys) > MAX_BUILDS:
        raise CannotBeUsed(f"The folder speaks for {len(keys)} builds.", f"{MAX_BUILDS} is the most.")
    rows = Build.objects.filter(pk__in=keys).order_by("mod__slug", "version")
    return [
        Known(slug, version, sha256, _below_root(files, profile.kinds[Kind(kind)], root))
        for slug, version, sha256, kind, files, root in rows.values_list(
            "mod__slug", "version", "archive_sha256", "mod__kind", "files", "root"
        )
    ]


def _below_root(rows: list[list[Any]], layout: KindLayout, chosen: str | None) -> tuple[CarriedFile, ...]:
    """A build's files as they lie in an installation, without what its archive has around them."""
    roots = roots_of([path for path, _, _ in rows], layout)
    root = roots[0] if len(roots) == 1 else ""
    if chosen is not None:
        root = f"{chosen}/" if chosen else ""
    return tuple(
        CarriedFile(path.removeprefix(root), size, sha256) for path, size, sha256 in rows if path.startswith(root)
    )
