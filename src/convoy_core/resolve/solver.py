"""Yes-or-no search with learning: clauses over literals, answered by a model or by the assumptions that cannot stand.

Conflict-driven clause learning, as in the literature on satisfiability (watched literals, first unique implication
point, backjumping), with two things of its own: clauses may be added lazily, at the moment a literal comes true
(`lazy`), and of each registered group at most one literal is true. It knows nothing of mods.

A literal is an int: 2 * variable when positive, 2 * variable + 1 when negated, so `literal ^ 1` is its opposite.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Final

Clause = list[int]
Reason = Clause | int | None
"""Why a literal holds: a clause whose other literals are false, one literal that implies it, or a decision."""

TRUE: Final = 1
OPEN: Final = 0
FALSE: Final = -1

FAR_JUMP: Final = 10
"""Levels. A conflict that would undo more of them undoes one only."""

FAR_BACK: Final = 50
"""Steps along which a literal of a learned clause is followed back: needs may go on for thousands of mods."""


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
        self._placed: tuple[int, ...] = ()
        self._decide = decide
        self._lazy = lazy
        # Per variable; a group is the literals from its first to before its last, and none has no length.
        self._is_lazy: list[bool] = [False]
        self._reasons: list[Reason] = [None]
        self._group_first: list[int] = [0]
        self._group_end: list[int] = [0]
        self._spread: list[bool] = [False]
        # Per literal; most never imply anything and are never watched.
        self._implied: list[list[int] | None] = [None, None]
        self._watching: list[list[Clause] | None] = [None, None]
        self._limits: list[tuple[int, int]] = []
        self._head = 0

    # Building

    def variable(self) -> int:
        """A new variable, as its positive literal."""
        literal = len(self.values)
        self.values.append(OPEN)
        self.values.append(OPEN)
        self._implied.append(None)
        self._implied.append(None)
        self._watching.append(None)
        self._watching.append(None)
        self.levels.append(0)
        self._reasons.append(None)
        self._group_first.append(literal)
        self._group_end.append(literal)
        self._spread.append(False)
        self._is_lazy.append(False)
        return literal

    def group(self, size: int, spread: bool, lazy: bool = False) -> range:
        """New variables of which at most one is true, as their positive literals in order.

        `spread`: one that comes true makes the others false at once. Without it a second one is found as a conflict
        only, which is far cheaper; enough where other clauses exclude most of them anyway. `lazy`: the callback is to
        be called when one of them first comes true.
        """
        first = len(self.values)
        end = first + 2 * size
        self.values += [OPEN] * (2 * size)
        self._implied += [None] * (2 * size)
        self._watching += [None] * (2 * size)
        self.levels += [0] * size
        self._reasons += [None] * size
        self._group_first += [first] * size
        self._group_end += [end if size > 1 else first] * size
        self._spread += [spread] * size
        self._is_lazy += [lazy] * size
        return range(first, end, 2)

    def implies(self, literal: int, other: int) -> None:
        """If `literal`, then `other`. Takes effect at once when `literal` holds already."""
        self._note(literal, other)
        self._note(other ^ 1, literal ^ 1)
        values = self.values
        if values[literal] == TRUE and values[other] != TRUE:
            self._late([other, literal ^ 1])
        elif values[other] == FALSE and values[literal] != FALSE:
            self._late([literal ^ 1, other])

    def _note(self, literal: int, other: int) -> None:
        follows = self._implied[literal]
        if follows is None:
            self._implied[literal] = [other]
        else:
            follows.append(other)

    def _watch(self, literal: int, clause: Clause) -> None:
        watching = self._watching[literal]
        if watching is None:
            self._watching[literal] = [clause]
        else:
            watching.append(clause)

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
            self._watch(clause[0], clause)
            self._watch(clause[1], clause)
        if not clause or self.values[clause[1]] == FALSE:
            self._late(clause)

    def _watch_worth(self, literal: int) -> int:
        value = self.values[literal]
        return self.levels[literal >> 1] if value == FALSE else 1 << 60

    def _late(self, clause: Clause) -> None:
        """A clause that came when all but its first literal were false: its first one follows, or it is a conflict."""
        if not clause:
            self.impossible = True
        elif self.values[clause[0]] == OPEN:
            self._hold(clause[0], clause)
        elif self.values[clause[0]] == FALSE:
            self._pending = clause
            self.impossible = self.impossible or all(self.levels[one >> 1] == 0 for one in clause)
            if len(clause) == 1:
                # Going back forgets what is pending: its opposite is to be a conflict from here on.
                self._note(clause[0] ^ 1, clause[0])
        elif len(clause) == 1:
            # It holds by chance at present, and from here on as a fact.
            self.levels[clause[0] >> 1] = 0
            self._reasons[clause[0] >> 1] = clause

    # Solving

    def solve(self, assumptions: tuple[int, ...]) -> list[int] | None:
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

    def _next(self, assumptions: tuple[int, ...]) -> int | None:
        level = len(self._limits)
        self._placed = assumptions
        return assumptions[level] if level < len(assumptions) else self._decide()

    def _keep_common(self, assumptions: tuple[int, ...]) -> None:
        same = 0
        for old, new in zip(self._placed, assumptions, strict=False):
            if old != new:
                break
            same += 1
        self.back_to(min(same, len(self._limits)))

    def propagate(self) -> Clause | None:
        """All that follows from what holds. Returns a clause that is false now, if any."""
        conflict = self._take_pending()
        trail, values, implied = self.trail, self.values, self._implied
        while conflict is None and self._head < len(trail):
            literal = trail[self._head]
            self._head += 1
            follows = implied[literal]
            if follows is not None:
                self.effort_left -= len(follows)
                for other in follows:
                    value = values[other]
                    if value == OPEN:
                        self._hold(other, literal)
                    elif value == FALSE:
                        return [other, literal ^ 1]
            self.effort_left -= 1
            if not literal & 1:
                other = self._close_group(literal)
                if other:
                    return [other ^ 1, literal ^ 1]
                if self._is_lazy[literal >> 1]:
                    self._is_lazy[literal >> 1] = False
                    self._lazy(literal)
            conflict = self._take_pending()
            if conflict is None and self._watching[literal ^ 1] is not None:
                conflict = self._visit_watchers(literal ^ 1)
        return conflict

    def _take_pending(self) -> Clause | None:
        found, self._pending = self._pending, None
        return found

    def _close_group(self, literal: int) -> int:
        """The others of its group are false; returns one that is true, or 0."""
        values, variable = self.values, literal >> 1
        spread = self._spread[variable]
        for other in range(self._group_first[variable], self._group_end[variable], 2):
            if values[other] == TRUE:
                if other != literal:
                    return other
            elif spread and values[other] == OPEN:
                self._hold(other ^ 1, literal)
        return 0

    def _visit_watchers(self, false: int) -> Clause | None:
        values, watching = self.values, self._watching
        old = watching[false]
        assert old is not None
        self.effort_left -= len(old)
        kept: list[Clause] = []
        watching[false] = kept
        for index in range(len(old)):
            clause = old[index]
            first = clause[0]
            if first == false:
                first = clause[1]
                clause[0], clause[1] = first, false
            if values[first] == TRUE:
                kept.append(clause)
                continue
            for place in range(2, len(clause)):
                other = clause[place]
                if values[other] != FALSE:
                    clause[1], clause[place] = other, false
                    self._watch(other, clause)
                    break
            else:
                kept.append(clause)
                if values[first] == FALSE:
                    kept += old[index + 1 :]
                    return clause
                self._hold(first, clause)
        return None

    def _hold(self, literal: int, reason: Reason) -> None:
        """A literal comes true, at the level at which its reason became complete: that may be an earlier one."""
        levels = self.levels
        self.values[literal] = TRUE
        self.values[literal ^ 1] = FALSE
        if reason is None:
            level = len(self._limits)
        elif isinstance(reason, int):
            level = levels[reason >> 1]
        else:
            level = 0
            for one in reason:
                if one != literal and levels[one >> 1] > level:
                    level = levels[one >> 1]
        levels[literal >> 1] = level
        self._reasons[literal >> 1] = reason
        self.trail.append(literal)

    def back_to(self, level: int) -> None:
        """Undo every decision after the first `level` ones, and what followed; what does not hang on them stays."""
        if level >= len(self._limits):
            return
        length, self.scanned = self._limits[level]
        del self._limits[level:]
        trail, values, levels = self.trail, self.values, self.levels
        staying = length
        for at in range(length, len(trail)):
            literal = trail[at]
            if levels[literal >> 1] <= level:
                trail[staying] = literal
                staying += 1
            else:
                values[literal] = values[literal ^ 1] = OPEN
        del trail[staying:]
        if self._head > length:
            self._head = length
        self._pending = None

    def _learn(self, conflict: Clause) -> None:
        self.conflicts += 1
        levels = self.levels
        highest = 0
        for literal in conflict:
            highest = max(highest, levels[literal >> 1])
        if highest == 0:
            self.impossible = True
            return
        self.back_to(highest)
        learned = self._first_point(conflict, highest)
        level = 0
        for literal in learned[1:]:
            level = max(level, levels[literal >> 1])
        # Far jumps would undo work that has nothing to do with the conflict (Nadel and Ryvchin, 2018).
        self.back_to(level if highest - level <= FAR_JUMP else highest - 1)
        self.add(learned)

    def _first_point(self, conflict: Clause, level: int) -> Clause:
        """The learned clause; its first literal is the only one of the highest level."""
        levels, trail = self.levels, self.trail
        seen: set[int] = set()
        learned: Clause = []
        self.effort_left -= len(trail) >> 3
        here, at = 0, len(trail)
        because = conflict
        while True:
            for literal in because:
                variable = literal >> 1
                if levels[variable] == 0 or variable in seen:
                    continue
                seen.add(variable)
                if levels[variable] == level:
                    here += 1
                else:
                    learned.append(literal)
            while True:
                at -= 1
                variable = trail[at] >> 1
                if levels[variable] == level and variable in seen:
                    break
            here -= 1
            if here == 0:
                return [trail[at] ^ 1, *self._without_implied(learned)]
            because = self._because(trail[at])

    def _without_implied(self, learned: Clause) -> Clause:
        """Without literals that are false only as others of the clause are (Soerensson and Biere, 2009)."""
        known: dict[int, bool] = {literal >> 1: True for literal in learned}
        return [literal for literal in learned if not self._is_implied(literal, known, FAR_BACK)]

    def _is_implied(self, literal: int, known: dict[int, bool], steps: int) -> bool:
        """Whether a false literal follows from the clause's own in so many steps; `known` keeps what was found out."""
        because = self._because(literal ^ 1)
        if not because or steps == 0:
            return False
        for other in because:
            variable = other >> 1
            if self.levels[variable] == 0:
                continue
            found = known.get(variable)
            if found is None:
                found = self._is_implied(other, known, steps - 1)
                known[variable] = found
            if not found:
                return False
        return True

    def _because(self, literal: int) -> Clause:
        """The false literals from which a literal followed."""
        reason = self._reasons[literal >> 1]
        if reason is None:
            return []
        if isinstance(reason, int):
            return [reason ^ 1]
        return [other for other in reason if other != literal]

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
