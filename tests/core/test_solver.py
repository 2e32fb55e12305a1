"""The yes-or-no search by itself: against truth tables, with clauses that come late, groups, and assumptions."""

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from convoy_core.resolve.smallest import smallest
from convoy_core.resolve.solver import FALSE, OPEN, TRUE, OutOfEffort, Solver

VARIABLES = 6
literals = st.integers(0, 2 * VARIABLES - 1)
clauses = st.lists(st.lists(literals, min_size=1, max_size=4), max_size=22)


def solver(effort: int = 10**6) -> tuple[Solver, list[int]]:
    """A solver that decides the first open variable, and its variables' positive literals."""
    made: list[int] = []

    def decide() -> int | None:
        return next((one for one in made if search.values[one] == OPEN), None)

    search = Solver(decide, lambda literal: None, effort)
    made += [search.group(1, spread=False, lazy=True).start for _ in range(VARIABLES)]
    return search, made


def models(rows: list[list[int]], given: list[int] = ()) -> list[tuple[bool, ...]]:
    """Every assignment that satisfies all clauses; a literal is 2 * variable, plus 1 when negated."""

    def holds(assignment: tuple[bool, ...], literal: int) -> bool:
        return assignment[literal >> 1] != bool(literal & 1)

    every = itertools.product([True, False], repeat=VARIABLES)
    return [
        one
        for one in every
        if all(any(holds(one, x) for x in row) for row in rows) and all(holds(one, x) for x in given)
    ]


def shifted(rows: list[list[int]], variables: list[int]) -> list[list[int]]:
    return [[variables[one >> 1] + (one & 1) for one in row] for row in rows]


@settings(max_examples=300)
@given(clauses)
def test_it_answers_as_the_truth_table_does(rows: list[list[int]]) -> None:
    search, variables = solver()
    for row in shifted(rows, variables):
        search.add(row)
    answer = search.solve(())
    assert (answer is None) == bool(models(rows))
    if answer is None:
        model = tuple(search.values[one] == TRUE for one in variables)
        assert model in models(rows)


@settings(max_examples=300)
@given(clauses, st.lists(literals, max_size=5, unique_by=lambda one: one >> 1), st.lists(literals, max_size=4))
def test_blamed_assumptions_cannot_stand_and_the_solver_goes_on(
    rows: list[list[int]], assumed: list[int], later: list[int]
) -> None:
    search, variables = solver()
    for row in shifted(rows, variables):
        search.add(row)
    for these in (assumed, assumed[:2], [], list(dict.fromkeys(later[:1])), assumed):
        wanted = [variables[one >> 1] + (one & 1) for one in these]
        blamed = search.solve(tuple(wanted))
        assert (blamed is None) == bool(models(rows, these))
        if blamed is not None:
            assert set(blamed) <= set(wanted)
            back = [2 * variables.index(one & ~1) + (one & 1) for one in blamed]
            assert not models(rows, back)


@settings(max_examples=200)
@given(clauses, clauses)
def test_clauses_may_come_in_the_middle_of_a_search(rows: list[list[int]], late: list[list[int]]) -> None:
    search, variables = solver()
    waiting = shifted(late, variables)
    search._lazy = lambda literal: search.add(waiting.pop()) if waiting else None
    for row in shifted(rows, variables):
        search.add(row)
    answer = search.solve(())
    came = late[len(waiting) :]
    assert (answer is None) == bool(models(rows + came))
    if answer is None:
        assert tuple(search.values[one] == TRUE for one in variables) in models(rows + came)


@pytest.mark.parametrize("spread", [True, False])
def test_of_a_group_at_most_one_holds(spread: bool) -> None:
    search, decided = solver()
    group = search.group(4, spread)
    decided += group
    search.add([group[1], group[2]])
    search.add([group[2], group[3]])
    assert search.solve((group[1],)) is not None
    assert search.solve((group[2],)) is None
    assert [search.values[one] == TRUE for one in group] == [False, False, True, False]
    search.add([group[2] ^ 1])
    assert search.solve(()) == []
    assert search.impossible


def test_a_fact_found_in_the_middle_outlives_going_back() -> None:
    search, (a, b, c, *_) = solver()
    search.add([a ^ 1, b])
    search.add([a ^ 1, b ^ 1])
    assert search.solve((c,)) is None
    search.back_to(0)
    assert search.values[a] == FALSE


def test_effort_is_bounded() -> None:
    """Seven pigeons in six holes: no short proof by this kind of search."""
    search, _ = solver(effort=3_000)
    holes = [[search.variable() for _ in range(6)] for _ in range(7)]
    for pigeon in holes:
        search.add(pigeon)
    for hole in range(6):
        for one, other in itertools.combinations(holes, 2):
            search.add([one[hole] ^ 1, other[hole] ^ 1])
    with pytest.raises(OutOfEffort):
        search._decide = lambda: next((x for row in holes for x in row if search.values[x] == OPEN), None)
        search.solve(())


@given(st.lists(st.sets(st.integers(0, 30), min_size=1, max_size=5), min_size=1, max_size=4), st.randoms())
def test_the_smallest_part_is_the_same_whichever_culprits_are_named(clashes: list[set[int]], chance) -> None:
    """As plain trying finds it: from the last on each goes that can. The better is named, the fewer are the tries."""
    tried = 0

    def blamed(part):
        nonlocal tried
        tried += 1
        whole = [clash for clash in clashes if clash <= set(part)]
        spare = [one for one in part if chance.random() < 0.3]
        return {*chance.choice(whole), *spare} if whole else None

    left = list(range(31))
    for one in range(30, -1, -1):
        without = [other for other in left if other != one]
        left = without if any(clash <= set(without) for clash in clashes) else left
    assert smallest(range(31), blamed) == left
    assert tried <= 1 + 31
    assert smallest([1, 2], lambda part: None) == []
