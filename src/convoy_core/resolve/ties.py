"""Of equally good answers *the* one, so that it does not hang on how a search went (docs/rules.md, "Resolve").

The mods are gone through from the last id to the first, and each has the first of its choices that some equally good
answer with all choices so far leaves it: not to be there, its build of the current lock, then the newest before older
ones. What is found is a fact from then on, so that most choices follow without a search.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from .formula import Domain, Formula
from .solver import FALSE, TRUE


class Ties:
    """`picks`: the answer at hand; `look_again`: takes the model of the solver as the answer, if it holds together;
    `held`: what else no equally good answer may do, of mods that were met only now.
    """

    def __init__(
        self,
        formula: Formula,
        picks: Callable[[], dict[str, int]],
        look_again: Callable[[], bool],
        held: Callable[[], Iterable[int]],
    ) -> None:
        self._formula = formula
        self._picks = picks
        self._look_again = look_again
        self._held = held

    def settle(self) -> None:
        """Ends with the one answer at hand. Raises OutOfEffort and NothingHolds, with a good one at hand."""
        self._to_the_root()
        domains = self._formula.domains
        waiting, passed = sorted(domains), ""
        while waiting:
            mod = waiting.pop()
            known = len(domains)
            self._choose(domains[mod])
            if len(domains) > known:
                waiting = sorted(one for one in domains if one < mod)
            passed = mod
        assert not passed or not self._formula.solver.impossible

    def _choose(self, domain: Domain) -> None:
        formula, solver = self._formula, self._formula.solver
        values = solver.values
        if domain.mod in self._picks():
            if not formula.present(domain):
                self._tried([one ^ 1 for one in domain.literals], domain.mod)
            for literal in _in_order(domain):
                if self._picks().get(domain.mod, literal) == literal:
                    break
                if values[literal] != FALSE:
                    if self._tried([literal], domain.mod):
                        break
                    solver.add([literal ^ 1])
                    solver.propagate()
        found = self._picks().get(domain.mod, 0)
        facts = [found] if found else [one ^ 1 for one in domain.literals]
        for fact in facts:
            if values[fact] != TRUE:
                solver.add([fact])
        solver.propagate()

    def _tried(self, assumed: list[int], mod: str) -> bool:
        """Whether an equally good answer goes with this; it is the one at hand then. Ends at the root."""
        solver = self._formula.solver
        try:
            while solver.solve(tuple(assumed)) is None:
                # Met only now: nothing that was passed had it, and of what is ahead it may cost nothing.
                late = [*self._held(), *self._strangers(mod)]
                if late:
                    solver.back_to(0)
                    for fact in late:
                        solver.add([fact])
                elif self._look_again():
                    return True
            return False
        finally:
            self._to_the_root()

    def _strangers(self, mod: str) -> list[int]:
        """Builds in the model at hand that would come in of mods that were passed without them."""
        picks = self._picks()
        picked = self._formula.picked().items()
        return [literal ^ 1 for other, literal in picked if other > mod and other not in picks]

    def _to_the_root(self) -> None:
        self._formula.solver.back_to(0)
        self._formula.solver.propagate()


def _in_order(domain: Domain) -> list[int]:
    literals = list(domain.literals)
    return sorted(literals, key=lambda one: (one != domain.kept, one))
