"""A problem as clauses: a variable per build, a literal per demand, written down only as far as the search comes.

A build's needs and breaks are added when it is first picked, a mod's builds when they are first demanded. So the work
follows the answer, not the catalogue. Builds are picked only to meet a demand that holds: the answer is reached from
the wanted lines, except for what a preference asked for (see `unreached`).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range
from .eligible import Eligible, provided
from .facts import Facts
from .problem import Problem
from .solver import FALSE, OPEN, TRUE, Solver

MAX_EFFORT = 10_000_000
"""Literals and clauses looked at before the search for any answer gives up: some ten seconds. Packs that people make
need some hundred thousand."""


@dataclass(slots=True)
class Domain:
    """The builds of one mod that may be picked, newest first, with their literals."""

    mod: str
    builds: tuple[Build, ...]
    literals: range
    ranks: tuple[int, ...]
    """Per build: how many newer ones are passed over when it is taken (formats.md, "Passed over")."""
    wanted: bool
    kept: int | None
    """Place of the build that the current lock has and that is to stay."""
    demands: list[int] = field(default_factory=list)
    """Literals of the demands that only this mod can meet."""


class Formula:
    def __init__(
        self,
        problem: Problem,
        eligible: Eligible,
        facts: Facts | None = None,
        max_effort: int = MAX_EFFORT,
        kept_only: bool = False,
    ) -> None:
        """`facts`: what to leave out, for explaining; `kept_only`: mods of the current lock come in as they are."""
        self.problem = problem
        self.eligible = eligible
        self.solver = Solver(self._decide, self._expand, max_effort)
        self.domains: dict[str, Domain] = {}
        self.demands: dict[tuple[str, str], int] = {}
        self.newest_only = False
        """Set when the newest builds of brought-in mods are settled: mods not met so far may come in newest only."""
        self._facts = facts
        self._kept_only = kept_only
        self._options: dict[int, tuple[int, ...]] = {}
        self._builds: dict[int, Build] = {}
        self._needs: dict[int, list[int]] = {}
        self._breakers: dict[str, list[tuple[int, Range]]] = {}

    # Writing down

    def domain(self, mod: str) -> Domain:
        found = self.domains.get(mod)
        if found is None:
            found = self._open_domain(mod)
            for breaker, broken in self._breakers.pop(mod, ()):
                self._forbid(breaker, found, broken)
        return found

    def _open_domain(self, mod: str) -> Domain:
        wanted = self.problem.want.get(mod)
        if self._facts is not None:
            builds = self._facts.eligible(mod, wanted or ANY_VERSION)
        else:
            builds = self.eligible.of(mod, wanted or ANY_VERSION)
        if self._kept_only and mod in self.problem.keep and mod not in self.problem.refresh:
            builds = tuple(build for build in builds if build.version == self.problem.keep[mod])[:1]
        ranks = _ranks(builds, wanted or ANY_VERSION)
        if self.newest_only and wanted is None:
            builds = tuple(build for build, rank in zip(builds, ranks, strict=True) if rank == 0)
        stands_in = bool(self.eligible.library.providers_of(mod)) or any(build.provides for build in builds)
        literals = self.solver.group(len(builds), spread=stands_in)
        self.solver.expand_later(literals)
        self._builds.update(zip(literals, builds, strict=True))
        found = self.domains[mod] = Domain(
            mod, builds, literals, ranks, wanted is not None, self._kept_place(mod, builds)
        )
        return found

    def demand(self, mod: str, asked: Range) -> int:
        """The literal that says: this demand holds. What meets it is in `options`, the preferred build first."""
        key = (mod, asked.text)
        found = self.demands.get(key)
        if found is None:
            found = self.demands[key] = self.solver.variable()
            self._write_demand(found, mod, asked)
        return found

    def _write_demand(self, literal: int, mod: str, asked: Range) -> None:
        domain = self.domain(mod)
        own = self._own_places(domain, asked)
        if domain.kept in own and own[0] != domain.kept:
            own = (domain.kept, *(at for at in own if at != domain.kept))
        options = [domain.literals[at] for at in own]
        providers = [one for one in self.eligible.library.providers_of(mod) if self._may_stand_in(one, mod, asked)]
        for provider in providers:
            other = self.domain(provider)
            options += [
                at for at, build in zip(other.literals, other.builds, strict=False) if provided(build, mod, asked)
            ]
        if not providers:
            domain.demands.append(literal)
            if len(own) < len(domain.literals):
                for at, outside in enumerate(domain.literals):
                    if at not in own:
                        self.solver.implies(literal, outside ^ 1)
        self._choose(literal, tuple(options))

    def choice(self, options: tuple[int, ...]) -> int:
        """A literal that says: one of these holds; the search tries them in order. What is never chosen is false."""
        literal = self.solver.variable()
        self._choose(literal, options)
        return literal

    def _choose(self, literal: int, options: tuple[int, ...]) -> None:
        self._options[literal] = options
        self.solver.add((literal ^ 1, *options))

    def _may_stand_in(self, provider: str, mod: str, asked: Range) -> bool:
        """Spares writing down mods that stand in at other versions only."""
        if self._facts is not None or provider in self.domains:
            return True
        builds = self.eligible.of(provider, self.problem.want.get(provider, ANY_VERSION))
        return any(provided(build, mod, asked) for build in builds)

    def _own_places(self, domain: Domain, asked: Range) -> tuple[int, ...]:
        if self._facts is None and not self.newest_only and not self._kept_only:
            return self.eligible.meeting(domain.mod, asked, self.problem.want.get(domain.mod, ANY_VERSION))
        return tuple(at for at, build in enumerate(domain.builds) if asked.holds(build.version))

    def _kept_place(self, mod: str, builds: tuple[Build, ...]) -> int | None:
        kept = self.problem.keep.get(mod)
        if kept is None or mod in self.problem.refresh:
            return None
        return next((at for at, build in enumerate(builds) if build.version == kept), None)

    def kept_literal(self, mod: str) -> int | None:
        """The literal of the build that the current lock has, when it is to be kept and may be picked."""
        domain = self.domain(mod)
        return None if domain.kept is None else domain.literals[domain.kept]

    def _expand(self, literal: int) -> None:
        """A build is picked for the first time: what it needs and what it breaks is written down."""
        build = self._builds[literal]
        needs = self._needs[literal] = []
        for mod, asked in build.needs.items():
            if self._facts is None or self._facts.need(build, mod, asked):
                needs.append(self.demand(mod, asked))
        for demand in needs:
            self.solver.implies(literal, demand)
        for mod, broken in build.breaks.items():
            if mod == build.mod or (self._facts is not None and not self._facts.breaks(build, mod, broken)):
                continue
            if mod in self.domains:
                self._forbid(literal, self.domains[mod], broken)
            else:
                self._breakers.setdefault(mod, []).append((literal, broken))

    def _forbid(self, breaker: int, domain: Domain, broken: Range) -> None:
        for literal, build in zip(domain.literals, domain.builds, strict=True):
            if broken.holds(build.version):
                self.solver.implies(breaker, literal ^ 1)

    # Searching

    def _decide(self) -> int | None:
        """The preferred build for the first demand that holds and is not met."""
        solver, options = self.solver, self._options
        values, trail = solver.values, solver.trail
        for at in range(solver.scanned, len(trail)):
            choices = options.get(trail[at])
            if choices is None:
                continue
            first = None
            for literal in choices:
                if values[literal] == TRUE:
                    break
                if first is None and values[literal] == OPEN:
                    first = literal
            else:
                solver.scanned = at
                return first
        solver.scanned = len(trail)
        return None

    def want_everything(self) -> None:
        """The wanted lines as facts."""
        for mod in sorted(self.problem.want):
            self.solver.add([self.demand(mod, self.problem.want[mod])])

    def keep_everything(self) -> bool:
        """What the current lock has, as facts; False when that cannot be, as a build is gone or may not be picked."""
        for mod in sorted(self.problem.keep.keys() - self.problem.refresh):
            kept = self.kept_literal(mod)
            if kept is None:
                return False
            self.solver.add([kept])
        return not self.solver.impossible

    def first_picks(self) -> dict[str, Build] | None:
        """Any answer, good but not the best; None when there is none. Raises OutOfEffort."""
        self.want_everything()
        if self.solver.solve(()) is not None:
            return None
        return {mod: self._builds[literal] for mod, literal in self.picked().items()}

    # Reading off

    def picked(self) -> dict[str, int]:
        """Mod to the literal of its picked build, in the model at hand."""
        return {self._builds[literal].mod: literal for literal in self.solver.trail if literal in self._builds}

    def reached(self, picked: Iterable[int]) -> set[int]:
        """docs/rules.md, "Resolve" 1: of the picked builds those that a wanted line reaches."""
        values = self.solver.values
        open_demands = [self.demand(mod, asked) for mod, asked in sorted(self.problem.want.items())]
        seen, found = set(open_demands), set[int]()
        while open_demands:
            for literal in self._options[open_demands.pop()]:
                if values[literal] == TRUE and literal not in found:
                    found.add(literal)
                    fresh = [demand for demand in self._needs[literal] if demand not in seen]
                    seen.update(fresh)
                    open_demands += fresh
        return found

    def build(self, literal: int) -> Build:
        return self._builds[literal]

    def literal_of(self, build: Build) -> int | None:
        """None when the build may not be picked."""
        domain = self.domain(build.mod)
        places = (at for at, other in enumerate(domain.builds) if other is build)
        return next((domain.literals[at] for at in places), None)

    def present(self, domain: Domain) -> bool:
        """Whether what holds at the root brings the mod in, whatever else is picked."""
        values = self.solver.values
        return any(values[one] == TRUE for one in domain.demands) or any(values[one] == TRUE for one in domain.literals)

    def least_rank(self, domain: Domain) -> int:
        """At the root: the fewest newer builds that are passed over if the mod comes in as it must."""
        if not self.present(domain):
            return 0
        values = self.solver.values
        for rank, one in zip(domain.ranks, domain.literals, strict=False):
            if values[one] == TRUE:
                return rank
        left = (rank for rank, one in zip(domain.ranks, domain.literals, strict=False) if values[one] != FALSE)
        return min(left, default=0)


def _ranks(builds: tuple[Build, ...], wanted: Range) -> tuple[int, ...]:
    """Per build, how many of those in the wanted range are newer. `builds` come newest first."""
    if len(builds) < 2:
        return (0,) * len(builds)
    ranks = []
    newer = pending = 0
    for at, build in enumerate(builds):
        if at and builds[at - 1].version != build.version:
            newer += pending
            pending = 0
        ranks.append(newer)
        pending += wanted.holds(build.version)
    return tuple(ranks)
