"""Two builds that both rebuild one name, or one that rebuilds what another touches: they clash whatever their files
are.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from ..lock.lock import LockedBuild
from ..words.wording import listed
from .finding import Finding, Severity, add
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    return [
        _finding(subject, *declared)
        for declared in declared_by(subject)
        if not subject.is_joined(declared.one.mod, declared.other.mod)
    ]


class Declared(NamedTuple):
    """Two builds, first in order first, that say they change the same: names that each rebuilds, and names that one
    rebuilds and the other touches.
    """

    one: LockedBuild
    other: LockedBuild
    both: list[str]
    half: list[str]


def declared_by(subject: Subject) -> Iterator[Declared]:
    """Every such pair. Only what somebody rebuilds can clash."""
    claiming = [build for build, _ in subject.layers if build.claims.touches or build.claims.rebuilds]
    rebuilding = [at for at, build in enumerate(claiming) if build.claims.rebuilds]
    for at, one in enumerate(claiming):
        here = one.claims
        later = claiming[at + 1 :] if here.rebuilds else [claiming[place] for place in rebuilding if place > at]
        for other in later:
            there = other.claims
            both = covered(here.rebuilds, there.rebuilds)
            half = covered(here.rebuilds, there.touches) | covered(there.rebuilds, here.touches)
            if both or half:
                yield Declared(one, other, sorted(both), sorted(half - both))


def covered(wholes: tuple[str, ...], names: tuple[str, ...]) -> set[str]:
    """The names that lie within what is rebuilt: `economy` holds `economy.tolls`, and the other way round."""
    return {
        max(whole, name, key=len)
        for whole in wholes
        for name in names
        if whole == name or name.startswith(f"{whole}.") or whole.startswith(f"{name}.")
    }


def _finding(subject: Subject, one: LockedBuild, other: LockedBuild, both: list[str], half: list[str]) -> Finding:
    names = listed([one.name, other.name])
    joining = [patch for patch in subject.patches if {one.mod, other.mod} <= set(patch.partners)]
    what = f"{names} each rebuild {listed(both)}." if both else f"{names} change the same: {listed(half)}."
    return Finding(
        "rebuilds",
        Severity.BLOCKER if both else Severity.WARNING,
        tuple(sorted((one.mod, other.mod))),
        what,
        "What one makes anew, the other makes anew as well." if both else "One makes anew what the other changes.",
        "Take the patch for both, or one of the two.",
        other.mod,
        evidence=tuple(
            f"{build.name}: {word} {listed(list(told))}"
            for build in (one, other)
            for word, told in (("rebuilds", build.claims.rebuilds), ("touches", build.claims.touches))
            if told
        ),
        ways=(
            *(add(patch.mod, patch.name) for patch in joining),
            *subject.ways_without(other.mod),
            *subject.ways_without(one.mod),
        ),
        pair=(one.mod, other.mod),
    )
