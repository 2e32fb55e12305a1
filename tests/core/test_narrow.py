"""Narrowing: planted culprits are found, none that could be spared, in few tries, and no set lacks a need."""

import random
from collections.abc import Callable
from math import ceil, log2

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.narrow import Answered, Found, Outcome, Suspects, asked, narrow, tries_for_one
from convoy_core.words.errors import MalformedInput

Try = Callable[[tuple[str, ...]], Outcome]


def run(suspects: Suspects, go: Try, chance: float = 1.0) -> Found:
    search = narrow(suspects, chance)
    try:
        wanted = next(search)
        while True:
            there = set(wanted)
            assert all(set(suspects.needs.get(mod, ())) <= there for mod in there), "a need was left out"
            wanted = search.send(go(wanted))
    except StopIteration as end:
        return end.value


def failing(*planted: set[str]) -> Try:
    return lambda mods: Outcome.FAILS if any(one <= set(mods) for one in planted) else Outcome.WORKS


@st.composite
def suspected(draw: st.DrawFn) -> Suspects:
    mods = [f"m{at}" for at in range(draw(st.integers(1, 24)))]
    needs = draw(st.dictionaries(st.sampled_from(mods), st.lists(st.sampled_from(mods), max_size=3), max_size=12))
    return Suspects(tuple(mods), needs)


@given(suspected(), st.data())
def test_what_is_found_fails_and_none_of_it_can_be_spared(suspects: Suspects, data: st.DataObject) -> None:
    some = st.sets(st.sampled_from(suspects.mods), max_size=3)
    planted = data.draw(st.lists(some, min_size=1, max_size=3))
    go = failing(*planted)
    found = run(suspects, go)
    assert found.fails and found.sure == 1.0

    def with_needs(mods: tuple[str, ...]) -> Outcome:
        units = suspects.closed(suspects.unit_of[mod] for mod in mods)
        return go(suspects.mods_of(units))

    assert with_needs(found.culprits) is Outcome.FAILS
    for one in found.culprits:
        assert with_needs(tuple(mod for mod in found.culprits if mod != one)) is Outcome.WORKS
    rest = suspects.without(suspects.unit_of[mod] for mod in found.culprits)
    assert found.without_it_works == (go(suspects.mods_of(rest)) is Outcome.WORKS)
    many = max(1, len(found.culprits))
    assert found.tries <= many * (ceil(log2(len(suspects.mods))) + 2) + 4 + many


@pytest.mark.parametrize("planted", [{"m17"}, {"m3", "m100"}, {"m3", "m64", "m119"}])
def test_of_120_mods_a_culprit_takes_seven_halvings(planted: set[str]) -> None:
    suspects = Suspects(tuple(f"m{at}" for at in range(120)), {})
    found = run(suspects, failing(planted))
    assert set(found.culprits) == planted and found.without_it_works
    assert found.tries <= (11, 22, 31)[len(planted) - 1] and tries_for_one(120) == 11


def test_a_fault_that_shows_at_times_is_found_and_said_how_sure() -> None:
    chance, wrong, sure = random.Random(7), 0, 0.0
    suspects = Suspects(tuple(f"m{at}" for at in range(60)), {"m9": ["m40"]})
    for _ in range(60):
        planted = set(chance.sample(suspects.mods, chance.choice((1, 1, 2))))

        def go(mods: tuple[str, ...], planted: set[str] = planted) -> Outcome:
            return Outcome.FAILS if planted <= set(mods) and chance.random() < 0.3 else Outcome.WORKS

        found = run(suspects, go, 0.3)
        sure += found.sure
        wrong += set(found.culprits) != planted
    assert wrong <= 2 and sure / 60 > 0.95


@given(suspected(), st.integers(0, 2**32))
def test_undecided_tries_end_all_the_same(suspects: Suspects, seed: int) -> None:
    chance, planted = random.Random(seed), {suspects.mods[seed % len(suspects.mods)]}

    def go(mods: tuple[str, ...]) -> Outcome:
        if 0 < len(mods) < len(suspects.mods) and chance.random() < 0.4:
            return Outcome.UNDECIDED
        return failing(planted)(mods)

    found = run(suspects, go)
    assert found.fails
    if found.sure == 1.0 and found.without_it_works:
        assert set(found.culprits) & set(suspects.mods_of(suspects.closed([suspects.unit_of[next(iter(planted))]])))


def test_what_fails_with_nothing_and_what_does_not_fail() -> None:
    suspects = Suspects(("a", "b"), {"a": ["b"], "b": ["a"]})
    assert run(suspects, failing(set())) == Found((), 2, False, 1.0)
    assert run(suspects, failing({"c"})) == Found((), 1, None, 1.0, fails=False)
    found = run(suspects, failing({"b"}))
    assert found.culprits == ("a",), "of two that need each other one is named"
    for mods, needs in ((("a", "a"), {}), (("a",), {"a": ["b"]}), (("a",), {"b": []})):
        with pytest.raises(MalformedInput):
            Suspects(mods, needs)


@given(suspected(), st.data())
def test_what_is_asked_of_a_person_is_the_search_and_an_answer_taken_back_asks_the_same(
    suspects: Suspects, data: st.DataObject
) -> None:
    """Step by step, from nothing but the answers; in whichever order they are kept."""
    go = failing(data.draw(st.sets(st.sampled_from(suspects.mods), max_size=3)))
    answers: list[Answered] = []
    questions = [asked(suspects, answers)]
    while (mods := questions[-1].mods) is not None:
        assert questions[-1].left >= 1
        answers.append(Answered(frozenset(mods), go(mods)))
        questions.append(asked(suspects, answers))
    assert questions[-1].found == run(suspects, go) and questions[-1].left == 0
    at = data.draw(st.integers(0, len(answers)))
    assert asked(suspects, answers[:at]) == questions[at]
    assert asked(suspects, data.draw(st.permutations(answers))) == questions[-1]


def test_answers_that_were_given_before_somebody_said_sometimes_count_on() -> None:
    """Of a set that failed once nothing more is asked; one that worked is asked again, so often that it is sure."""
    suspects = Suspects(tuple(f"m{at}" for at in range(16)), {})
    everything, nothing = frozenset(suspects.mods), frozenset[str]()
    answers = [Answered(everything, Outcome.FAILS), Answered(nothing, Outcome.WORKS)]
    again = asked(suspects, answers, chance=0.5)
    assert again.mods == () and again.left > asked(suspects, answers).left
    repeats = 1
    while asked(suspects, answers, chance=0.5).mods == ():
        answers.append(Answered(nothing, Outcome.WORKS))
        repeats += 1
    assert 8 <= repeats <= 12
