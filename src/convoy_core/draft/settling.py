"""A draft settled: which wanted lines get a build, what comes in with them, and which lines cannot be served and why.

A draft always has an answer: lines that cannot be served are set apart with their reason, and everything else goes on.
So a change of base loses nothing, and an edit that breaks something says what.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from ..resolve import Eligible, Library, Problem, Solved, WayOut, edges, every_clash, resolve, told
from ..words.model import Base, Build, newest_misfits
from ..words.ranges import ANY_VERSION, Range
from ..words.versions import Version
from ..words.wording import listed

EXPLAINED = 4_000
"""Lines times clashes that are told with all their sentences and the ways out that were tried: each of these takes
searches of its own. Of hundreds at once, as another base may leave behind, the further ones only say with what.
"""


@dataclass(frozen=True, slots=True)
class WantedLine:
    """A line that is switched on: what the curator asks for."""

    mod: str
    range: Range


@dataclass(frozen=True, slots=True)
class Settled:
    """`picks`: one build per mod, chosen and brought in; `unsettled`: mod to why its line has no build."""

    picks: Mapping[str, Build]
    unsettled: Mapping[str, Unsettled]


@dataclass(frozen=True, slots=True)
class Unsettled:
    """Why a line has no build: sentences, the lines that clash, and the ways out that were tried."""

    because: tuple[str, ...]
    core: tuple[str, ...]
    ways_out: tuple[WayOut, ...] = ()

    def sentence(self) -> str:
        return " ".join(self.because)


def settle(
    eligible: Eligible,
    lines: Sequence[WantedLine],
    keep: Mapping[str, Version],
    refresh: Collection[str] = (),
    names: Mapping[str, str] | None = None,
    other_bases: Sequence[Base] = (),
    resting: Sequence[Build] = (),
) -> Settled:
    """The answer for as many lines as possible; earlier lines go before later ones. Raises TooHard.

    What the lines that are left no longer reach in `keep` leaves; it is not held on to by changing something else.
    `resting`: builds of lines that are switched off. They stay out, and what they need stays in, so that switching on
    again moves nothing; where their needs stand against the lines that are on, those needs give way.
    """
    if resting:
        library = _WithResting(eligible.library, resting)
        eligible = Eligible(library, eligible.base)
        lines = [*lines, *(WantedLine(mod, ANY_VERSION) for mod in library.resting)]
        keep = {**keep, **{mod: build.version for mod, build in library.resting.items()}}
        settled = settle(eligible, lines, keep, refresh, names, other_bases)
        return Settled(
            {mod: build for mod, build in settled.picks.items() if mod not in library.resting},
            {mod: why for mod, why in settled.unsettled.items() if mod not in library.resting},
        )
    unsettled: dict[str, Unsettled] = {}
    want: dict[str, Range] = {}
    for line in lines:
        reason = _unfit(line, eligible)
        if reason:
            unsettled[line.mod] = Unsettled((reason,), (line.mod,))
        else:
            want[line.mod] = line.range
    rank = {line.mod: at for at, line in enumerate(lines)}
    still = _still_reached(eligible, want, keep, frozenset(refresh))
    problem = Problem(eligible.base, eligible.library, want, still, frozenset(refresh), names or {})
    answer = resolve(problem, eligible, other_bases, tell=False)
    if isinstance(answer, Solved):
        return Settled(answer.picks, unsettled)
    # The latest line of a clash is set apart: what was there first stays, as a curator expects of an addition.
    first = max(answer.core, key=rank.__getitem__)
    left = {mod: asked for mod, asked in want.items() if mod != first}
    apart = [(first, answer.core), *every_clash(replace(problem, want=left), eligible, rank)]
    whole = {mod: asked for mod, asked in want.items() if mod not in {mod for mod, _ in apart}}
    explained = max(1, EXPLAINED // len(want))
    for at, (mod, core) in enumerate(apart):
        if at < explained:
            one = replace(problem, want={**whole, **{other: want[other] for other in core}})
            found = told(one, core, eligible, other_bases)
            unsettled[mod] = Unsettled(found.because, found.core, found.ways_out)
        else:
            others = listed([problem.name(one) for one in core if one != mod])
            unsettled[mod] = Unsettled((f"{problem.name(mod)} does not go together with {others}.",), core)
    rest = resolve(replace(problem, want=whole), eligible)
    assert isinstance(rest, Solved)
    return Settled(rest.picks, unsettled)


class _WithResting:
    """A library with stand-ins for builds that rest: mods of their own that nothing else knows, with the same needs."""

    def __init__(self, library: Library, resting: Sequence[Build]) -> None:
        self._library = library
        self.resting = {
            f"{build.mod} (off)": Build(f"{build.mod} (off)", build.version, needs=build.needs) for build in resting
        }

    def builds_of(self, mod: str) -> Sequence[Build]:
        return (self.resting[mod],) if mod in self.resting else self._library.builds_of(mod)

    def providers_of(self, mod: str) -> Sequence[str]:
        return self._library.providers_of(mod)


def _still_reached(
    eligible: Eligible, want: Mapping[str, Range], keep: Mapping[str, Version], refresh: frozenset[str]
) -> dict[str, Version]:
    """The part of the current lock that the lines lead to without what is being updated, and the lines' own mods."""
    kept = {mod: build for mod, version in keep.items() if (build := _build_at(eligible, mod, version))}
    met_by: dict[str, list[str]] = {}
    for edge in edges(kept):
        met_by.setdefault(edge.asker, []).append(edge.met_by)
    reached = {mod: keep[mod] for mod in want if mod in keep}
    waiting = list(reached)
    for mod in waiting:
        for other in met_by.get(mod, ()) if mod not in refresh else ():
            if other not in reached:
                reached[other] = keep[other]
                waiting.append(other)
    return reached


def _build_at(eligible: Eligible, mod: str, version: Version) -> Build | None:
    return next((build for build in eligible.library.builds_of(mod) if build.version == version), None)


def _unfit(line: WantedLine, eligible: Eligible) -> str:
    """Why no build of the line's mod can come in on this base at all; empty when one can, or another may stand in."""
    if eligible.library.providers_of(line.mod) or any(
        line.range.holds(build.version) for build in eligible.fitting(line.mod)
    ):
        return ""
    builds = sorted(eligible.library.builds_of(line.mod), key=lambda build: build.version)
    if not builds:
        return "No source has it any more."
    in_range = [build for build in builds if line.range.holds(build.version)]
    if not in_range:
        return f"It has no build {line.range.in_words()}."
    return newest_misfits(in_range[-1], eligible.base)
