"""One pack on the evening's board: what it comes to in a few figures.

Findings and newer builds are worked out from the whole draft; they are kept for a little while, by the draft's
revision, because a board is looked at far oftener than a draft changes.
"""

from dataclasses import dataclass

from django.core.cache import cache

from convoy_core.checks import Severity

from ..packs import checking
from ..packs.models import Pack
from ..packs.outlook import updates

KEPT_SECONDS = 300
"""How long figures of one revision hold: a source may have read news meanwhile."""


@dataclass(frozen=True)
class Figures:
    blockers: int
    warnings: int
    newer: int


def figures(pack: Pack) -> Figures:
    key = f"board:{pack.pk}:{pack.draft.revision}"
    kept = cache.get(key)
    if kept is None:
        found = checking.open_findings(pack.draft)
        moved, _ = updates(pack)
        kept = (
            sum(one.severity is Severity.BLOCKER for one in found),
            sum(one.severity is Severity.WARNING for one in found),
            len(moved),
        )
        cache.set(key, kept, KEPT_SECONDS)
    return Figures(*kept)
