"""How many of some literals hold, written down only as far as it is asked (a sequential counter, Sinz 2005)."""

from __future__ import annotations

from .solver import Solver


class Count:
    """Counts one way: where more than `number` hold, `more_than(number)` holds."""

    def __init__(self, solver: Solver, literals: list[int]) -> None:
        self._solver = solver
        self._literals = literals
        self._columns: list[list[int]] = []
        """Per number, from 1: for each place the literal that so many hold up to there; from the number's own place."""

    def more_than(self, number: int) -> int:
        """0 where no more can hold."""
        while len(self._columns) <= number < len(self._literals):
            self._columns.append(self._next())
        return self._columns[number][-1] if number < len(self._literals) else 0

    def _next(self) -> list[int]:
        solver, number = self._solver, len(self._columns)
        column: list[int] = []
        for place in range(number, len(self._literals)):
            reached = solver.variable()
            if column:
                solver.implies(column[-1], reached)
            if number == 0:
                solver.implies(self._literals[place], reached)
            else:
                before = self._columns[number - 1][place - number]
                solver.add([self._literals[place] ^ 1, before ^ 1, reached])
            column.append(reached)
        return column
