"""Codes find every slip of one character and every swap of two, whatever the code."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.words.codes import ALPHABET, JOIN_LENGTH, PAIRING_LENGTH, make_code, read_code, show_code
from convoy_core.words.errors import BadCode
from convoy_core.words.names import UnreadableName, checked_name, look_of

seeds = st.integers(0, 2**32)
lengths = st.sampled_from([JOIN_LENGTH, PAIRING_LENGTH])


def made(seed: int, length: int) -> str:
    return make_code(length, random.Random(seed).choice)


@given(seeds, lengths)
def test_a_code_is_read_however_it_is_typed(seed: int, length: int) -> None:
    code = made(seed, length)
    for typed in (
        code,
        show_code(code),
        show_code(code).lower(),
        " " + " ".join(code),
        show_code(code).replace("-", "–"),
    ):
        assert read_code(typed, length) == code


@given(seeds, lengths, st.data())
def test_every_single_wrong_character_is_found(seed: int, length: int, data: st.DataObject) -> None:
    code = made(seed, length)
    at = data.draw(st.integers(0, length - 1))
    wrong = data.draw(st.sampled_from([one for one in ALPHABET if one != code[at]]))
    with pytest.raises(BadCode) as caught:
        read_code(code[:at] + wrong + code[at + 1 :], length)
    assert caught.value.data["slip"] == "check"


@given(seeds, lengths, st.data())
def test_every_swap_of_two_is_found(seed: int, length: int, data: st.DataObject) -> None:
    code = list(made(seed, length))
    one, other = data.draw(st.lists(st.integers(0, length - 1), min_size=2, max_size=2, unique=True))
    if code[one] == code[other]:
        return
    code[one], code[other] = code[other], code[one]
    with pytest.raises(BadCode):
        read_code("".join(code), length)


@pytest.mark.parametrize(
    ("typed", "slip"), [("", "length"), ("K7XM-42Q", "length"), ("K7XM-42QDD", "length"), ("KOXM-42QD", "letters")]
)
def test_a_slip_says_which_it_is(typed: str, slip: str) -> None:
    with pytest.raises(BadCode) as caught:
        read_code(typed, JOIN_LENGTH)
    assert caught.value.data["slip"] == slip


@pytest.mark.parametrize(
    ("name", "other"),
    [("Kestrel Wharf", "Kestrel Whаrf"), ("maren", "Maren"), ("wren", "vvren"), ("born", "bom"), ("tolliver",
    "to11iver"),
     ("сосо", "coco"), ("Éva", "eva"), ("a.b", "ab"), ("Οmega", "Omega")],
)  # fmt: skip
def test_names_that_nobody_tells_apart_look_the_same(name: str, other: str) -> None:
    assert look_of(name) == look_of(other)


def test_names_that_differ_look_different() -> None:
    names = ["maren", "marin", "tolliver", "Кестрел", "Wharf 2", "Wharf 3", "港の船", "Zoë", "Zoo"]
    assert len({look_of(name) for name in names}) == len(names)
    assert [checked_name(name) for name in names] == names


DISGUISED = ["ma\u200bren", "\u202enerem", "ｍaren", "Kestrel Whаrf", "...", "\u3164", "𝐦aren", "maren\u0600"]


@pytest.mark.parametrize("name", DISGUISED)
def test_a_name_that_shows_otherwise_than_it_is_written_is_refused(name: str) -> None:
    with pytest.raises(UnreadableName) as refused:
        checked_name(name)
    assert refused.value.what
