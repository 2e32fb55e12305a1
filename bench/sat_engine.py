"""A kept SAT library as the search under the same formula: to measure against, and to check the answers with."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from pysat.solvers import Solver as Library

from convoy_core.resolve import formula
from convoy_core.resolve.solver import FALSE, OPEN, TRUE, Solver

ENGINE = "glucose4"


class SatSolver(Solver):
    """As `Solver`, but that each model is the library's: builds that come true in one are written down, and it is asked
    again. It knows no effort.
    """

    def __init__(self, decide: Callable[[], int | None], lazy: Callable[[int], None], max_effort: int) -> None:
        super().__init__(decide, lazy, max_effort)
        self._library = Library(ENGINE)

    def group(self, size: int, spread: bool, lazy: bool = False) -> range:
        literals = super().group(size, spread, lazy)
        for at, one in enumerate(literals):
            for other in literals[:at]:
                self.add([one ^ 1, other ^ 1])
        return literals

    def implies(self, literal: int, other: int) -> None:
        self.add([literal ^ 1, other])

    def add(self, literals: Iterable[int]) -> None:
        self._library.add_clause([_theirs(one) for one in literals])

    def solve(self, assumptions: tuple[int, ...]) -> list[int] | None:
        asked = [_theirs(one) for one in assumptions]
        while self._library.solve(asked):
            model = [_ours(one) for one in self._library.get_model()]
            met = [one for one in model if not one & 1 and self._is_lazy[one >> 1]]
            if not met:
                self._show(model)
                return None
            for one in met:
                self._is_lazy[one >> 1] = False
                self._lazy(one)
        blamed = {_ours(one) for one in self._library.get_core() or ()}
        self.impossible = self.impossible or not blamed
        return [one for one in assumptions if one in blamed]

    def back_to(self, level: int) -> None:
        """What follows from nothing stays."""
        possible, follows = self._library.propagate()
        self.impossible = self.impossible or not possible
        self._show([_ours(one) for one in follows])

    def propagate(self) -> None:
        self.back_to(0)

    def _show(self, literals: list[int]) -> None:
        # In place: who searches holds on to both lists.
        self.values[:] = [OPEN] * len(self.values)
        for literal in literals:
            self.values[literal], self.values[literal ^ 1] = TRUE, FALSE
        self.trail[:] = literals


def _theirs(literal: int) -> int:
    return -(literal >> 1) if literal & 1 else literal >> 1


def _ours(literal: int) -> int:
    return 2 * literal if literal > 0 else -2 * literal + 1


class with_library:
    """A context in which every search is the library's. For one thread, and for the plain sources only."""

    def __enter__(self) -> None:
        formula.Solver = SatSolver  # type: ignore[misc]

    def __exit__(self, *error: object) -> None:
        formula.Solver = Solver  # type: ignore[misc]
