"""Looking: a folder against a release, what a sync would do, and what the site is told of it. Changes no file but the
agent's own.

One `Visit` is one run's view of an installation: the folder, which the caller holds, and what the site said when the
run began. Everything that a run decides, it decides on a `Prospect`.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime

from convoy_core.errors import ConvoyError
from convoy_core.lock import Lock
from convoy_core.plan import Choices, Plan, Recorded, Scan, make_plan
from convoy_core.recipe import Recipe

from .errors import BadRelease
from .folder import Folder, Look, Record, look_at, share_of
from .site import Head, Pairing, Site
from .store import Store
from .telling import tell

Now = Callable[[], datetime]


@dataclass(frozen=True)
class Prospect:
    """One look at a folder against a release: everything that follows is decided on this."""

    recipe: Recipe
    target: Lock
    record: Record
    scan: dict[str, str]
    plan: Plan


@dataclass(frozen=True)
class Told:
    """What the site was told."""

    release: str
    look: Look
    fingerprint: str
    plan: Plan
    about: dict[str, object]


@dataclass(frozen=True)
class Visit:
    """One run's view of one installation."""

    folder: Folder
    pairing: Pairing
    site: Site
    store: Store
    head: Head
    now: Now

    def release(self, number: str) -> Recipe:
        """A release, trusted; from the folder when it is there already. Kept beside the present one.

        Raises BadRelease, BadSignature, and what the site answers for one that this installation may not have.
        """
        for name in ("release.json", "release.next.json"):
            kept = self.folder.kept_release(name)
            # One that is not trusted is asked for anew: somebody may have altered it here.
            with suppress(ConvoyError):
                if kept is not None and (recipe := self.folder.trusted(kept, self.pairing)).number == number:
                    if name == "release.json":
                        self.folder.keep_release(kept, "release.next.json")
                    return recipe
        signed = self.site.release(number)
        recipe = self.folder.trusted(signed, self.pairing)
        if recipe.number != number:
            raise BadRelease(f"The site sent release {recipe.number} for {number}.", now="Nothing was changed.")
        self.folder.keep_release(signed, "release.next.json")
        return recipe

    def prospect(self, recipe: Recipe, choices: Choices = Choices(), thorough: bool = False) -> Prospect:
        """Looks at the folder, and plans what would lead to the release. `thorough` hashes every file anew."""
        folder, share, record = self.folder, share_of(recipe, self.pairing), self.folder.record()
        left_out: Collection[str] = self.head.left_out
        if choices.only is not None:
            # Mending alone: what was chosen since is not followed yet.
            left_out = {build.mod for build in share.choices if not _lies_there(record, share, build.mod)}
        target = share.without(left_out)
        folder.keep_left_out(left_out)
        renderings = folder.spelled(dict(record.renderings), target)
        record = Record(record.release, folder.spelled(record.files, target), renderings)
        scan = folder.scan(record, target, thorough)
        stored = {build.archive.sha256 for build in target.builds if build.archive.sha256 in self.store}
        plan = make_plan(
            Recorded(record.hashes(), record.renderings, self._before(recipe, target, record)),
            Scan(scan, look_at(folder, target, scan).to_mend),
            target,
            stored,
            choices,
        )
        return Prospect(recipe, target, record, scan, plan)

    def report(self, recipe: Recipe, thorough: bool = False, seen: Prospect | None = None) -> Told:
        """Tells the site where the folder stands against what is installed, and what a sync to `recipe` would do.

        `seen`: a look at the folder after which nothing has been changed.
        """
        folder, prospect = self.folder, seen or self.prospect(recipe, thorough=thorough)
        record, look, fingerprint = prospect.record, Look({}, {}, (), {}, frozenset()), ""
        if record.release and (signed := folder.kept_release()):
            installed = recipe if record.release == recipe.number else folder.trusted(signed, self.pairing)
            share = share_of(installed, self.pairing).without(self.head.left_out)
            look = look_at(folder, share, folder.spelled(prospect.scan, share))
            fingerprint = installed.lock.fingerprint(look.hashes, look.values)
        at = self.now().isoformat(timespec="seconds")
        about = tell(folder, self.store, recipe, prospect.target, prospect.plan, look, self.head, at)
        self.site.report(record.release, look.deviations, fingerprint, about)
        return Told(record.release, look, fingerprint, prospect.plan, about)

    def _before(self, recipe: Recipe, target: Lock, record: Record) -> Lock | None:
        """What is installed, as far as it is known: what happens to worlds is said against it."""
        if record.release == recipe.number:
            return target
        signed = self.folder.kept_release() if record.release else None
        if signed is None:
            return None
        before = share_of(self.folder.trusted(signed, self.pairing), self.pairing)
        return before.without({mod for mod in self.head.left_out if not _lies_there(record, before, mod)})


def _lies_there(record: Record, lock: Lock, mod: str) -> bool:
    return any(file.path in record.files for file in lock.files if file.mod == mod)
