"""The agent's work as a whole: join, look, sync, undo. Everything the command line and `watch` do goes through here."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NoReturn

from convoy_core.errands import what_to_do
from convoy_core.errors import ConvoyError, MalformedInput
from convoy_core.history import to_take_back
from convoy_core.lock import Lock, LockedBuild
from convoy_core.plan import Act, Choices, Plan
from convoy_core.recipe import Recipe
from convoy_core.rollcall import Deviation

from . import site as sites
from . import steps
from .apply import Step, carry_out, journal_release, no_step, returned, write_journal
from .backups import Backups
from .calm import Calm
from .copying import copy_game
from .errands import Arrived, Lookout
from .errors import (
    BackupRefused,
    BadRelease,
    DiskFull,
    ErrandsLeft,
    FolderRefused,
    LineLimit,
    NothingInstalled,
    SiteAway,
)
from .fetch import Fetcher, Limits
from .files import sha256_of, trouble
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
                number = folder.record().release or _nothing_installed()
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


def _nothing_installed() -> NoReturn:
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


def undo(root: Path, store: Store, now: Now = utc_now, step: Step = no_step, limits: Limits = Limits()) -> Synced:
    """Takes the last sync back: the release before it, and what it moved aside returns. Raises BackupRefused."""
    folder = Folder(root)
    folder.pairing()
    entry = to_take_back(folder.history())
    if entry is None:
        raise BackupRefused(
            "There is nothing to take back.",
            "Before the first sync the folder held nothing of the pack.",
            "“convoy leave” takes the pack's files away.",
        )
    back = {path: f"{entry['aside']}/{path}" for path in entry["moved"]}
    return sync(root, store, wish=Wish(to=entry["from"], back=back), now=now, step=step, limits=limits)


def put_back(root: Path, entry_id: str) -> tuple[str, ...]:
    """Returns what a sync moved aside to its place, where that is free: extras that were off for the time of play.

    Gives the paths. May be repeated. Raises BackupRefused for a sync that there was not.
    """
    folder = Folder(root)
    with folder.held():
        entry = next((one for one in folder.history() if one["id"] == entry_id), None)
        if entry is None:
            raise BackupRefused("There was no such sync.", now="Choose one of those in the history.")
        return tuple(path for path in entry["moved"] if returned(folder, path, folder.own / entry["aside"] / path))


def back_up(root: Path, now: Now = utc_now) -> str:
    """Backs worlds and settings up because somebody asked. Raises BackupRefused when there are none."""
    folder = Folder(root)
    with folder.held():
        Calm(folder).forget()
        terms = _terms_here(folder)
        at = now()
        made = Backups(folder).make(
            terms.terms, at.strftime("%Y-%m-%d-%H%M%S-%f"), at.isoformat(timespec="seconds"), "Asked for",
            folder.record().release, True,
        )  # fmt: skip
    if made is None:
        raise BackupRefused("There is nothing to back up yet.", "No world and no settings lie here.")
    return made.id


def restore(root: Path, backup: str, now: Now = utc_now, step: Step = no_step) -> str:
    """Goes back to a backup; gives the name of the one that was made of how things were."""
    folder = Folder(root)
    with folder.held():
        recover(folder, folder.pairing(), step)
        Calm(folder).forget()
        at = now()
        stamp, made_at = at.strftime("%Y-%m-%d-%H%M%S-%f"), at.isoformat(timespec="seconds")
        return Backups(folder).restore(backup, _terms_here(folder).terms, stamp, made_at, step).id


def drop_backup(root: Path, backup: str) -> None:
    folder = Folder(root)
    with folder.held():
        Calm(folder).forget()
        Backups(folder).drop(backup)


def tick(root: Path, step: str, done: bool) -> None:
    """The member says that a step by hand is done, or is not. Raises MalformedInput for a step that neither the
    installed release nor the one looked at last has.
    """
    folder = Folder(root)
    with folder.held():
        if step not in {one.id for lock in _locks_here(folder) for one in lock.terms.steps}:
            raise MalformedInput(
                f"There is no step “{step[:80]}”.", now="Look at what the pack asks for.", field="step"
            )
        Calm(folder).forget()
        steps.tick(folder, step, done)


def steps_of(root: Path) -> list[dict[str, Any]]:
    """The steps by hand of the release that was looked at last, each with whether it is done. Raises NothingInstalled
    where nobody has looked yet.
    """
    folder = Folder(root)
    with folder.held():
        looked_at = _locks_here(folder)
        return steps.all_steps(folder, looked_at[-1]) if looked_at else _nothing_installed()


def name_of(root: Path, file: Path) -> str:
    """Which build a file is, as far as the site knows; empty when it does not."""
    with Site(Folder(root).pairing()) as site:
        return site.known(sha256_of(file))


def _locks_here(folder: Folder) -> list[Lock]:
    """Of the installed release, and of the one that was looked at last."""
    pairing = folder.pairing()
    kept = [folder.kept_release(name) for name in ("release.json", "release.next.json")]
    return [share_of(folder.trusted(signed, pairing), pairing) for signed in kept if signed]


def _terms_here(folder: Folder) -> Lock:
    """The installed release's lock. Raises NothingInstalled."""
    signed = folder.kept_release() or _nothing_installed()
    pairing = folder.pairing()
    return share_of(folder.trusted(signed, pairing), pairing)


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
