"""One sync as a whole: look, plan, change, tell; and the status, which changes nothing."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from convoy_core.lock.change_log import changes
from convoy_core.lock.lock import TakenUp
from convoy_core.lock.papers import played_with
from convoy_core.lock.recipe import Recipe
from convoy_core.sync.deviations import Deviation
from convoy_core.sync.orders import Allowance
from convoy_core.sync.plan import Plan, SyncChoices
from convoy_core.sync.undoing import to_take_back
from convoy_core.trust.statement import Named, refuse_over
from convoy_core.trust.trusted import goes_back
from convoy_core.words.errors import BadSignature, ConvoyError, MalformedInput

from .change import Done, Wish, Work
from .errors import (
    BadRelease,
    DiskFull,
    LineLimit,
    SiteAway,
    SiteRefused,
)
from .fetching.limits import Limits
from .folder import steps
from .folder.allowed import Allowed
from .folder.backup import Backup
from .folder.backups import Backups
from .folder.beside import BesideKept, Laid, pairing_with, read_laid
from .folder.folder import Folder
from .folder.journal import Step, no_step, recover
from .folder.told import Told
from .folder.worlds import WorldsKept
from .hearing import Heard, heard, nothing_installed
from .milestones import keep_milestones
from .prospect import Prospect
from .read_along import read_along
from .rest import Calm
from .site.connecting import connect
from .site.head import Head, Pairing
from .site.progress import Progress, Screen, Silent
from .storage import disk
from .storage.files import SPARE_BYTES, trouble
from .storage.store import Store
from .visit import Now, Reported, Visit


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
    sealed_until: str = ""
    """The release is sealed until then: what is in it is not told (no mods, notes, or changes to worlds)."""


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
    is_other: bool = False
    """What is installed has the number of the release that is followed, and is another."""
    doubt: str = ""
    """Why what the site says of its newest release is not to be believed, or is out of date."""
    sealed_until: str = ""
    """What is installed, or would be, is sealed until then, and is not told."""
    beside: tuple[Mapping[str, Any], ...] = ()
    """Collections of the member's own, as the site is told of them."""


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
    with folder.held(), connect(pairing) as site:
        progress = Progress(site, screen or Silent())
        try:
            recovered = recover(folder, step)
            store.remember(folder.root, pairing.installation)
            said = heard(folder, pairing, site, now, must_answer=wish.back is None)
            head = said.head
            progress.phase("checking", 0)
            named = _wanted(folder, said, wish, now)
            _keep_milestones(folder, pairing, head, now)
            plain = wish.choices == SyncChoices() and not wish.to and wish.back is None
            if plain and not recovered and (calm := Calm(folder).still(named, head)):
                site.report(named, {}, calm.fingerprint, calm.about, Told(folder.own).next_serial(None, now()))
                return Synced(named.number, calm.plan(), (), False, steps_left=_left(calm.about))
            _note_worlds(folder, pairing, now)
            visit = Visit(folder, pairing, site, store, head, now)
            recipe = visit.release(named)
            sealed = recipe.sealed_until if recipe.is_sealed(now()) else ""
            progress.quiet = bool(sealed)
            prospect = visit.prospect(recipe, wish.choices, beside=wish.beside)
            _refuse_full(folder, store, prospect.plan)
            _refuse_metered(head, prospect.plan, wish)
            work = Work(visit, prospect, wish, replace(limits, line=head.line * 1024), progress, step)
            done = work.change() if _is_due(prospect, wish) else Done()
            steps.keep_baselines(folder, prospect.target)
            WorldsKept(folder).see(prospect.target.terms, None, folder.record().files)
            seen = prospect if wish.choices == SyncChoices() and not done.carried and wish.beside is None else None
            _rehearse(visit)
            after = _tell_site(visit, prospect, seen)
            _end(visit, Named(prospect.recipe.number, prospect.recipe.sha256))
            return Synced(
                prospect.recipe.number,
                replace(prospect.plan, worlds=(), rewritten={}) if sealed else prospect.plan,
                done.carried.moved if done.carried else (),
                recovered,
                () if sealed else tuple(done.notes),
                after.unheard if after else True,
                () if sealed else done.mods,
                done.backup,
                _left(after.about) if after else (),
                done.carried.undone if done.carried else {},
                tuple(folder.remarks),
                sealed,
            )
        except (ConvoyError, OSError) as error:
            if not folder.journal.exists():
                with suppress(OSError):
                    disk.remove_tree(folder.staging)
            told = trouble(error, folder.root) if isinstance(error, OSError) else error
            progress.stopped(told.sentence())
            raise


def _is_due(prospect: Prospect, wish: Wish) -> bool:
    is_there = prospect.record.is_of(prospect.recipe) and bool(prospect.record.sha256)
    # Of collections beside, another release may have the very files: the record goes on to name what lies there.
    is_there = is_there and [one.key for one in prospect.laid] == [one.key for one in prospect.record.beside]
    return bool(prospect.plan.moves or not is_there or wish.back)


def _wanted(folder: Folder, said: Heard, wish: Wish, now: Now) -> Named:
    """The release that a sync is to bring. Raises NothingNew where the site's word has run out, and NotAllowed where
    only the page asks to go back.
    """
    record = folder.record()
    if wish.choices.only is not None:
        return record.named if record.release else nothing_installed()
    if wish.to:
        return wish.to
    named = said.head.named
    if said.statement and named != record.named:
        refuse_over(said.statement, now())
    if not said.by_file and goes_back(said.statement, record.release, named.number):
        Allowed(folder.own).demand(Allowance.BACK, wish.ask)
    return named


def _keep_milestones(folder: Folder, pairing: Pairing, head: Head, now: Now) -> None:
    """Before anything is changed: what is backed up is what was played."""
    installed = folder.installed(pairing) if head.milestones and folder.record().release else None
    if installed is not None and keep_milestones(folder, head.milestones, installed.terms, now):
        Calm(folder).forget()


def _note_worlds(folder: Folder, pairing: Pairing, now: Now) -> None:
    """What was played since the last look was played with what is installed."""
    record = folder.record()
    installed = folder.installed(pairing) if record.release else None
    if installed is not None:
        at = now().isoformat(timespec="seconds")
        played = played_with(installed, pairing.pack_id, pairing.pack, record.release, record.sha256, at)
        WorldsKept(folder).see(installed.terms, played, record.files)


def is_other(installed: Named, head: Head) -> bool:
    """Whether the installed release has the number of the one that is followed, and is another."""
    return installed.number == head.number and installed.sha256 not in ("", head.sha256) and bool(head.sha256)


def _left(about: Mapping[str, object]) -> tuple[str, ...]:
    told = about.get("steps")
    return tuple(str(one["text"]) for one in told if not one["done"]) if isinstance(told, list) else ()


def _tell_site(visit: Visit, prospect: Prospect, seen: Prospect | None) -> Reported | None:
    """Reports after a sync, with what the next one would do. What was done is done, whether anybody hears of it or not:
    None when the site could not even say what comes next.
    """
    head, recipe = visit.head, prospect.recipe
    try:
        if (recipe.number, recipe.sha256) != (head.number, head.sha256 or recipe.sha256):
            recipe, seen = visit.release(head.named), None
        after = visit.report(recipe, seen=seen)
    except (SiteAway, SiteRefused):
        return None
    Calm(visit.folder).keep(Named(prospect.recipe.number, prospect.recipe.sha256), head, after)
    read_along(visit.site, visit.store, prospect.recipe, visit.folder, _written(after))
    return after


def _written(told: Reported) -> Mapping[str, str]:
    """Settings files that the site was just told of."""
    written = told.about.get("written", {})
    return written if isinstance(written, dict) and not told.unheard else {}


def _end(visit: Visit, installed: Named) -> None:
    """What is seen to after every long look: old releases, and what the store has to keep."""
    folder = visit.folder
    back = to_take_back(folder.history().all())
    before = [Named(back["from"], back.get("from_sha256", ""))] if back else []
    folder.releases.sweep([installed, visit.head.named, *before])
    _sweep_beside(folder, visit.head, read_laid(back.get("from_beside", ())) if back else [])
    visit.store.remember(folder.root, visit.pairing.installation, archives_of(folder, visit.pairing))


def _sweep_beside(folder: Folder, head: Head, before: Sequence[Laid]) -> None:
    """Collections that neither are taken up nor lie here, and their releases that nothing leads to any more."""
    kept = BesideKept(folder.own)
    named = [Laid(TakenUp(one.pack, one.name, one.number, one.sha256)) for one in head.beside]
    needed: dict[str, list[Named]] = {}
    for one in (*folder.record().beside, *before, *named):
        needed.setdefault(one.taken.id, []).append(Named(one.taken.number, one.taken.sha256))
    kept.sweep(needed)
    for id in kept.ids():
        kept.releases(id).sweep(needed[id])


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
    kept = BesideKept(folder.own)
    beside = [(kept.releases(id), pairing_with(pairing, id, id, kept.mark(id))) for id in kept.ids()]
    for releases, pairs in ((folder.releases, pairing), *beside):
        if releases.spoilt():
            return None
        for signed in releases.all():
            try:
                found |= {build.archive.sha256 for build in releases.trusted(signed, pairs).lock.builds}
            except ConvoyError:
                return None
    return found


def status(root: Path, store: Store, thorough: bool = False, now: Now = utc_now, if_news: bool = False) -> Status:
    """Looks, says what a sync would do, and reports; changes nothing. `thorough` hashes every file anew; `if_news`:
    reports only what the site has not been told.

    Needs no site: where it does not answer, the folder is looked at by what it said last.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), connect(pairing) as site:
        recover(folder)
        said = heard(folder, pairing, site, now, must_answer=False)
        head = said.head
        visit = Visit(folder, pairing, site, store, head, now)
        _keep_milestones(folder, pairing, head, now)
        _note_worlds(folder, pairing, now)
        _rehearse(visit)
        recipe, doubt = _recipe(visit, said.doubt)
        told = visit.report(recipe, thorough, if_news=if_news)
        if written := _written(told):
            read_along(site, store, recipe, folder, written)
        _end(visit, told.release)
        sealed = recipe.sealed_until if recipe.is_sealed(now()) else ""
        return Status(
            pairing,
            told.release.number,
            head.newest,
            told.look.deviations,
            told.fingerprint,
            replace(told.plan, worlds=(), rewritten={}) if sealed and told.plan else told.plan,
            head.number,
            () if sealed else tuple(one.sentence() for one in changes(told.prospect.before, told.prospect.target).mods),
            _left(told.about),
            told.unheard,
            tuple(folder.remarks),
            tuple(Backups(folder).rehearsal().bad),
            is_other(told.release, head),
            doubt,
            sealed,
            tuple(told.about["beside"]),
        )


def _recipe(visit: Visit, doubt: str) -> tuple[Recipe, str]:
    """The release that is followed, and why what the site says is not to be believed. The installed one where the other
    cannot be had, or is none that this installation trusts.
    """
    try:
        return visit.release(visit.head.named), doubt
    except (SiteAway, BadRelease, BadSignature, MalformedInput) as error:
        installed = visit.folder.record()
        if not installed.release:
            raise
        if isinstance(error, SiteAway):
            if not visit.site.away:
                raise
            return visit.release(installed.named), doubt
        visit.folder.remarks.append(error.sentence())
        return visit.release(installed.named), doubt or error.sentence()


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
