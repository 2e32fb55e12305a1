"""Two builds that both rebuild one name, or one that rebuilds what another touches: they clash whatever their files
are.
"""

from __future__ import annotations

from ..lock.lock import LockedBuild
from ..words.wording import listed
from .finding import Finding, Severity, add
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    claiming = [build for build, _ in subject.layers if build.claims.touches or build.claims.rebuilds]
    for at, one in enumerate(claiming):
        for other in claiming[at + 1 :]:
            here, there = one.claims, other.claims
            if not (here.rebuilds or there.rebuilds) or subject.is_joined(one.mod, other.mod):
                continue
            both = sorted(covered(here.rebuilds, there.rebuilds))
            halves = covered(here.rebuilds, there.touches) | covered(there.rebuilds, here.touches)
            half = sorted(halves - set(both))
            if both or half:
                found.append(_finding(subject, one, other, both, half))
    return found


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
