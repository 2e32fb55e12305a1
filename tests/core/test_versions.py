"""The order of versions, and ranges over it, against tables written by hand and laws that any order obeys."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.words.errors import MalformedInput
from convoy_core.words.ranges import ANY_VERSION, MAX_RANGE_LENGTH, parse_range
from convoy_core.words.versions import parse_version

ASCENDING = [
    # As SemVer 2.0 gives it, and as mods in the wild have it.
    ["1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-alpha.beta", "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11", "1.0.0-rc.1"],
    ["1.0.0-rc.1", "1.0.0", "1.0.1", "1.1", "1.10", "1.10.0.1", "2"],
    ["1.6.4.144", "1.6.4.145", "1.6.5"],
    ["0.2.4", "0.2.10", "v3", "v4", "2024-05-01", "2024-05-02", "2024-11-01"],
    ["2.1-1.0.7", "2.1-1.0.9", "2.1"],
    ["final", "0.0.1"],
]
EQUAL = [("1.0", "1.0.0"), ("v3", "3"), ("V3", "3.0"), ("1.2+77", "1.2+78"), ("1.0.0-beta.2+77", "1.0.0-beta.2")]


@pytest.mark.parametrize("row", ASCENDING, ids=lambda row: row[0])
def test_versions_stand_in_order(row: list[str]) -> None:
    versions = [parse_version(text) for text in row]
    assert versions == sorted(versions)
    assert len(set(versions)) == len(row)


@pytest.mark.parametrize(("one", "other"), EQUAL)
def test_what_is_the_same_version_is_equal(one: str, other: str) -> None:
    assert parse_version(one) == parse_version(other)
    assert hash(parse_version(one)) == hash(parse_version(other))


def test_text_that_is_no_version_goes_by_its_date() -> None:
    spring = parse_version("spring build", "2026-03-01")
    autumn = parse_version("an autumn build", "2026-10-01")
    assert spring < autumn < parse_version("0.0.1")


WILD = st.text("0123456789.-+vabz_ é", max_size=14)


@given(WILD, WILD, WILD)
def test_the_order_is_total(a: str, b: str, c: str) -> None:
    x, y, z = parse_version(a), parse_version(b), parse_version(c)
    assert (x < y) + (y < x) + (x == y) == 1
    if x <= y and y <= z:
        assert x <= z


@given(st.text(max_size=200))
def test_any_text_parses(text: str) -> None:
    assert parse_version(text).text == text


HOLDS = [
    (">=1.2, <2", ["1.2", "1.2.0", "1.99", "2.0.0-beta.1"], ["1.1.9", "2", "2.0", "1.2.0-rc.1"]),
    ("=1.4.1", ["1.4.1", "v1.4.1", "1.4.1.0"], ["1.4", "1.4.2"]),
    ("!=1.5.0", ["1.4", "2"], ["1.5", "1.5.0"]),
    ("*", ["0", "1.0.0-alpha", "nonsense"], []),
    ("<1 || >=3, !=3.1", ["0.9", "3", "3.2"], ["1", "2.9", "3.1"]),
    ("  >=1,<2  ", ["1.5"], ["2"]),
    (">1, <=1.5", ["1.0.1", "1.5"], ["1", "1.5.1"]),
]


@pytest.mark.parametrize(("text", "inside", "outside"), HOLDS, ids=[row[0] for row in HOLDS])
def test_a_range_holds_what_it_says(text: str, inside: list[str], outside: list[str]) -> None:
    wanted = parse_range(text)
    assert [one for one in inside if not wanted.holds(parse_version(one))] == []
    assert [one for one in outside if wanted.holds(parse_version(one))] == []


@pytest.mark.parametrize(
    "text", ["", "^1.2", "~1", "1.2", ">=", ">=1 <2", "[1,2)", ">=1,,<2", "1 - 2", "x" * 600, ">==1"]
)
def test_nothing_else_is_a_range(text: str) -> None:
    with pytest.raises(MalformedInput) as caught:
        parse_range(text)
    assert caught.value.sentence().endswith(".")


MEANT = {
    "<=1.x": "<2",
    "=1.*": ">=1, <2",
    "!=2.3.x": "<2.3 || >=2.4",
    ">1.9.X": ">=1.10",
    ">=2.*": ">=2",
    "<3.x.x": "<3",
    ">=latest": "* for any",
    "=newest": "* for any",
    "<autumn": "=autumn",
}


@pytest.mark.parametrize("text", MEANT)
def test_what_means_nothing_is_refused_with_what_is_meant(text: str) -> None:
    with pytest.raises(MalformedInput) as refused:
        parse_range(f">=0, {text}")
    assert f"Write {MEANT[text]}" in refused.value.now
    # What is proposed is a range itself.
    if text[-1] in "xX*":
        parse_range(MEANT[text])


def test_a_version_that_is_a_text_can_be_meant_exactly() -> None:
    assert parse_range("=autumn").holds(parse_version("autumn"))
    assert not parse_range("!=autumn").holds(parse_version("autumn"))


def test_a_range_reads_as_people_say_it() -> None:
    assert parse_range(">=1.2, <2").in_words() == "1.2 or newer, below 2"
    assert parse_range("=1 || =3").in_words() == "exactly 1 or exactly 3"


def test_only_an_exact_range_names_a_version() -> None:
    beta = parse_version("1.1.0-beta.2")
    assert parse_range("=1.1.0-beta.2").names(beta)
    assert not parse_range(">=1.1.0-beta.2").names(beta)


def test_ranges_are_said_in_words_and_what_is_none_is_named() -> None:
    said = {
        "*": "any", ">=1.2, <2": "1.2 or newer, below 2", "<=3": "3 or older", "!=1.5": "not 1.5", ">1": "newer than 1",
        "=1.4 || >2": "exactly 1.4 or newer than 2",
    }  # fmt: skip
    assert {text: parse_range(text).in_words() for text in said} == said
    assert parse_range(">5 || *").holds(parse_version("1")) and parse_range(" * ") is ANY_VERSION
    with pytest.raises(MalformedInput) as refused:
        parse_range("<2, about 1")
    told = (
        "“<2, about 1” is no version range. “about 1” is not a comparator with a version. Write for example >=1.2, <2."
    )
    assert refused.value.sentence() == told
    longest = "=" + "1" * (MAX_RANGE_LENGTH - 1)
    assert parse_range(longest).text == longest
    with pytest.raises(MalformedInput, match="A version range is too long"):
        parse_range(longest + "1")
