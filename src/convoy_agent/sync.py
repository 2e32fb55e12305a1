"""The agent's work as a whole: join, look, sync. What else a member asks of an installation is in `asked.py`."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NoReturn

from convoy_core.diff import changes
from convoy_core.errands import what_to_do
from convoy_core.errors import ConvoyError
from convoy_core.history import to_take_back
from convoy_core.lock import LockedBuild
from convoy_core.model import AUTOMATIC_PICKUPS
from convoy_core.plan import NOT_PLAIN, NOT_READ, Act, Choices, Plan
from convoy_core.recipe import Recipe, read_recipe
from convoy_core.rollcall import Deviation
from convoy_core.signing import key_fingerprint

from . import disk, steps
from . import site as sites
from .apply import (
    Carried,
    Change,
    Step,
    carry_out,
    no_step,
    plan_moves,
    record_after,
    recover,
    write_journal,
)
from .backups import Backup, Backups
from .calm import Calm
from .copying import copy_game
from .errands import Arrived, Lookout
from .errors import (
    ArchiveWrong,
    BadRelease,
    DiskFull,
    ErrandsLeft,
    FolderRefused,
    LineLimit,
    NothingInstalled,
    NotPaired,
    SiteAway,
    SiteRefused,
)
from .fetch import Fetcher, Limits
from .files import SPARE_BYTES, trouble
from .folder import Folder
from .leaving import finish as finish_leaving
from .looking import Now, Prospect, Told, Visit
from .progress import Progress, Screen, Silent, Untold
from .site import Head, Pairing, Site
from .staging import Staged, Stager
from .store import Store


def utc_now() -> datetime:
    return datetime.now(UTC)


@dataclass(frozen=True)
class Wish:
    """What one sync is asked for. `to`: another release than the one that the member follows; `anyway`: although it is
    more than the line's limit; `errands`: called once more errands are all that is missing, and gives what remains;
    `back`: paths with where they were moved aside, which return. Mending chosen paths keeps to the installed release.
    """

    choices: Choices = Choices()
    to: str = ""
    anyway: bool = False
    errands: Callable[[Sequence[LockedBuild]], Sequence[LockedBuild]] | None = None
    back: Mapping[str, str] | None = None


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


def join(
    code: str,
    site: str,
    root: Path,
    key: str = "",
    game: Path | None = None,
    as_it_is: bool = False,
    screen: Screen | None = None,
    again: bool = False,
) -> Pairing:
    """Pairs a folder with an installation of the site's; with `game`, the folder becomes a copy of that game first.
    `again` gives an installation that the site no longer knows another pairing, and keeps all that lies in it.

    Everything that can be wrong is found out before the code is used up, and before the game is copied. Raises
    FolderRefused, BadRelease for another key, SiteRefused, DiskFull.
    """
    folder = Folder(root)
    folder.refuse_taken(as_it_is, again)
    _refuse_shown(folder, sites.look(site, code), key, again)
    if not again:
        finish_leaving(folder, utc_now())
    if game is not None:
        copy_game(game, folder.root, screen or Silent())
    pairing = sites.pair(site, code)
    _refuse_shown(folder, pairing, key, again)
    folder.create(pairing, as_it_is or game is not None, again)
    return pairing


def _refuse_shown(folder: Folder, shown: Pairing, key: str, again: bool) -> None:
    _refuse_key(shown, key)
    if again:
        _refuse_other(folder, shown, key_named=bool(key))


def _refuse_key(shown: Pairing, key: str) -> None:
    if key and shown.key.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "The site shows another key than the pairing command names.",
            f"Named: {key}. Shown: {shown.key}.",
            "Nothing was installed. Copy the command again from the installation's page, or ask your curator.",
        )


def _refuse_other(folder: Folder, now: Pairing, key_named: bool) -> None:
    """A folder goes on with its own pack and key. Where its pairing is damaged, the releases kept in it say which."""
    try:
        before = folder.pairing()
    except NotPaired:
        for signed in folder.kept_releases():
            recipe = read_recipe(signed.document)
            _refuse_pack(recipe.pack == now.pack_id, recipe.pack_name, now.pack)
            _refuse_new_key(signed.key.hex(), now, key_named)
        return
    same = (before.pack_id, before.side) == (now.pack_id, now.side)
    _refuse_pack(same, f"{before.pack} as a {before.side}", f"{now.pack} as a {now.side}")
    _refuse_new_key(before.public_key, now, key_named)


def _refuse_pack(same: bool, follows: str, is_for: str) -> None:
    if not same:
        raise FolderRefused(
            f"The folder follows {follows}; this code is for {is_for}.",
            "What lies there would not be what it follows.",
            "Nothing was changed. Choose another folder for it.",
        )


def _refuse_new_key(trusted: str, now: Pairing, key_named: bool) -> None:
    if trusted != now.public_key and not key_named:
        raise BadRelease(
            "The site signs with another key than the one that this folder trusts.",
            f"Trusted: {key_fingerprint(bytes.fromhex(trusted))}. Shown: {now.key}.",
            "Nothing was changed. Ask your curator whether the key was replaced; if so, name it with --key.",
        )


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
            plain = wish.choices == Choices() and not wish.to and wish.back is None
            if plain and not recovered and (calm := Calm(folder).still(number, head.left_out)):
                site.report(number, {}, calm.fingerprint, calm.about)
                return Synced(number, calm.plan(), (), False, steps_left=_left(calm.about))
            visit = Visit(folder, pairing, site, store, head, now)
            prospect = visit.prospect(visit.release(number), wish.choices)
            _refuse_full(folder, store, prospect.plan)
            _refuse_metered(head, prospect.plan, wish)
            work = _Work(visit, prospect, wish, replace(limits, line=head.line * 1024), progress, step)
            done = work.change() if _is_due(prospect, wish) else Done()
            steps.keep_baselines(folder, prospect.target)
            seen = prospect if wish.choices == Choices() and not done.carried else None
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


def _tell_site(visit: Visit, prospect: Prospect, seen: Prospect | None) -> Told | None:
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
    folder.sweep_releases([installed, visit.head.number, back["from"] if back else ""])
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
    if folder.spoilt_releases():
        return None
    for signed in folder.kept_releases():
        try:
            found |= {build.archive.sha256 for build in folder.trusted(signed, pairing).lock.builds}
        except ConvoyError:
            return None
    return found


def nothing_installed() -> NoReturn:
    raise NothingInstalled("Nothing is installed here yet.", now="Sync first.")


@dataclass(frozen=True)
class Done:
    """What changing the folder came to."""

    carried: Carried | None = None
    notes: Sequence[Mapping[str, object]] = ()
    mods: tuple[str, ...] = ()
    backup: Backup | None = None


@dataclass
class _Work:
    """One change: fetched, staged, backed up, carried out. Up to the journal nothing in the folder has changed."""

    visit: Visit
    prospect: Prospect
    wish: Wish
    limits: Limits
    progress: Progress
    step: Step

    def change(self) -> Done:
        folder, plan = self.visit.folder, self.prospect.plan
        self.stager = Stager(folder, plan, self.prospect.target, self.prospect.record, self.visit.store, Untold())
        self._fetch(plan.fetch)
        self._bring(plan.errands)
        self.progress.phase("unpacking", *self.stager.left())
        self.stager.told = self.progress
        staged = self._stage()
        at = self.visit.now()
        backup = self._back_up(at)
        self.step("journal")
        change = self._journal(staged, at, backup)
        write_journal(folder, change)
        self.progress.phase("placing", 0, len(plan.moves))
        carried = carry_out(folder, self.step, self.progress, staged.sure)
        return Done(carried, staged.notes, tuple(change.mods), backup)

    def _fetch(self, builds: Sequence[LockedBuild]) -> None:
        if not builds:
            return
        visit = self.visit
        self.progress.phase("fetching", sum(build.archive.size for build in builds), len(builds))
        fetcher = Fetcher(
            visit.store, visit.head.sources, self.progress, self.limits, visit.site.credentials,
            self.stager.stage_build, self.progress.wait,
        )  # fmt: skip
        fetcher.fetch_all(builds)
        visit.store.keep_speed(*self.progress.came())

    def _bring(self, errands: Sequence[LockedBuild], damaged: Collection[str] = ()) -> None:
        _bring_errands(self.visit.folder, self.visit.store, errands, self.visit.head, self.wish, self.progress, damaged)

    def _stage(self) -> Staged:
        """Stages what lies in the store. A copy that is damaged there is thrown away and got anew, once."""
        damaged = self.stager.stage_stored()
        for build in damaged:
            again = "fetched again" if build.pickup in AUTOMATIC_PICKUPS else "has to be brought again"
            self.visit.folder.remarks.append(
                f"The store's copy of {build.name} {build.version} was damaged. It was thrown away and {again}."
            )
        self._fetch([build for build in damaged if build.pickup in AUTOMATIC_PICKUPS])
        by_hand = [build for build in damaged if build.pickup not in AUTOMATIC_PICKUPS]
        self._bring(by_hand, {build.mod for build in by_hand})
        if left := self.stager.stage_stored():
            raise ArchiveWrong(
                f"The archive of {left[0].name} {left[0].version} was damaged again as soon as it came.",
                "The disk of the store may be failing.",
                "Nothing was changed. Look at the disk, then sync again.",
                mod=left[0].mod,
            )
        return self.stager.finish()

    def _back_up(self, at: datetime) -> Backup | None:
        if not self.prospect.plan.worlds:
            return None
        self.step("backup")
        why = f"Before release {self.prospect.recipe.number}"
        release = self.prospect.record.release
        return Backups(self.visit.folder).make(self.prospect.target.terms, at, why, release, False)

    def _journal(self, staged: Staged, at: datetime, backup: Backup | None) -> Change:
        prospect, folder = self.prospect, self.visit.folder
        record, target = prospect.record, prospect.target
        number, name = folder.history().next_id(at)
        after, renderings = record_after(target, staged, record)
        return Change(
            name,
            number,
            at.isoformat(timespec="seconds"),
            record.release,
            prospect.recipe.number,
            plan_moves(prospect.plan, staged, record.hashes(), self.wish.back or {}),
            after,
            renderings,
            _lay_there(prospect),
            [one.sentence() for one in changes(prospect.before, target).mods][:MODS_TOLD],
            staged.notes,
            backup.id if backup else "",
            self.wish.back is not None,
        )


def _lay_there(prospect: Prospect) -> dict[str, str]:
    """Files that were put there by no sync, path to sha256: those that the pack takes over as they are, and at the
    first sync those that it moves aside. They may come back to their places, and are the member's then, too.
    """
    first = prospect.plan.paths(Act.ASIDE) if not prospect.record.release else ()
    found = {path: prospect.scan.get(path, "") for path in (*prospect.plan.adopted, *first)}
    return {path: sha256 for path, sha256 in found.items() if sha256 not in ("", NOT_PLAIN, NOT_READ)}


MODS_TOLD = 300
"""Mods that come, move or leave, named in the history; who counts further looks at the release's change log."""


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


def _bring_errands(
    folder: Folder,
    store: Store,
    errands: Sequence[LockedBuild],
    head: Head,
    wish: Wish,
    progress: Progress,
    damaged: Collection[str] = (),
) -> None:
    """Takes in what the member brought, whatever it is called. Raises ErrandsLeft when something is still missing.

    `damaged`: mods whose archive was brought already, and was damaged in the store since.
    """
    left: Sequence[LockedBuild] = [build for build in errands if build.archive.sha256 not in store]
    if not left:
        return
    arrived = Lookout(store, [folder.inbox]).look(left)
    left = [build for build in left if build not in arrived.taken]
    if left and wish.errands:
        progress.phase("waiting for errands", 0)
        left = wish.errands(left)
    if left:
        raise ErrandsLeft(
            f"{len(left)} files have to be brought by hand."
            if len(left) > 1
            else "One file has to be brought by hand.",
            "\n".join(f"- {_errand(build, head, arrived, build.mod in damaged)}" for build in left),
            "Everything else has been fetched. Leave what you get in your downloads, or in "
            f"{folder.inbox}, under any name; then sync again, or say --wait, and it goes on by itself.",
            errands=[build.archive.name for build in left],
        )


def _errand(build: LockedBuild, head: Head, arrived: Arrived, damaged: bool) -> str:
    page = sites.page_of(build, head.sources)
    wrong = [file.name for file, meant in arrived.wrong if meant.mod == build.mod]
    but = f" {wrong[0]} is another build." if wrong else " The copy that was brought is damaged." if damaged else ""
    return f"{build.name} {build.version}, {page}\n  {what_to_do(build)}{but}"


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
