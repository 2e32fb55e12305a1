"""Yes-or-no search with learning: clauses over literals, answered by a model or by the assumptions that cannot stand.

Conflict-driven clause learning, as in the literature on satisfiability (watched literals, first unique implication
point, backjumping), with two things of its own: clauses may be added lazily, at the moment a literal comes true
(`lazy`), and of each registered group at most one literal is true. It knows nothing of mods.

A literal is an int: 2 * variable when positive, 2 * variable + 1 when negated, so `literal ^ 1` is its opposite.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

Clause = list[int]
Reason = Clause | int | None
"""Why a literal holds: a clause whose other literals are false, one literal that implies it, or a decision."""

TRUE, OPEN, FALSE = 1, 0, -1

FAR_JUMP = 10
"""Levels. A conflict that would undo more of them undoes one only."""


class OutOfEffort(Exception):
    """The search used up its effort. The caller decides what that means."""


class Solver:
    """Clauses, and the trail of literals that hold now.

    `decide` is called when nothing follows any more; it returns a literal to try, or None when the model is complete.
    `lazy` is called once for each literal registered with it, when that literal first comes true.
    """

    def __init__(self, decide: Callable[[], int | None], lazy: Callable[[int], None], max_effort: int) -> None:
        self.values: list[int] = [OPEN, OPEN]
        self.levels: list[int] = [0]
        self.trail: list[int] = []
        self.scanned = 0
        """How far `decide` has walked along the trail; set back together with it."""
        self.effort_left = max_effort
        """Literals and clauses that may still be looked at: time, in a measure that is the same on every machine."""
        self.conflicts = 0
        self.impossible = False
        """The clauses alone, without any assumption, cannot stand."""
        self._pending: Clause | None = None
        self._placed: Sequence[int] = ()
        self._decide = decide
        self._lazy = lazy
        self._is_lazy: set[int] = set()
        self._reasons: list[Reason] = [None]
        self._implied: list[list[int]] = [[], []]
        self._watching: list[list[Clause]] = [[], []]
        self._groups: list[Sequence[int]] = [()]
        self._spread: list[bool] = [False]
        self._limits: list[tuple[int, int]] = []
        self._head = 0

    # Building

    def variable(self) -> int:
        """A new variable, as its positive literal."""
        self.values += (OPEN, OPEN)
        self._implied += ([], [])
        self._watching += ([], [])
        self.levels.append(0)
        self._reasons.append(None)
        self._groups.append(())
        self._spread.append(False)
        return len(self.values) - 2

    def group(self, size: int, spread: bool) -> range:
        """New variables of which at most one is true, as their positive literals in order.

        `spread`: one that comes true makes the others false at once. Without it a second one is found as a conflict
        only, which is far cheaper; enough where other clauses exclude most of them anyway.
        """
        literals = range(len(self.values), len(self.values) + 2 * size, 2)
        self.values += [OPEN] * (2 * size)
        self._implied += [[] for _ in range(2 * size)]
        self._watching += [[] for _ in range(2 * size)]
        self.levels += [0] * size
        self._reasons += [None] * size
        self._groups += [literals if size > 1 else ()] * size
        self._spread += [spread] * size
        return literals

    def expand_later(self, literals: Iterable[int]) -> None:
        """`lazy` is to be called when one of these first comes true."""
        self._is_lazy.update(literals)

    def implies(self, literal: int, other: int) -> None:
        """If `literal`, then `other`. Takes effect at once when `literal` holds already."""
        self._implied[literal].append(other)
        self._implied[other ^ 1].append(literal ^ 1)
        if self.values[literal] == TRUE and self.values[other] != TRUE:
            self._late((other, literal ^ 1))
        elif self.values[other] == FALSE and self.values[literal] != FALSE:
            self._late((literal ^ 1, other))

    def add(self, literals: Iterable[int]) -> None:
        """At least one of these. May be called at any time, also while propagating."""
        clause = list(dict.fromkeys(literals))
        if len(clause) == 1:
            if self.values[clause[0]] != TRUE or self._limits:
                self._late(clause)
            return
        if len(clause) == 2:
            self.implies(clause[0] ^ 1, clause[1])
            return
        clause.sort(key=self._watch_worth, reverse=True)
        if len(clause) > 2:
            self._watching[clause[0]].append(clause)
            self._watching[clause[1]].append(clause)
        if not clause or self.values[clause[1]] == FALSE:
            self._late(clause)

    def _watch_worth(self, literal: int) -> int:
        value = self.values[literal]
        return self.levels[literal >> 1] if value == FALSE else 1 << 60

    def _late(self, clause: Sequence[int]) -> None:
        """A clause that came when all but its first literal were false: its first one follows, or it is a conflict."""
        if not clause:
            self.impossible = True
        elif self.values[clause[0]] == OPEN:
            self._hold(clause[0], list(clause))
        elif self.values[clause[0]] == FALSE:
            self._pending = list(clause)
            self.impossible = self.impossible or all(self.levels[one >> 1] == 0 for one in clause)
            if len(clause) == 1:
                # Going back forgets what is pending: its opposite is to be a conflict from here on.
                self._implied[clause[0] ^ 1].append(clause[0])
        elif len(clause) == 1:
            # It holds by chance at present, and from here on as a fact.
            self.levels[clause[0] >> 1] = 0
            self._reasons[clause[0] >> 1] = list(clause)

    # Solving

    def solve(self, assumptions: Sequence[int]) -> list[int] | None:
        """None when a model was found (it stays on the trail); else the assumptions that cannot stand together.

        The trail of an earlier call is kept as far as its assumptions are the same. Raises OutOfEffort.
        """
        self._keep_common(assumptions)
        while not self.impossible:
            conflict = self.propagate()
            if conflict is not None:
                self._learn(conflict)
                continue
            literal = self._next(assumptions)
            if literal is None:
                return None
            if self.values[literal] == FALSE:
                return self._blamed(literal)
            if self.effort_left < 0:
                raise OutOfEffort
            self._limits.append((len(self.trail), self.scanned))
            if self.values[literal] == OPEN:
                self._hold(literal, None)
        return []

    def _next(self, assumptions: Sequence[int]) -> int | None:
        level = len(self._limits)
        self._placed = assumptions
        return assumptions[level] if level < len(assumptions) else self._decide()

    def _keep_common(self, assumptions: Sequence[int]) -> None:
        same = 0
        for old, new in zip(self._placed, assumptions, strict=False):
            if old != new:
                break
            same += 1
        self.back_to(min(same, len(self._limits)))

    def propagate(self) -> Clause | None:
        """All that follows from what holds. Returns a clause that is false now, if any."""
        if self._pending is not None:
            conflict, self._pending = self._pending, None
            return conflict
        trail, values, implied, groups = self.trail, self.values, self._implied, self._groups
        while self._head < len(trail):
            literal = trail[self._head]
            self._head += 1
            self.effort_left -= 1 + len(implied[literal])
            for other in implied[literal]:
                if values[other] == OPEN:
                    self._hold(other, literal)
                elif values[other] == FALSE:
                    return [other, literal ^ 1]
            if not literal & 1:
                for other in groups[literal >> 1]:
                    if values[other] == TRUE and other != literal:
                        return [other ^ 1, literal ^ 1]
                    if values[other] == OPEN and self._spread[literal >> 1]:
                        self._hold(other ^ 1, literal)
                if literal in self._is_lazy:
                    self._is_lazy.discard(literal)
                    self._lazy(literal)
            found = self._pending or self._visit_watchers(literal ^ 1)
            if found is not None:
                self._pending = None
                return found
        return None

    def _visit_watchers(self, false: int) -> Clause | None:
        values, watching = self.values, self._watching
        old = watching[false]
        if not old:
            return None
        self.effort_left -= len(old)
        kept = watching[false] = []
        for index, clause in enumerate(old):
            if clause[0] == false:
                clause[0], clause[1] = clause[1], false
            if values[clause[0]] == TRUE:
                kept.append(clause)
                continue
            for place in range(2, len(clause)):
                if values[clause[place]] != FALSE:
                    clause[1], clause[place] = clause[place], false
                    watching[clause[1]].append(clause)
                    break
            else:
                kept.append(clause)
                if values[clause[0]] == FALSE:
                    kept += old[index + 1 :]
                    return clause
                self._hold(clause[0], clause)
        return None

    def _hold(self, literal: int, reason: Reason) -> None:
        """A literal comes true, at the level at which its reason became complete: that may be an earlier one."""
        levels = self.levels
        self.values[literal] = TRUE
        self.values[literal ^ 1] = FALSE
        if isinstance(reason, int):
            levels[literal >> 1] = levels[reason >> 1]
        elif reason is None:
            levels[literal >> 1] = len(self._limits)
        elif len(reason) == 1:
            levels[literal >> 1] = 0
        else:
            levels[literal >> 1] = max([levels[one >> 1] for one in reason if one != literal])
        self._reasons[literal >> 1] = reason
        self.trail.append(literal)

    def back_to(self, level: int) -> None:
        """Undo every decision after the first `level` ones, and what followed; what does not hang on them stays."""
        if level >= len(self._limits):
            return
        length, self.scanned = self._limits[level]
        del self._limits[level:]
        staying = [literal for literal in self.trail[length:] if self.levels[literal >> 1] <= level]
        for literal in self.trail[length:]:
            self.values[literal] = self.values[literal ^ 1] = OPEN
        for literal in staying:
            self.values[literal] = TRUE
            self.values[literal ^ 1] = FALSE
        self.trail[length:] = staying
        self._head = min(self._head, length)
        self._pending = None

    def _learn(self, conflict: Clause) -> None:
        self.conflicts += 1
        highest = max(self.levels[literal >> 1] for literal in conflict)
        if highest == 0:
            self.impossible = True
            return
        self.back_to(highest)
        learned = self._first_point(conflict, highest)
        level = max((self.levels[literal >> 1] for literal in learned[1:]), default=0)
        # Far jumps would undo work that has nothing to do with the conflict (Nadel and Ryvchin, 2018).
        self.back_to(level if highest - level <= FAR_JUMP else highest - 1)
        self.add(learned)

    def _first_point(self, conflict: Clause, level: int) -> Clause:
        """The learned clause; its first literal is the only one of the highest level."""
        seen: set[int] = set()
        learned: Clause = []
        self.effort_left -= len(self.trail) >> 3
        here, at = 0, len(self.trail)
        because: Iterable[int] = conflict
        while True:
            for literal in because:
                variable = literal >> 1
                if variable in seen or self.levels[variable] == 0:
                    continue
                seen.add(variable)
                if self.levels[variable] == level:
                    here += 1
                else:
                    learned.append(literal)
            while True:
                at -= 1
                if self.trail[at] >> 1 in seen and self.levels[self.trail[at] >> 1] == level:
                    break
            here -= 1
            if here == 0:
                return [self.trail[at] ^ 1, *learned]
            because = self._because(self.trail[at])

    def _because(self, literal: int) -> Iterable[int]:
        """The false literals from which a literal followed."""
        reason = self._reasons[literal >> 1]
        if reason is None:
            return ()
        return (reason ^ 1,) if isinstance(reason, int) else (other for other in reason if other != literal)

    def _blamed(self, assumption: int) -> list[int]:
        """The assumptions, this one among them, from which its opposite followed."""
        found, wanted = [assumption], {assumption >> 1}
        for literal in reversed(self.trail):
            if literal >> 1 not in wanted:
                continue
            wanted.discard(literal >> 1)
            if self._reasons[literal >> 1] is None and literal != assumption ^ 1:
                found.append(literal)
            wanted.update(other >> 1 for other in self._because(literal) if self.levels[other >> 1] > 0)
            if not wanted:
                break
        return found
