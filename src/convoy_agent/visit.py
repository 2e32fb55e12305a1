"""Looking: a folder against a release, what a sync would do, and what the site is told of it. Changes no file but the
agent's own.

One `Visit` is one run's view of an installation: the folder, which the caller holds, and what the site said when the
run began. Everything that a run decides, it decides on a `Prospect`.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from typing import Any

from convoy_core.lock.beside import Beside, Own, beside
from convoy_core.lock.in_worlds import as_any_world, as_in_lock, in_worlds
from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.lock.papers import against, apart
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.worlds import WorldChange
from convoy_core.sync.plan import Plan, Recorded, Scan, SyncChoices, make_plan
from convoy_core.trust.statement import Named
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Pickup, Side

from .beside import Taking
from .errors import BadRelease, SiteAway
from .folder.beside import Laid
from .folder.differences import Look, look_at, look_at_record
from .folder.folder import Folder
from .folder.merging import Merging
from .folder.record import Record
from .folder.releases import share_of
from .folder.told import Told
from .folder.worlds import WorldsKept
from .prospect import Prospect
from .report import tell
from .site.head import Head, Pairing
from .site.site import Site
from .storage.store import Store

Now = Callable[[], datetime]


@dataclass(frozen=True)
class Reported:
    """What the site was told. `unheard`: it went away meanwhile, and hears of it from the next look."""

    release: Named
    look: Look
    fingerprint: str
    prospect: Prospect
    about: dict[str, Any]
    unheard: bool = False

    @property
    def plan(self) -> Plan:
        return self.prospect.plan


@dataclass(frozen=True)
class Visit:
    """One run's view of one installation."""

    folder: Folder
    pairing: Pairing
    site: Site
    store: Store
    head: Head
    now: Now

    def release(self, named: Named) -> Recipe:
        """A release, trusted; from the folder when it is there already, and kept there.

        Raises BadRelease, BadSignature, and what the site answers for one that this installation may not have.
        """
        releases = self.folder.releases
        kept = releases.kept(named)
        # One that is not trusted is asked for anew: somebody may have altered it here.
        with suppress(ConvoyError):
            if kept is not None and _is(recipe := releases.trusted(kept, self.pairing), named):
                return recipe
        signed = self.site.release(named.number)
        recipe = releases.trusted(signed, self.pairing, is_here=False)
        if recipe.number != named.number:
            raise BadRelease(f"The site sent release {recipe.number} for {named.number}.", now="Nothing was changed.")
        if not _is(recipe, named):
            raise BadRelease(
                f"The site sent another release {named.number} than the one that it named.",
                f"Named: {named.sha256[:12]}…; sent: {recipe.sha256[:12]}….",
                "Nothing was changed. Try again; ask your curator if it stays so.",
            )
        releases.keep(signed)
        return recipe

    @cached_property
    def taking(self) -> Taking:
        return Taking(self.folder, self.pairing, self.site, self.head, self.now)

    def prospect(
        self,
        recipe: Recipe,
        choices: SyncChoices = SyncChoices(),
        thorough: bool = False,
        beside: Sequence[Laid] | None = None,
    ) -> Prospect:
        """Looks at the folder, and plans what would lead to the release. `thorough` hashes every file anew; `beside`:
        collections as they were laid down once, in place of those that the member takes up now.
        """
        folder, share, record = self.folder, share_of(recipe, self.pairing), self.folder.record()
        left_out: Collection[str] = self.head.left_out
        if choices.only is not None:
            # Mending alone: what was chosen since is not followed yet.
            owns = self.taking.recorded(record)
            everything = [share, *(one.lock.share(Side(self.pairing.side)) for one in owns)]
            left_out = {build.mod for lock in everything for build in lock.choices} - {
                mod for lock in everything for mod in _lying(record, lock)
            }
        else:
            owns = self.taking.wanted if beside is None else self.taking.laid(list(beside))
        share = share.without(left_out)
        share = share.with_sets(self.head.sets if choices.only is None else record.sets)
        own = self._beside(recipe, share, owns, left_out)
        target = self._as_it_lies(own.lock, record) if choices.only is not None else self._as_chosen(own.lock)
        folder.keep_left_out(left_out)
        record = replace(
            record,
            files=folder.spelled(record.files, target),
            renderings=folder.spelled(dict(record.renderings), target),
            adjusted=folder.spelled(dict(record.adjusted), target),
        )
        scan = folder.scan(record, target, thorough)
        if folder.doubted:
            folder.doubt(folder.doubted)
        stored = {build.archive.sha256 for build in target.builds if build.archive.sha256 in self.store}
        installed = self._before(recipe, share, record)
        before = installed.lock if installed else None
        plan = make_plan(
            Recorded(
                record.hashes(), record.renderings, before, {path: one.name for path, one in record.adjusted.items()}
            ),
            Scan(scan, look_at(folder, target, scan).to_mend),
            target,
            stored,
            choices,
            {path for path, _ in self.head.pinned},
        )
        plan = replace(plan, rewritten=Merging(folder, target, record, self.head.pinned).rewritten(plan, self.store))
        if choices.only is None and not record.is_of(recipe):
            plan = replace(plan, worlds=(*plan.worlds, *self._papers_against(target, record)))
        if recipe.is_sealed(self.now()):
            plan = replace(plan, errands=tuple(_by_file(one) for one in plan.errands))
        laid = tuple(Laid(one.taken, one.refused) for one in owns)
        paths = installed.paths if installed else frozenset()
        return Prospect(recipe, target, record, scan, plan, own, laid, before, paths)

    def _papers_against(self, target: Lock, record: Record) -> list[WorldChange]:
        """What another release means for the worlds that lie here, by what each was played with."""
        kept = WorldsKept(self.folder).all()
        told: list[WorldChange] = []
        for world in self.folder.worlds_there(target.terms):
            papers = kept[world].papers if world in kept else ()
            name = world.rpartition("/")[2]
            # What becomes of worlds that were played with what lies here is told release by release.
            is_of_here = bool(papers) and papers[-1].sha256 == record.sha256
            told += apart(name, papers, target) if is_of_here else against(name, papers, target)
        return told

    def _beside(self, recipe: Recipe, share: Lock, owns: Sequence[Own], left_out: Collection[str]) -> Beside:
        return beside(recipe.lock, share, Side(self.pairing.side), owns, left_out)

    def report(
        self, recipe: Recipe, thorough: bool = False, seen: Prospect | None = None, if_news: bool = False
    ) -> Reported:
        """Tells the site where the folder stands against what is installed, and what a sync to `recipe` would do.

        `seen`: a look at the folder after which nothing has been changed; `if_news`: only where something is told that
        was not told before.
        """
        folder, prospect = self.folder, seen or self.prospect(recipe, thorough=thorough)
        record, look, fingerprint = prospect.record, Look({}, {}, (), {}, frozenset()), ""
        if record.release:
            installed = recipe if record.is_of(recipe) else self._installed(record)
            if installed is None:
                look = look_at_record(record, prospect.scan)
            else:
                share = share_of(installed, self.pairing).without(self.head.left_out)
                own = self._beside(installed, share, self.taking.recorded(record), self.head.left_out)
                share, whole = self._as_it_lies(share, record), self._as_it_lies(own.lock, record)
                look = look_at(folder, whole, folder.spelled(prospect.scan, whole)).apart(own.paths)
                fingerprint = installed.lock.fingerprint(as_in_lock(installed.lock, share, look.hashes), look.values)
        at = self.now().isoformat(timespec="seconds")
        about = tell(folder, self.store, prospect, look, self.head, at, recipe.is_sealed(self.now()))
        unheard = False
        try:
            self._tell(record.named, look, fingerprint, about, if_news)
        except SiteAway:
            unheard = True
        return Reported(record.named, look, fingerprint, prospect, about, unheard)

    def _tell(self, named: Named, look: Look, fingerprint: str, about: dict[str, Any], if_news: bool) -> None:
        told = Told(self.folder.own)
        what = {"release": [named.number, named.sha256], "deviations": look.deviations, "about": about}
        if if_news and not told.is_news(what, self.now()):
            return
        serial = told.next_serial(what, self.now())
        try:
            self.site.report(named, look.deviations, fingerprint, about, serial)
        except ConvoyError:
            told.forget()
            raise

    def _installed(self, record: Record) -> Recipe | None:
        """The installed release; asked for anew where it was lost here. None when nobody has it any more."""
        try:
            return self.release(record.named)
        except ConvoyError:
            return None

    def _as_chosen(self, share: Lock) -> Lock:
        """A share with content in the worlds that its member put it into, as far as they are there."""
        return in_worlds(share, self.head.worlds, self.folder.worlds_there(share.terms))

    def _as_it_lies(self, share: Lock, record: Record) -> Lock:
        """A share with content in the worlds in which it was placed, and that are still there."""
        return in_worlds(share, record.worlds, self.folder.worlds_there(share.terms))

    def installed(self, recipe: Recipe) -> Lock:
        """What lies there of a release that is installed, and of collections beside it; of worlds nothing."""
        record, share = self.folder.record(), share_of(recipe, self.pairing)
        left_out = self.head.left_out - _lying(record, share)
        own = self._beside(recipe, share.without(left_out), self.taking.recorded(record), left_out)
        return in_worlds(own.lock, {}, ())

    def _before(self, recipe: Recipe, share: Lock, record: Record) -> Beside | None:
        """What is installed, as far as it is known: what happens to worlds is said against it. `share`: of `recipe`."""
        installed = recipe
        if not record.is_of(recipe):
            found = self._installed(record) if record.release else None
            if found is None:
                return None
            installed, share = found, share_of(found, self.pairing)
            share = share.without(self.head.left_out - _lying(record, share))
        own = self._beside(installed, share, self.taking.recorded(record), self.head.left_out)
        return replace(own, lock=self._as_it_lies(own.lock, record))


def _by_file(build: LockedBuild) -> LockedBuild:
    """Of a sealed release: an errand by its file alone, where its source gives it by that."""
    return replace(build, name=build.archive.name, version="") if build.pickup is Pickup.CLICK else build


def _is(recipe: Recipe, named: Named) -> bool:
    return recipe.number == named.number and named.sha256 in ("", recipe.sha256)


def _lying(record: Record, lock: Lock) -> set[str]:
    """Mods of a lock of which something was placed."""
    placed = {as_any_world(path, lock.terms) for path in record.files}
    return {file.mod for file in lock.files if file.path in placed}
