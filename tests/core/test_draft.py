"""Edits of a draft: what undoing takes back, against a stack that is kept the plain way, and what is a surprise."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.draft.lines import in_order
from convoy_core.draft.parts import PartRule, as_patterns, as_rule
from convoy_core.draft.surprises import does_more, effects
from convoy_core.draft.taking_back import Done, next_to_redo, next_to_undo, taken_back
from convoy_core.lock.change_log import Change
from convoy_core.outside.claims import Claims, Part

CAME, WENT = Change("new", "New", "", "1", True), Change("old", "Old", "1", "", False)
UP, DOWN = Change("up", "Up", "1", "2", True), Change("down", "Down", "2", "1", True)


@given(st.lists(st.sampled_from(("do", "undo", "redo", "theirs")), max_size=30))
def test_undo_and_redo_are_stacks(presses: list[str]) -> None:
    edits: list[Done] = []
    done: list[int] = []  # what each standing edit of mine did, by the revision that it began with
    undone: list[int] = []
    began: dict[int, int] = {}
    for at, press in enumerate(presses, 1):
        newest = edits[::-1]
        undo, redo = next_to_undo(newest), next_to_redo(newest)
        assert (began[undo] if undo else None) == (done[-1] if done else None)
        assert (began[redo] if redo else None) == (undone[-1] if undone else None)
        if press == "do":
            edits.append(Done(at))
            began[at] = at
            done.append(at)
            undone.clear()
        elif press == "theirs":
            edits.append(Done(at, mine=False))
            began[at] = at
        elif press == "undo" and undo:
            edits.append(Done(at, undo))
            began[at] = began[undo]
            undone.append(done.pop())
        elif press == "redo" and redo:
            edits.append(Done(at, redo, again=True))
            began[at] = began[redo]
            done.append(undone.pop())
    gone = taken_back(edits[::-1])
    standing = {one.revision for one in edits if one.mine and one.takes_back is None} - gone
    assert standing == {one for one in done if one not in gone}


@pytest.mark.parametrize(
    ("named", "moved", "how", "more"),
    [
        ({"new"}, [CAME], {}, False),
        ({"up"}, [CAME, UP], {"adds": True}, False),
        ({"up"}, [CAME, UP], {}, True),
        ({"new"}, [CAME, DOWN], {"adds": True}, True),
        ({"new"}, [CAME, WENT], {"adds": True}, True),
        ({"x"}, [], {"lost": True}, True),
        ({"x"}, [], {"stays": True}, True),
        ({"x"}, [], {"other_build": True}, True),
    ],
)
def test_an_edit_that_does_more_than_it_says(
    named: set[str], moved: list[Change], how: dict[str, bool], more: bool
) -> None:
    assert does_more(named, moved, **how) is more


def test_what_an_edit_did_in_words() -> None:
    brought = Change("lib", "Lib", "", "1", False)
    assert effects([CAME, brought, WENT, UP, DOWN], 0) == "brings in 1, lets go of 1, moves 2, nothing breaks"
    assert effects([UP], 2) == "moves 1, leaves 2 lines without a build"
    assert (effects([CAME], 0), effects([], 0)) == ("nothing breaks", "")


def test_what_was_chosen_is_laid_down_after_what_came_along() -> None:
    assert in_order({"b": (0, 2), "a": (0, 5)}, {"z", "a", "b", "c"}) == ["c", "z", "b", "a"]


@given(
    st.lists(st.tuples(st.booleans(), st.integers(1, 3)), min_size=1, max_size=5),
    st.dictionaries(st.integers(0, 4), st.booleans(), max_size=4),
    st.lists(st.sampled_from(["**/*.old", "extras/**", "readme.txt"]), unique=True, max_size=2),
    st.lists(st.sampled_from(["data/**", "*.toml"]), unique=True, max_size=1),
)
def test_what_a_release_lays_down_is_said_again_by_a_rule(
    parts: list[tuple[bool, int]], named: dict[int, bool], gone: list[str], only: list[str]
) -> None:
    """Opened elsewhere, a pack lays down the same parts of the same builds."""
    claims = Claims(
        tuple(
            Part(f"p{at}", f"P{at}", tuple(f"f{at}-{number}" for number in range(folders)), default)
            for at, (default, folders) in enumerate(parts)
        )
    )
    rule = PartRule({f"p{at}": laid for at, laid in named.items() if at < len(parts)}, tuple(only), tuple(gone))
    laid = as_patterns(claims, rule)
    again = as_rule(claims, laid)
    assert as_patterns(claims, again) == laid
    assert set(again.named.items()) <= set(rule.named.items())
