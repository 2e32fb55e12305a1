"""Which base suits the chosen lines: for each base how many have a build, through a counterpart, or none.

Source: docs/rules.md, "The job" 1: the choice depends on the mods that are wanted; Counting is done line by line,
which is fast and near the truth; whether everything goes together shows in the rehearsal of the move.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..resolve import Eligible, Library
from ..words.model import Base, Build
from .settling import WantedLine


@dataclass(frozen=True, slots=True)
class BaseOutlook:
    """What a base would mean for the chosen lines, each named once, by mod id in the order of the lines."""

    base: Base
    same: tuple[str, ...]
    """The build that they have now fits."""
    change: Mapping[str, str]
    """Another build would come: mod to its version."""
    through: Mapping[str, str]
    """No build fits, but one of a counterpart: mod to the counterpart."""
    missing: Mapping[str, str]
    """Nothing fits: mod to why, or empty when there is no build at all."""

    @property
    def exist(self) -> int:
        return len(self.same) + len(self.change) + len(self.through)


def outlook(
    base: Base,
    lines: Sequence[WantedLine],
    library: Library,
    picks: Mapping[str, Build],
    counterparts: Mapping[str, Sequence[str]],
) -> BaseOutlook:
    """`counterparts`: mod to the mods that do its job elsewhere."""
    eligible = Eligible(library, base)
    same: list[str] = []
    change: dict[str, str] = {}
    through: dict[str, str] = {}
    missing: dict[str, str] = {}
    for line in lines:
        fitting = [build for build in eligible.of(line.mod, line.range) if line.range.holds(build.version)]
        if any(build == picks.get(line.mod) for build in fitting):
            same.append(line.mod)
        elif fitting:
            change[line.mod] = fitting[0].version.text
        elif standing_in := next((other for other in counterparts.get(line.mod, ()) if eligible.of(other)), ""):
            through[line.mod] = standing_in
        else:
            missing[line.mod] = eligible.nearest_reason(line.mod, line.range)
    return BaseOutlook(base, tuple(same), change, through, missing)
