"""One change of a folder: fetched, staged, backed up, carried out. Up to the journal nothing in it has changed."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from convoy_core.lock.change_log import changes
from convoy_core.lock.in_worlds import worlds_of
from convoy_core.lock.lock import LockedBuild
from convoy_core.sync.errands import what_to_do
from convoy_core.sync.plan import NOT_PLAIN, NOT_READ, Act, SyncChoices
from convoy_core.trust.statement import Named
from convoy_io.zips import ArchiveWrong

from .errors import ErrandsLeft
from .fetching.inbox import Arrived, Lookout
from .fetching.limits import Limits
from .folder.allowed import Ask, nobody_to_ask
from .folder.backup import Backup
from .folder.backups import Backups
from .folder.beside import Laid
from .folder.folder import Folder
from .folder.journal import Carried, Change, Step, carry_out, plan_moves, write_journal
from .folder.recording import adjusted_after, record_after
from .folder.staging import Staged, Stager
from .prospect import Prospect
from .site import site as sites
from .site.head import Head
from .site.progress import NoListener, Progress
from .storage.store import Store
from .visit import Visit


@dataclass(frozen=True)
class Wish:
    """What one sync is asked for. `to`: another release than the one that the member follows (of an empty hash: the one
    of that number); `anyway`: although it is more than the line's limit; `errands`: called once more errands are all
    that is missing, and gives what remains; `back`: paths with where they were moved aside, which return. Mending
    chosen paths keeps to the installed release.
    """

    choices: SyncChoices = SyncChoices()
    to: Named | None = None
    anyway: bool = False
    errands: Callable[[Sequence[LockedBuild]], Sequence[LockedBuild]] | None = None
    ask: Ask = nobody_to_ask
    """Asked before going back to a release that its member did not name."""
    back: Mapping[str, str] | None = None
    beside: Sequence[Laid] | None = None
    """Collections as they were laid down once; None: those that its member takes up now."""


@dataclass(frozen=True)
class Done:
    """What changing the folder came to."""

    carried: Carried | None = None
    notes: Sequence[Mapping[str, object]] = ()
    mods: tuple[str, ...] = ()
    backup: Backup | None = None


@dataclass
class Work:
    """One change: fetched, staged, backed up, carried out. Up to the journal nothing in the folder has changed."""

    visit: Visit
    prospect: Prospect
    wish: Wish
    limits: Limits
    progress: Progress
    step: Step

    def change(self) -> Done:
        folder, plan = self.visit.folder, self.prospect.plan
        self.stager = Stager(
            folder,
            plan,
            self.prospect.target,
            self.prospect.record,
            self.visit.store,
            NoListener(),
            self.visit.head.pinned,
        )
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
        # Loaded where there is something to fetch: looking alone starts faster without it.
        from .fetching.fetch import Fetcher
        from .site.connection import private_networks_of

        fetcher = Fetcher(
            visit.store, visit.head.sources, self.progress, self.limits, visit.site.credentials,
            self.stager.stage_build, self.progress.wait, private_networks_of(visit.pairing.site),
        )  # fmt: skip
        fetcher.fetch_all(builds)
        visit.store.keep_speed(*self.progress.came())

    def _bring(self, errands: Sequence[LockedBuild], damaged: Collection[str] = ()) -> None:
        _bring_errands(self.visit.folder, self.visit.store, errands, self.visit.head, self.wish, self.progress, damaged)

    def _stage(self) -> Staged:
        """Stages what lies in the store. A copy that is damaged there is thrown away and got anew, once."""
        damaged = self.stager.stage_stored()
        for build in damaged:
            again = "fetched again" if build.pickup.is_automatic else "has to be brought again"
            self.visit.folder.remarks.append(
                f"The store's copy of {build.name} {build.version} was damaged. It was thrown away and {again}."
            )
        self._fetch([build for build in damaged if build.pickup.is_automatic])
        by_hand = [build for build in damaged if not build.pickup.is_automatic]
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
        terms, keep = self.prospect.target.terms, self.visit.head.keep
        return Backups(self.visit.folder).make(terms, at, why, release, False, keep=keep)

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
            []
            if prospect.recipe.is_sealed(self.visit.now())
            else [one.sentence() for one in changes(prospect.before, target).mods][:MODS_TOLD],
            staged.notes,
            backup.id if backup else "",
            self.wish.back is not None,
            prospect.recipe.sha256,
            record.sha256,
            {mod: sorted(worlds) for mod, worlds in worlds_of(target).items()},
            adjusted_after(target, staged, record),
            sorted(self.visit.head.sets if self.wish.choices.only is None else record.sets),
            [one.as_data() for one in prospect.laid],
            [one.as_data() for one in record.beside],
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
