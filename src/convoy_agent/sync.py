"""One sync as a whole: look, plan, change, tell; and the status, which changes nothing."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NoReturn

from convoy_core.lock.change_log import changes
from convoy_core.lock.recipe import Recipe
from convoy_core.sync.deviations import Deviation
from convoy_core.sync.plan import Plan, SyncChoices
from convoy_core.sync.undoing import to_take_back
from convoy_core.words.errors import ConvoyError

from .change import Done, Wish, Work
from .errors import (
    DiskFull,
    LineLimit,
    NothingInstalled,
    SiteAway,
    SiteRefused,
)
from .fetching.limits import Limits
from .folder import steps
from .folder.backup import Backup
from .folder.backups import Backups
from .folder.folder import Folder
from .folder.journal import Step, no_step, recover
from .rest import Calm
from .site.progress import Progress, Screen, Silent
from .site.site import Head, Pairing, Site
from .storage import disk
from .storage.files import SPARE_BYTES, trouble
from .storage.store import Store
from .visit import Now, Prospect, Reported, Visit


def utc_now() -> datetime:
    return datetime.now(UTC)


@dataclass(frozen=True)
class Synced:
    """What a sync did."""

    release: str
    plan: Plan
    aside: tuple[str, ...]
    recovered: bool
    """A change that an earlier run had begun was completed first."""
    notes: tuple[Mapping[str, object], ...] = ()
    """What merging settings did."""
    unheard: bool = False
    """The site went away meanwhile and was not told; it hears of it from the next look."""
    mods: tuple[str, ...] = ()
    """What came, moved and left, in sentences."""
    backup: Backup | None = None
    """The one that was made before worlds were touched."""
    steps_left: tuple[str, ...] = ()
    """What only a person can do, and has not done."""
    undone: Mapping[str, str] = field(default_factory=dict)
    """What could not be done, by path, and why. The next sync plans it anew."""
    remarks: tuple[str, ...] = ()
    """What its person has to be told beside: of the agent's own files, archives, backups."""


@dataclass(frozen=True)
class Status:
    """How an installation stands, by its own account, and what a sync would do. `followed`: the release that it is to
    have by its member's choice; `unheard`: the site did not answer, and this is by what it said last.
    """

    pairing: Pairing
    release: str
    current: str
    deviations: Mapping[str, Deviation]
    fingerprint: str
    plan: Plan | None
    followed: str = ""
    mods: tuple[str, ...] = ()
    steps_left: tuple[str, ...] = ()
    unheard: bool = False
    remarks: tuple[str, ...] = ()
    bad_backups: tuple[str, ...] = ()


def sync(
    root: Path,
    store: Store,
    screen: Screen | None = None,
    wish: Wish = Wish(),
    now: Now = utc_now,
    step: Step = no_step,
    limits: Limits = Limits(),
) -> Synced:
    """Brings the folder to its release. Raises what stands in the way, and then the folder is as it was.

    Any ConvoyError: SiteAway, SiteRefused, BadRelease, FetchFailed, ErrandsLeft, LineLimit, Stopped, DiskFull,
    FolderRefused, ArchiveWrong, BackupRefused, SomebodyElse, FileTrouble.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        progress = Progress(site, screen or Silent())
        try:
            recovered = recover(folder, step)
            store.remember(folder.root, pairing.installation)
            head = heard(folder, site, must_answer=wish.back is None)
            progress.phase("checking", 0)
            number = wish.to or head.number
            if wish.choices.only is not None:
                number = folder.record().release or nothing_installed()
            plain = wish.choices == SyncChoices() and not wish.to and wish.back is None
            if plain and not recovered and (calm := Calm(folder).still(number, head.left_out)):
                site.report(number, {}, calm.fingerprint, calm.about)
                return Synced(number, calm.plan(), (), False, steps_left=_left(calm.about))
            visit = Visit(folder, pairing, site, store, head, now)
            prospect = visit.prospect(visit.release(number), wish.choices)
            _refuse_full(folder, store, prospect.plan)
            _refuse_metered(head, prospect.plan, wish)
            work = Work(visit, prospect, wish, replace(limits, line=head.line * 1024), progress, step)
            done = work.change() if _is_due(prospect, wish) else Done()
            steps.keep_baselines(folder, prospect.target)
            seen = prospect if wish.choices == SyncChoices() and not done.carried else None
            _rehearse(visit)
            after = _tell_site(visit, prospect, seen)
            _end(visit, prospect.recipe.number)
            return Synced(
                prospect.recipe.number,
                prospect.plan,
                done.carried.moved if done.carried else (),
                recovered,
                tuple(done.notes),
                after.unheard if after else True,
                done.mods,
                done.backup,
                _left(after.about) if after else (),
                done.carried.undone if done.carried else {},
                tuple(folder.remarks),
            )
        except (ConvoyError, OSError) as error:
            if not folder.journal.exists():
                with suppress(OSError):
                    disk.remove_tree(folder.staging)
            told = trouble(error, folder.root) if isinstance(error, OSError) else error
            progress.stopped(told.sentence())
            raise


def _is_due(prospect: Prospect, wish: Wish) -> bool:
    return bool(prospect.plan.moves or prospect.record.release != prospect.recipe.number or wish.back)


def heard(folder: Folder, site: Site, must_answer: bool) -> Head:
    """What the site says now; where it need not answer and does not, what it said last. Then it is asked no more."""
    try:
        head = site.head()
    except (SiteAway, SiteRefused):
        kept = None if must_answer else folder.kept_head()
        if kept is None:
            raise
        site.away = True
        return kept
    folder.keep_head(head)
    return head


def _left(about: Mapping[str, object]) -> tuple[str, ...]:
    told = about.get("steps")
    return tuple(str(one["text"]) for one in told if not one["done"]) if isinstance(told, list) else ()


def _tell_site(visit: Visit, prospect: Prospect, seen: Prospect | None) -> Reported | None:
    """Reports after a sync, with what the next one would do. What was done is done, whether anybody hears of it or not:
    None when the site could not even say what comes next.
    """
    head, recipe = visit.head, prospect.recipe
    try:
        if recipe.number != head.number:
            recipe, seen = visit.release(head.number), None
        after = visit.report(recipe, seen=seen)
    except (SiteAway, SiteRefused):
        return None
    Calm(visit.folder).keep(prospect.recipe.number, head.left_out, after)
    return after


def _end(visit: Visit, installed: str) -> None:
    """What is seen to after every long look: old releases, and what the store has to keep."""
    folder = visit.folder
    back = to_take_back(folder.history().all())
    folder.releases.sweep([installed, visit.head.number, back["from"] if back else ""])
    visit.store.remember(folder.root, visit.pairing.installation, archives_of(folder, visit.pairing))


def _rehearse(visit: Visit) -> None:
    """Reads all backups once a day. What could not be restored is told with the report that follows."""
    backups = Backups(visit.folder)
    if backups.is_due(visit.now()):
        backups.rehearse(visit.now())
    visit.folder.remarks += bad_backups(backups)


def bad_backups(backups: Backups) -> list[str]:
    """What the last rehearsal found wrong, in words."""
    names = {one.id: one.made_at[:16].replace("T", " ") for one in backups.all()}
    bad = backups.rehearsal().bad
    return [
        f"The backup of {names.get(one, one)} could not be restored whole: {why} Back up again."
        for one, why in bad.items()
    ]


def archives_of(folder: Folder, pairing: Pairing) -> set[str] | None:
    """The sha256 of every archive that the releases kept here refer to; None where one cannot be read."""
    found: set[str] = set()
    if folder.releases.spoilt():
        return None
    for signed in folder.releases.all():
        try:
            found |= {build.archive.sha256 for build in folder.releases.trusted(signed, pairing).lock.builds}
        except ConvoyError:
            return None
    return found


def nothing_installed() -> NoReturn:
    raise NothingInstalled("Nothing is installed here yet.", now="Sync first.")


def status(root: Path, store: Store, thorough: bool = False, now: Now = utc_now) -> Status:
    """Looks, says what a sync would do, and reports; changes nothing. `thorough` hashes every file anew.

    Needs no site: where it does not answer, the folder is looked at by what it said last.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        recover(folder)
        head = heard(folder, site, must_answer=False)
        visit = Visit(folder, pairing, site, store, head, now)
        _rehearse(visit)
        told = visit.report(_recipe(visit), thorough)
        _end(visit, told.release)
        return Status(
            pairing,
            told.release,
            head.newest,
            told.look.deviations,
            told.fingerprint,
            told.plan,
            head.number,
            tuple(one.sentence() for one in changes(told.prospect.before, told.prospect.target).mods),
            _left(told.about),
            told.unheard,
            tuple(folder.remarks),
            tuple(Backups(folder).rehearsal().bad),
        )


def _recipe(visit: Visit) -> Recipe:
    """The release that is followed; the installed one where the site is away and the other is not here."""
    try:
        return visit.release(visit.head.number)
    except SiteAway:
        installed = visit.folder.record().release
        if not visit.site.away or not installed:
            raise
        return visit.release(installed)


def _refuse_full(folder: Folder, store: Store, plan: Plan) -> None:
    """Raises DiskFull before anything is fetched that would not fit. Only a first guard: writing checks again."""
    wanted: dict[int, tuple[Path, int]] = {}
    for place, needed in ((store.root, plan.fetch_bytes), (folder.root, plan.place_bytes)):
        disk = place.stat().st_dev
        wanted[disk] = (place, wanted.get(disk, (place, 0))[1] + needed)
    for place, needed in wanted.values():
        free = shutil.disk_usage(place).free
        if needed and free < needed + SPARE_BYTES:
            raise DiskFull(
                f"{place} has {free // 2**20} MB left, and {(needed + SPARE_BYTES) // 2**20 + 1} MB are needed: "
                f"{needed // 2**20 + 1} MB for files, and {SPARE_BYTES // 2**20} MB that stay free for the game.",
                "Nothing was changed.",
                "Make room, then sync again.",
            )


def _refuse_metered(head: Head, plan: Plan, wish: Wish) -> None:
    if head.most and plan.fetch_bytes > head.most * 2**20 and not wish.anyway:
        raise LineLimit(
            f"{plan.fetch_bytes // 2**20 + 1} MB are to be fetched, and you allow {head.most} MB at once on this line.",
            "Nothing was fetched.",
            "Sync anyway, or wait for a better line.",
            bytes=plan.fetch_bytes,
        )
