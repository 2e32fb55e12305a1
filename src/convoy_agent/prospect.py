"""One look at a folder against a release: everything that a run decides, it decides on this."""

from __future__ import annotations

from dataclasses import dataclass

from convoy_core.lock.beside import Beside
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe
from convoy_core.sync.plan import Plan

from .folder.beside import Laid
from .folder.record import Record


@dataclass(frozen=True)
class Prospect:
    """`target`: what is to lie there: this machine's share of the release, and what its member takes up `beside`, which
    `laid` names.
    """

    recipe: Recipe
    target: Lock
    record: Record
    scan: dict[str, str]
    plan: Plan
    beside: Beside
    laid: tuple[Laid, ...] = ()
    before: Lock | None = None
    """The same of what is installed, without what its member leaves out, as far as it is known."""
    own_before: frozenset[str] = frozenset()
    """Paths in `before` that are its member's own alone."""
