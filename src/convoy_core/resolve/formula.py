"""A problem as clauses: a variable per build, a literal per demand, written down only as far as the search comes.

A build's needs and breaks are added when it is first picked, a mod's builds when they are first demanded. So the work
follows the answer, not the catalogue. Builds are picked only to meet a demand that holds: the answer is reached from
the wanted lines, except for what a preference asked for (see `unreached`).
"""

from __future__ import annotations

from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range
from .eligible import Eligible, Shelf, provided
from .facts import Break, Fact, Facts, Need
from .problem import Problem
from .solver import OPEN, TRUE, Solver

MAX_EFFORT = 10_000_000
"""Literals and clauses looked at before the search for any answer gives up: some ten seconds. Packs that people make
need some hundred thousand."""


class Domain:
    """The builds of one mod that may be picked, newest first, each a literal: `first` is the newest's, then every other
    number.
    """

    def __init__(self, shelf: Shelf, first: int, wanted: bool, kept: int) -> None:
        self.mod = shelf.mod
        self.shelf = shelf
        self.builds = shelf.builds
        self.ranks = shelf.ranks
        self.first = first
        self.wanted = wanted
        self.kept = kept
        """The literal of the build that the current lock has and that is to stay; 0 when there is none."""
        self.demands: list[int] = []
        """Literals of the demands that only this mod can meet."""

    @property
    def literals(self) -> range:
        return range(self.first, self.first + 2 * len(self.builds), 2)

    def build(self, literal: int) -> Build:
        return self.builds[(literal - self.first) >> 1]

    def rank(self, literal: int) -> int:
        return self.ranks[(literal - self.first) >> 1]


class Formula:
    def __init__(
        self,
        problem: Problem,
        eligible: Eligible,
        facts: Facts | None = None,
        max_effort: int = MAX_EFFORT,
        kept_only: bool = False,
    ) -> None:
        """`facts`: what may be left out, for explaining; `kept_only`: mods of the current lock come in as they are."""
        self.problem = problem
        self.eligible = eligible
        self.solver = Solver(self._decide, self._expand, max_effort)
        self.domains: dict[str, Domain] = {}
        self.demands: dict[tuple[str, str], int] = {}
        self.newest_only = False
        """Set when the newest builds of brought-in mods are settled: mods not met so far may come in newest only."""
        self._facts = facts
        self._kept_only = kept_only
        # By variable, as far as the last that is one: what a build is of, and what meets a demand.
        self._owners: list[Domain | None] = []
        self._options: list[tuple[int, ...] | None] = []
        self._needs: dict[int, list[int]] = {}
        self._breakers: dict[str, list[tuple[int, int, Range]]] = {}

    # Writing down

    def domain(self, mod: str) -> Domain:
        found = self.domains.get(mod)
        if found is None:
            found = self._open_domain(mod)
            for breaker, stands, broken in self._breakers.pop(mod, ()):
                self._forbid(breaker, stands, found, broken)
        return found

    def _open_domain(self, mod: str) -> Domain:
        shelf = self._shelf(mod)
        size = len(shelf.builds)
        stands_in = shelf.stands_in or bool(self.eligible.library.providers_of(mod))
        first = self.solver.group(size, stands_in, lazy=True).start
        kept = 0
        if mod in self.problem.keep and mod not in self.problem.refresh:
            place = shelf.place(self.problem.keep[mod])
            kept = 0 if place is None else first + 2 * place
        found = self.domains[mod] = Domain(shelf, first, mod in self.problem.want, kept)
        self._owners += [None] * ((first >> 1) - len(self._owners))
        self._owners += [found] * size
        if self._facts is not None:
            for at, build in enumerate(shelf.builds):
                against = self._facts.against(build, self.problem.want.get(mod, ANY_VERSION))
                if against is not None:
                    self.solver.implies(self._stands(against), (first + 2 * at) ^ 1)
        return found

    def _shelf(self, mod: str) -> Shelf:
        problem = self.problem
        wanted = problem.want.get(mod, ANY_VERSION)
        if self._facts is not None:
            shelf = Shelf(mod, self._facts.builds(mod, wanted), wanted)
        elif self._kept_only and mod in problem.keep and mod not in problem.refresh:
            return self.eligible.single(mod, wanted, problem.keep[mod])
        else:
            shelf = self.eligible.shelf(mod, wanted)
        if self.newest_only and mod not in problem.want:
            newest = [build for build, rank in zip(shelf.builds, shelf.ranks, strict=True) if rank == 0]
            return Shelf(mod, tuple(newest), wanted)
        return shelf

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
        first, own = domain.first, domain.shelf.meeting(asked)
        options = [first + 2 * at for at in own]
        if domain.kept in options and options[0] != domain.kept:
            options.remove(domain.kept)
            options.insert(0, domain.kept)
        providers = [one for one in self.eligible.library.providers_of(mod) if self._may_stand_in(one, mod, asked)]
        for provider in providers:
            other = self.domain(provider)
            for at, build in enumerate(other.builds):
                if provided(build, mod, asked):
                    options.append(other.first + 2 * at)
        if not providers:
            domain.demands.append(literal)
            if len(own) < len(domain.builds):
                inside = set(own)
                for at in range(len(domain.builds)):
                    if at not in inside:
                        self.solver.implies(literal, (first + 2 * at) ^ 1)
        self._choose(literal, tuple(options))

    def choice(self, options: tuple[int, ...]) -> int:
        """A literal that says: one of these holds; the search tries them in order. What is never chosen is false."""
        literal = self.solver.variable()
        self._choose(literal, options)
        return literal

    def _choose(self, literal: int, options: tuple[int, ...]) -> None:
        self._options += [None] * ((literal >> 1) + 1 - len(self._options))
        self._options[literal >> 1] = options
        self.solver.add([literal ^ 1, *options])

    def _may_stand_in(self, provider: str, mod: str, asked: Range) -> bool:
        """Spares writing down mods that stand in at other versions only."""
        if self._facts is not None or provider in self.domains:
            return True
        builds = self.eligible.of(provider, self.problem.want.get(provider, ANY_VERSION))
        return any(provided(build, mod, asked) for build in builds)

    def kept_literal(self, mod: str) -> int | None:
        """The literal of the build that the current lock has, when it is to be kept and may be picked."""
        return self.domain(mod).kept or None

    def _expand(self, literal: int) -> None:
        """A build is picked for the first time: what it needs and what it breaks is written down."""
        build = self.build(literal)
        needs = self._needs[literal] = []
        for mod, asked in build.needs.items():
            stands = self._stands(Need(build.mod, mod, asked.text)) if self._facts is not None else 0
            needs.append(self.demand(mod, asked))
            self._follow(literal, stands, needs[-1])
        for mod, broken in build.breaks.items():
            if mod == build.mod:
                continue
            stands = self._stands(Break(build.mod, mod, broken.text)) if self._facts is not None else 0
            if mod in self.domains:
                self._forbid(literal, stands, self.domains[mod], broken)
            else:
                self._breakers.setdefault(mod, []).append((literal, stands, broken))

    def _forbid(self, breaker: int, stands: int, domain: Domain, broken: Range) -> None:
        for at in domain.shelf.meeting(broken):
            self._follow(breaker, stands, (domain.first + 2 * at) ^ 1)

    def _stands(self, fact: Fact) -> int:
        """The literal by which a fact is left out or not; 0 where all facts stand."""
        return self._facts.literals.get(fact, 0) if self._facts is not None else 0

    def _follow(self, literal: int, stands: int, other: int) -> None:
        """From `literal`, where the fact stands, follows `other`."""
        if stands:
            self.solver.add([literal ^ 1, stands ^ 1, other])
        else:
            self.solver.implies(literal, other)

    # Searching

    def _decide(self) -> int | None:
        """The preferred build for the first demand that holds and is not met."""
        solver, options = self.solver, self._options
        values, trail = solver.values, solver.trail
        for at in range(solver.scanned, len(trail)):
            literal = trail[at]
            if literal & 1 or literal >> 1 >= len(options):
                continue
            choices = options[literal >> 1]
            if choices is None:
                continue
            first = 0
            for option in choices:
                value = values[option]
                if value == TRUE:
                    break
                if first == 0 and value == OPEN:
                    first = option
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
        return {mod: self.build(literal) for mod, literal in self.picked().items()}

    def newest(self, mod: str) -> Build | None:
        """The newest build of a mod that any answer has; None where others stand in for it in all of them."""
        domain = self.domain(mod)
        found = (one for one in domain.literals if self.solver.solve((one,)) is None)
        literal = next(found, None)
        return None if literal is None else domain.build(literal)

    # Reading off

    def picked(self) -> dict[str, int]:
        """Mod to the literal of its picked build, in the model at hand."""
        found: dict[str, int] = {}
        owners = self._owners
        for literal in self.solver.trail:
            if not literal & 1 and literal >> 1 < len(owners):
                owner = owners[literal >> 1]
                if owner is not None:
                    found[owner.mod] = literal
        return found

    def reached(self) -> set[int]:
        """docs/rules.md, "Resolve" 1: of the picked builds those that a wanted line reaches."""
        values, options = self.solver.values, self._options
        open_demands = [self.demand(mod, asked) for mod, asked in sorted(self.problem.want.items())]
        seen, found = set(open_demands), set[int]()
        while open_demands:
            choices = options[open_demands.pop() >> 1]
            assert choices is not None
            for literal in choices:
                if values[literal] == TRUE and literal not in found:
                    found.add(literal)
                    for demand in self._needs[literal]:
                        if demand not in seen:
                            seen.add(demand)
                            open_demands.append(demand)
        return found

    def build(self, literal: int) -> Build:
        owner = self._owners[literal >> 1]
        assert owner is not None
        return owner.build(literal)

    def literal_of(self, build: Build) -> int | None:
        """None when the build may not be picked."""
        domain = self.domain(build.mod)
        for at, other in enumerate(domain.builds):
            if other is build:
                return domain.first + 2 * at
        return None

    def present(self, domain: Domain) -> bool:
        """Whether what holds at the root brings the mod in, whatever else is picked."""
        values = self.solver.values
        return any(values[one] == TRUE for one in domain.demands) or any(values[one] == TRUE for one in domain.literals)

    def least_rank(self, domain: Domain) -> int:
        """At the root: the fewest newer builds that are passed over if the mod comes in as it must."""
        if not self.present(domain):
            return 0
        values = self.solver.values
        least = -1
        for one in domain.literals:
            if values[one] == TRUE:
                return domain.rank(one)
            if values[one] == OPEN and (least < 0 or domain.rank(one) < least):
                least = domain.rank(one)
        return max(least, 0)
