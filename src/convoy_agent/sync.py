"""The agent's work as a whole: join, look, sync. What else a member asks of an installation is in `asked.py`."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import NoReturn

from convoy_core.errands import what_to_do
from convoy_core.errors import ConvoyError
from convoy_core.lock import LockedBuild
from convoy_core.plan import Act, Choices, Plan
from convoy_core.recipe import Recipe
from convoy_core.rollcall import Deviation

from . import site as sites
from . import steps
from .apply import Step, carry_out, journal_release, no_step, write_journal
from .backups import Backups
from .calm import Calm
from .copying import copy_game
from .errands import Arrived, Lookout
from .errors import (
    BadRelease,
    DiskFull,
    ErrandsLeft,
    FolderRefused,
    LineLimit,
    NothingInstalled,
    SiteAway,
)
from .fetch import Fetcher, Limits
from .files import trouble
from .folder import Folder, share_of
from .looking import Now, Prospect, Visit
from .progress import Progress, Screen, Silent, Untold
from .site import Head, Pairing, Site
from .staging import Stager
from .store import Store

SPARE_BYTES = 64 * 1024 * 1024
"""Left free on the disk beyond what a sync needs, so that the game and the system can still write."""


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


@dataclass(frozen=True)
class Status:
    """How an installation stands, by its own account, and what a sync would do."""

    pairing: Pairing
    release: str
    current: str
    deviations: Mapping[str, Deviation]
    fingerprint: str
    plan: Plan | None


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

    Raises FolderRefused before the code is used up.
    """
    folder = Folder(root)
    folder.refuse_taken(as_it_is, again)
    if game is not None:
        copy_game(game, folder.root, screen or Silent())
    pairing = sites.pair(site, code)
    if key and pairing.key.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "The site shows another key than the pairing command names.",
            f"Named: {key}. Shown: {pairing.key}.",
            "Nothing was installed. Copy the command again from the installation's page, or ask your curator.",
        )
    if again:
        _refuse_other(folder.pairing(), pairing, key_named=bool(key))
    folder.create(pairing, as_it_is or game is not None, again)
    return pairing


def _refuse_other(before: Pairing, now: Pairing, key_named: bool) -> None:
    if (before.pack_id, before.side) != (now.pack_id, now.side):
        raise FolderRefused(
            f"The folder follows {before.pack} as a {before.side}; this code is for {now.pack} as a {now.side}.",
            "What lies there would not be what it follows.",
            "Nothing was changed. Choose another folder for it.",
        )
    if before.public_key != now.public_key and not key_named:
        raise BadRelease(
            "The site signs with another key than the one that this folder trusts.",
            f"Trusted: {before.key}. Shown: {now.key}.",
            "Nothing was changed. Ask your curator whether the key was replaced; if so, name it with --key.",
        )


def sync(
    root: Path,
    store: Store,
    screen: Screen | None = None,
    wish: Wish = Wish(),
    limits: Limits = Limits(),
    step: Step = no_step,
    now: Now = utc_now,
) -> Synced:
    """Brings the folder to the release that its member follows. Raises ConvoyError; the folder is then as before, or as
    after.

    The order is: complete what was begun, look, plan, fetch and stage everything, back worlds up, then change.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        progress = Progress(site, screen or Silent())
        try:
            recovered = recover(folder, pairing, step)
            store.remember(folder.root)
            head = site.head()
            progress.phase("checking", 0)
            number = wish.to or head.number
            if wish.choices.only is not None:
                number = folder.record().release or nothing_installed()
            plain = wish.choices == Choices() and not wish.to and wish.back is None
            if plain and not recovered and (calm := Calm(folder).still(number, head.left_out)):
                site.report(number, {}, calm.fingerprint, calm.about)
                return Synced(number, calm.plan(), (), False)
            visit = Visit(folder, pairing, site, store, head, now)
            recipe = visit.release(number)
            prospect = visit.prospect(recipe, wish.choices)
            _refuse_full(folder, store, prospect.plan)
            _refuse_metered(head, prospect.plan, wish)
            aside: tuple[str, ...] = ()
            notes: tuple[Mapping[str, object], ...] = ()
            seen: Prospect | None = prospect if wish.choices == Choices() else None
            if prospect.plan.moves or prospect.record.release != recipe.number or wish.back:
                seen = None
                limits = replace(limits, line=head.line * 1024)
                aside, notes = _change(visit, prospect, wish, limits, progress, step)
            steps.keep_baselines(folder, prospect.target)
            unheard = not _tell_site(visit, recipe, seen)
            return Synced(recipe.number, prospect.plan, aside, recovered, notes, unheard)
        except (ConvoyError, OSError) as error:
            if not folder.journal.exists():
                shutil.rmtree(folder.staging, ignore_errors=True)
            told = trouble(error, folder.root) if isinstance(error, OSError) else error
            progress.stopped(told.sentence())
            raise


def _tell_site(visit: Visit, recipe: Recipe, seen: Prospect | None) -> bool:
    """Reports after a sync, with what the next one would do; says whether the site heard. What was done is done,
    whether anybody hears of it or not.
    """
    head = visit.head
    try:
        if recipe.number != head.number:
            recipe, seen = visit.release(head.number), None
        after = visit.report(recipe, seen=seen)
    except SiteAway:
        return False
    Calm(visit.folder).keep(recipe.number, head.left_out, after)
    return True


def nothing_installed() -> NoReturn:
    raise NothingInstalled("Nothing is installed here yet.", now="Sync first.")


def _change(
    visit: Visit, prospect: Prospect, wish: Wish, limits: Limits, progress: Progress, step: Step
) -> tuple[tuple[str, ...], tuple[Mapping[str, object], ...]]:
    """Fetches, stages, backs up and carries out. Up to the journal nothing in the folder has changed."""
    folder, store, head, plan = visit.folder, visit.store, visit.head, prospect.plan
    stager = Stager(folder, plan, prospect.target, prospect.record, store, Untold())
    if plan.fetch:
        progress.phase("fetching", plan.fetch_bytes, len(plan.fetch))
        fetcher = Fetcher(
            store, head.sources, progress, limits, visit.site.credentials, stager.stage_build, progress.wait
        )
        fetcher.fetch_all(plan.fetch)
        store.keep_speed(*progress.came())
    _bring_errands(folder, store, plan, head, wish, progress)
    progress.phase("unpacking", *stager.left())
    stager.told = progress
    staged = stager.finish()
    at = visit.now()
    stamp = at.strftime("%Y-%m-%d-%H%M%S-%f")
    backup = None
    if plan.worlds:
        step("backup")
        why = f"Before release {prospect.recipe.number}"
        backup = Backups(folder).make(
            prospect.target.terms, stamp, at.isoformat(timespec="seconds"), why, prospect.record.release, False
        )
    step("journal")
    backed_up = backup.id if backup else ""
    write_journal(folder, plan, staged, prospect.recipe.number, prospect.record, stamp, wish.back, backed_up)
    progress.phase("placing", 0, len(plan.moves))
    return carry_out(folder, prospect.target, step, progress), tuple(staged.notes)


def recover(folder: Folder, pairing: Pairing, step: Step = no_step) -> bool:
    """Completes a change or a restoring that was under way when an earlier run stopped; says whether there was one."""
    restored = Backups(folder).complete(step)
    if not journal_release(folder):
        # Left over where an earlier run could not even clear up any more.
        shutil.rmtree(folder.staging, ignore_errors=True)
        return restored
    signed = folder.kept_release("release.next.json") or folder.kept_release()
    if signed is None:
        raise BadRelease(
            "A change was under way, and its release is no longer there.",
            f"Somebody removed it from {folder.own}.",
            "Move the folder aside and pair a new one.",
        )
    recipe = folder.trusted(signed, pairing)
    carry_out(folder, share_of(recipe, pairing).without(folder.left_out()), step)
    return True


def status(root: Path, store: Store, thorough: bool = False, now: Now = utc_now) -> Status:
    """Looks, says what a sync would do, and reports; changes nothing. `thorough` hashes every file anew."""
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), Site(pairing) as site:
        recover(folder, pairing)
        head = site.head()
        visit = Visit(folder, pairing, site, store, head, now)
        told = visit.report(visit.release(head.number), thorough)
        return Status(pairing, told.release, head.newest, told.look.deviations, told.fingerprint, told.plan)


def _bring_errands(folder: Folder, store: Store, plan: Plan, head: Head, wish: Wish, progress: Progress) -> None:
    """Takes in what the member brought, whatever it is called. Raises ErrandsLeft when something is still missing."""
    left: Sequence[LockedBuild] = [build for build in plan.errands if build.archive.sha256 not in store]
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
            "\n".join(f"- {_errand(build, head, arrived)}" for build in left),
            "Everything else has been fetched. Leave what you get in your downloads, or in "
            f"{folder.inbox}, under any name; then sync again, or say --wait, and it goes on by itself.",
            errands=[build.archive.name for build in left],
        )


def _errand(build: LockedBuild, head: Head, arrived: Arrived) -> str:
    page = sites.page_of(build, head.sources)
    wrong = [file.name for file, meant in arrived.wrong if meant.mod == build.mod]
    but = f" {wrong[0]} is another build." if wrong else ""
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
                f"{place} has {free // 2**20} MB left, and {needed // 2**20 + 1} MB are needed.",
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


def describe(plan: Plan) -> str:
    """A plan in one line."""
    counts: dict[str, int] = {act: plan.count(act) for act in SAID}
    parts = [said(counts), f"{plan.left_alone} left as they are" if plan.left_alone else ""]
    return ", ".join(filter(None, parts)) or "nothing to do"


def said(counts: Mapping[str, int]) -> str:
    """How many files were, or will be, handled in which way."""
    return ", ".join(f"{counts[act]} {word}" for act, word in SAID.items() if counts.get(act))


SAID = {
    Act.PLACE: "new", Act.REPLACE: "replaced", Act.MERGE: "merged", Act.REMOVE: "removed", Act.ASIDE: "moved aside",
}  # fmt: skip
