"""The agent's work as a whole: join, sync, status, verify. Everything the command line does goes through here."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from convoy_core.errors import ConvoyError
from convoy_core.lock import Lock, LockedBuild
from convoy_core.plan import Act, Choices, Plan, make_plan
from convoy_core.recipe import Recipe
from convoy_core.rollcall import Deviation

from . import site as sites
from .apply import Step, carry_out, journal_release, no_step, stage, write_journal
from .errors import BadRelease, DiskFull, ErrandsLeft
from .fetch import Fetcher, Limits
from .files import sha256_of
from .folder import Folder, deviations, share_of
from .progress import Progress, Screen, Silent
from .site import Pairing, Site
from .store import Store

SPARE_BYTES = 64 * 1024 * 1024
"""Left free on the disk beyond what a sync needs, so that the game and the system can still write."""


@dataclass(frozen=True)
class Synced:
    """What a sync did."""

    release: str
    plan: Plan
    aside: tuple[str, ...]
    recovered: bool
    """A change that an earlier run had begun was completed first."""


@dataclass(frozen=True)
class Status:
    """How an installation stands, by its own account."""

    pairing: Pairing
    release: str
    current: str
    deviations: dict[str, Deviation]
    fingerprint: str


def join(code: str, site: str, root: Path, key: str = "") -> Pairing:
    """Pairs a folder with an installation of the site's. Raises FolderRefused before the code is used up."""
    folder = Folder(root)
    folder.refuse_taken()
    pairing = sites.pair(site, code)
    if key and pairing.key.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "The site shows another key than the pairing command names.",
            f"Named: {key}. Shown: {pairing.key}.",
            "Nothing was installed. Copy the command again from the installation's page, or ask your curator.",
        )
    folder.create(pairing)
    return pairing


def sync(
    root: Path,
    store: Store,
    screen: Screen | None = None,
    choices: Choices = Choices(),
    limits: Limits = Limits(),
    step: Step = no_step,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
) -> Synced:
    """Brings the folder to the pack's newest release. Raises ConvoyError; the folder is then as before, or as after.

    The order is: complete what was begun, look, plan, fetch everything, stage everything, then change.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        progress = Progress(site, screen or Silent())
        try:
            recovered = recover(folder, pairing, step)
            progress.phase("checking", 0)
            head = site.head()
            recipe = _newest(folder, pairing, site, head.number)
            share = share_of(recipe, pairing)
            record = folder.record()
            scan = folder.scan(record)
            hashes = {path: sha256 for path, (sha256, _) in scan.items()}
            plan = make_plan(record.hashes(), hashes, share, _stored(store, share), choices)
            plan = _after_inbox(folder, store, plan, record.hashes(), hashes, share, choices)
            _refuse_full(folder, store, plan)
            if plan.fetch:
                progress.phase("fetching", plan.fetch_bytes)
                Fetcher(store, head.sources, progress.add, limits, site.credentials).fetch_all(plan.fetch)
            aside: tuple[str, ...] = ()
            if plan.moves or record.release != recipe.number:
                progress.phase("placing", plan.place_bytes)
                stage(folder, plan, share, store, progress.add)
                step("journal")
                write_journal(folder, plan, recipe.number, record, now().strftime("%Y-%m-%d-%H%M%S-%f"))
                aside = carry_out(folder, share, step)
                scan = folder.scan(folder.record())
                hashes = {path: sha256 for path, (sha256, _) in scan.items()}
            site.report(recipe.number, deviations(share, hashes), recipe.lock.fingerprint(hashes))
            return Synced(recipe.number, plan, aside, recovered)
        except ConvoyError as error:
            progress.stopped(error.sentence())
            raise


def recover(folder: Folder, pairing: Pairing, step: Step = no_step) -> bool:
    """Completes a change that was under way when an earlier run stopped; says whether there was one."""
    if not journal_release(folder):
        return False
    signed = folder.kept_release("release.next.json") or folder.kept_release()
    if signed is None:
        raise BadRelease(
            "A change was under way, and its release is no longer there.",
            f"Somebody removed it from {folder.own}.",
            "Move the folder aside and pair a new one.",
        )
    carry_out(folder, share_of(folder.trusted(signed, pairing), pairing), step)
    return True


def status(root: Path, thorough: bool = False) -> Status:
    """Looks and reports, changes nothing. `thorough` hashes every file, however familiar it looks."""
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        recover(folder, pairing)
        record = folder.record()
        hashes = {path: sha256 for path, (sha256, _) in folder.scan(record, thorough).items()}
        found: dict[str, Deviation] = {}
        fingerprint = ""
        if record.release and (signed := folder.kept_release()):
            recipe = folder.trusted(signed, pairing)
            found = deviations(share_of(recipe, pairing), hashes)
            fingerprint = recipe.lock.fingerprint(hashes)
        site.report(record.release, found, fingerprint)
        return Status(pairing, record.release, site.head().number, found, fingerprint)


def _newest(folder: Folder, pairing: Pairing, site: Site, number: str) -> Recipe:
    """The newest release, trusted; from the folder when it is there already. Kept beside the present one."""
    kept = folder.kept_release()
    if kept is not None:
        recipe = folder.trusted(kept, pairing)
        if recipe.number == number:
            folder.keep_release(kept, "release.next.json")
            return recipe
    signed = site.release(number)
    recipe = folder.trusted(signed, pairing)
    if recipe.number != number:
        raise BadRelease(f"The site sent release {recipe.number} for {number}.", now="Nothing was changed.")
    folder.keep_release(signed, "release.next.json")
    return recipe


def _stored(store: Store, share: Lock) -> set[str]:
    return {build.archive.sha256 for build in share.builds if build.archive.sha256 in store}


def _after_inbox(
    folder: Folder,
    store: Store,
    plan: Plan,
    record: dict[str, str],
    scan: dict[str, str],
    share: Lock,
    choices: Choices,
) -> Plan:
    """Takes in files that the member brought, whatever their names. Raises ErrandsLeft when some are still missing."""
    if not plan.errands:
        return plan
    wanted = {build.archive.sha256: build for build in plan.errands}
    for file in folder.inbox.iterdir() if folder.inbox.exists() else ():
        if file.is_file() and (sha256 := sha256_of(file)) in wanted:
            store.copy_in(file, sha256)
    plan = make_plan(record, scan, share, _stored(store, share), choices)
    if plan.errands:
        raise ErrandsLeft(
            f"{len(plan.errands)} files have to be brought by hand."
            if len(plan.errands) > 1
            else "One file has to be brought by hand.",
            " ".join(_errand(build) for build in plan.errands),
            f"Put what you get into {folder.inbox}, under any name, and sync again.",
            errands=[build.archive.name for build in plan.errands],
        )
    return plan


def _errand(build: LockedBuild) -> str:
    return f"{build.name} {build.version}: {build.archive.name} from {build.source}, page {build.page}."


def _refuse_full(folder: Folder, store: Store, plan: Plan) -> None:
    """Raises DiskFull before anything is fetched that would not fit. Only a first guard: writing checks again."""
    for place, needed in ((store.root, plan.fetch_bytes), (folder.root, plan.place_bytes)):
        free = shutil.disk_usage(place).free
        if needed and free < needed + SPARE_BYTES:
            raise DiskFull(
                f"{place} has {free // 2**20} MB left, and {needed // 2**20 + 1} MB are needed.",
                "Nothing was changed.",
                "Make room, then sync again.",
            )


def describe(plan: Plan) -> str:
    """A plan in one line."""
    parts = [
        (plan.count(Act.PLACE), "new"),
        (plan.count(Act.REPLACE), "replaced"),
        (plan.count(Act.REMOVE), "removed"),
        (plan.count(Act.ASIDE), "moved aside"),
        (plan.left_alone, "left as they are"),
    ]
    return ", ".join(f"{count} {word}" for count, word in parts if count) or "nothing to do"
