"""Collections beside the pack: what the site says that its member takes up, held against what each one's own crew
signed.

A collection never stands in the pack's way: what is wrong with one is remarked upon, and what lay there of it stays.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, partial

from convoy_core.lock.beside import MOST_BESIDE, Own
from convoy_core.lock.lock import TakenUp
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.suits import SUITS_ALL
from convoy_core.sync.orders import Allowance
from convoy_core.trust.statement import Named, refuse_over
from convoy_core.trust.trusted import goes_back, meant
from convoy_core.words.errors import ConvoyError

from .errors import BadRelease
from .folder.allowed import Allowed
from .folder.beside import BesideKept, Laid, pairing_with
from .folder.folder import Folder
from .folder.record import Record
from .folder.releases import Releases
from .site.head import BesideHead, Head, Pairing
from .site.site import Site

Now = Callable[[], datetime]


@dataclass(frozen=True)
class Taking:
    """What is taken up beside the pack, in one run."""

    folder: Folder
    pairing: Pairing
    site: Site
    head: Head
    now: Now

    @cached_property
    def wanted(self) -> list[Own]:
        """As the site says it, as far as it is to be believed; else what is recorded of it stays."""
        there = {one.taken.id: one for one in self.folder.record().beside}
        found: list[Own] = []
        for row in self.head.beside[:MOST_BESIDE]:
            if not row.number and row.pack not in there:
                continue
            try:
                found.append(self._own(row, there.get(row.pack)))
            except ConvoyError as error:
                self.folder.remarks.append(f"{row.name} beside the pack: {error.sentence()}")
                found += self.laid([there[row.pack]]) if row.pack in there else []
        return found

    def recorded(self, record: Record) -> list[Own]:
        return self.laid(record.beside)

    def laid(self, ones: list[Laid]) -> list[Own]:
        """Releases that were laid down here, as far as they are still known."""
        found = []
        for one in ones:
            with suppress(ConvoyError):
                recipe = self._kept(one)
                found.append(Own(one.taken, recipe.lock, recipe.suits or SUITS_ALL, one.refused))
        return found

    def _kept(self, one: Laid) -> Recipe:
        kept = BesideKept(self.folder.own)
        releases = kept.releases(one.taken.id)
        pairing = pairing_with(self.pairing, one.taken.id, one.taken.name, kept.mark(one.taken.id))
        signed = releases.kept(Named(one.taken.number, one.taken.sha256))
        if signed is None or releases.trust.charter(pairing) is None:
            raise BadRelease(f"Release {one.taken.number} of {one.taken.name} is not here any more.")
        return releases.trusted(signed, pairing)

    def _own(self, row: BesideHead, there: Laid | None) -> Own:
        """Raises what stands in its way."""
        kept = BesideKept(self.folder.own)
        if row.said is None and there is not None and (stays := self.laid([there])):
            # Nothing is said of it: the site is away, serves it no more, or has no release that suits.
            return stays[0]
        mark = self._mark(row, kept)
        releases, pairing = kept.releases(row.pack), pairing_with(self.pairing, row.pack, row.name, mark)
        installed = Named(there.taken.number, there.taken.sha256) if there else None
        named = Named(row.number, row.sha256)
        if row.said is not None and not self.site.away:
            kept.accept(row.pack, mark)
            ask = partial(self.site.charters, collection=row.pack)
            statement = releases.trust.hear(pairing, row.said, ask, self.now()).statement
            assert statement
            named = meant(statement, row.number, row.sha256, installed)
            if installed and named != installed:
                refuse_over(statement, self.now())
                if goes_back(statement, installed.number, named.number):
                    self._refuse_back(row, installed)
        if releases.trust.charter(pairing) is None:
            raise BadRelease("Its keys are not known here yet.", now="It comes when the site answers.")
        recipe = self._release(releases, pairing, named, row)
        taken = TakenUp(row.pack, recipe.pack_name, recipe.number, recipe.sha256)
        return Own(taken, recipe.lock, recipe.suits or SUITS_ALL, row.refused)

    def _mark(self, row: BesideHead, kept: BesideKept) -> str:
        """The charter by which it is trusted: as it was taken up here, or the pack's own crew's."""
        if mark := kept.mark(row.pack):
            return mark
        ours = self.folder.releases.trust.now(self.pairing).charter.mark
        if row.mark != ours:
            raise BadRelease(
                "It is of another crew, whose keys nobody has trusted on this machine.",
                f"The site shows the key {row.mark}.",
                f"Compare it with its curators, then say “convoy add {row.pack} --key {row.mark}” here.",
            )
        return ours

    def _refuse_back(self, row: BesideHead, installed: Named) -> None:
        if Allowance.BACK not in Allowed(self.folder.own).all():
            raise BadRelease(
                f"The site asks to go back from release {installed.number} to {row.number}.",
                "A site alone does not decide that.",
                "Say “convoy allow back” here, where you mean it.",
            )

    def _release(self, releases: Releases, pairing: Pairing, named: Named, row: BesideHead) -> Recipe:
        if (signed := releases.kept(named)) is not None:
            with suppress(ConvoyError):
                return self._usable(releases.trusted(signed, pairing), named)
        signed = self.site.release(named.number, row.pack)
        recipe = self._usable(releases.trusted(signed, pairing, is_here=False), named)
        releases.keep(signed)
        return recipe

    def _usable(self, recipe: Recipe, named: Named) -> Recipe:
        if recipe.number != named.number or named.sha256 not in ("", recipe.sha256):
            raise BadRelease(f"The site sent another release than {named.number}.", now="Nothing of it was laid down.")
        if recipe.suits is None:
            raise BadRelease(f"{recipe.pack_name} is a pack of its own, and no collection.")
        if recipe.is_sealed(self.now()):
            raise BadRelease(f"Release {recipe.number} is sealed until {recipe.sealed_until}.")
        return recipe
