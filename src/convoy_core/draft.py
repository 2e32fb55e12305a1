"""A draft settled: which wanted lines get a build, what comes in with them, and which lines cannot be served and why.

A draft always has an answer: lines that cannot be served are set apart with their reason, and everything else goes on.
So a change of base loses nothing, and an edit that breaks something says what.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from .model import Base, Build, misfit
from .ranges import Range
from .resolve import Problem, Solved, resolve
from .versions import Version


@dataclass(frozen=True, slots=True)
class WantedLine:
    """A line that is switched on: what the curator asks for."""

    mod: str
    range: Range


@dataclass(frozen=True, slots=True)
class Settled:
    """`picks`: one build per mod, chosen and brought in; `unsettled`: mod to why its line has no build."""

    picks: Mapping[str, Build]
    unsettled: Mapping[str, str]


def settle(
    base: Base,
    lines: Sequence[WantedLine],
    builds: Sequence[Build],
    keep: Mapping[str, Version],
    refresh: Collection[str] = (),
    names: Mapping[str, str] | None = None,
) -> Settled:
    """The answer for as many lines as possible; earlier lines go before later ones. Raises TooHard."""
    unsettled: dict[str, str] = {}
    want: dict[str, Range] = {}
    own: dict[str, list[Build]] = {}
    provided: set[str] = set()
    for build in builds:
        own.setdefault(build.mod, []).append(build)
        provided |= build.provides.keys()
    for line in lines:
        reason = "" if line.mod in provided else _unfit(line, own.get(line.mod, []), base)
        if reason:
            unsettled[line.mod] = reason
        else:
            want[line.mod] = line.range
    order = [line.mod for line in lines]
    while True:
        answer = resolve(Problem(base, builds, want, keep, frozenset(refresh), names or {}))
        if isinstance(answer, Solved):
            return Settled(answer.picks, unsettled)
        # The latest line of the clash is set apart: what was there first stays, as a curator expects of an addition.
        latest = max(answer.core, key=order.index)
        unsettled[latest] = " ".join(answer.because)
        del want[latest]


def _unfit(line: WantedLine, builds: Sequence[Build], base: Base) -> str:
    """Why no build of the line's mod can come in on this base at all; empty when one can."""
    if not builds:
        return "No source has it any more."
    in_range = [build for build in builds if line.range.holds(build.version)]
    if not in_range:
        return f"It has no build {line.range.in_words()}."
    reasons = [misfit(build, base) for build in sorted(in_range, key=lambda build: build.version, reverse=True)]
    if all(reasons):
        newest = max(in_range, key=lambda build: build.version)
        return f"Its newest build, {newest.version}, is {reasons[0]}."
    return ""
