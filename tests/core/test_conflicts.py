"""Laying builds over each other, and what is lost there: against brute force, over random layers, winners and lists."""

import tomllib
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.conflicts.clashes import compare
from convoy_core.conflicts.laying import Layer, Meeting, Parts, lay
from convoy_core.conflicts.set_aside import MAX_LINES, caught_by, read_list
from convoy_core.conflicts.wire import as_json, read_conflict_problem
from convoy_core.outside.catcher import MOST_ALIKE, Catcher
from convoy_core.outside.patterns import matcher
from convoy_core.settings.formats import UnreadableSettings, open_settings, read_tree
from convoy_core.words.errors import MalformedInput

PATHS = [f"{folder}{name}" for folder in ("", "data/", "data/deep/", "other/") for name in ("a.toml", "b.txt")]
PATTERNS = ["data/**", "**/a.toml", "*.txt", "data/*/b.txt", "other/b.txt", "**/deep/**", "d*/**.toml", "**a**", "*/*"]

files = st.dictionaries(st.sampled_from(PATHS), st.sampled_from("123"), max_size=len(PATHS))
orders = st.lists(files, max_size=4).map(lambda found: [Layer(f"m{at}", one) for at, one in enumerate(found)])
places = st.sampled_from([*PATHS, "data", "data/deep/", "other", "nowhere"])
named = st.dictionaries(places, st.sampled_from(["m0", "m1", "m2", "m9"]), max_size=3)


@given(orders, named, st.lists(st.sampled_from(PATTERNS), max_size=2))
def test_what_lies_at_every_path(layers: list[Layer], winners: dict[str, str], aside: list[str]) -> None:
    laid = lay(layers, winners, aside)
    meetings = {one.path: one for one in laid.meetings}
    for path in PATHS:
        by = [one for one in layers if path in one.files]
        if any(matcher((one,)).fullmatch(path) for one in aside):
            assert path not in laid.holder
            assert all(path in laid.set_aside[one.mod] for one in by)
            continue
        assert (path in laid.holder) == bool(by)
        if not by:
            continue
        # The longest place named for one that carries it; else the last.
        fitting = [
            (len(place.rstrip("/")), mod)
            for place, mod in winners.items()
            if (path == place or path.startswith(place.rstrip("/") + "/")) and mod in [one.mod for one in by]
        ]
        longest = {mod for size, mod in fitting if size == max(fitting)[0]}
        assert laid.holder[path] in (longest or {by[-1].mod})
        differ = len({one.files[path] for one in by}) > 1
        assert (path in meetings) == differ
        if differ:
            assert meetings[path] == Meeting(path, tuple(one.mod for one in by), laid.holder[path])


def test_a_winner_that_carries_nothing_is_named() -> None:
    layers = [Layer("a", {"x/1": "1"}), Layer("b", {"x/1": "2"})]
    assert lay(layers, {"x": "a", "y": "b", "x/1": "gone"}).idle == {"y": "b", "x/1": "gone"}
    assert lay(layers, {"x": "a", "x/1": "gone"}).holder == {"x/1": "a"}


def test_parts_are_these_alone_and_none_of_those() -> None:
    parts = Parts(only=("engines/**",), leave_out=("**/*.old",))
    kept = [path for path in ("engines/a", "engines/b.old", "readme", "b.old") if parts.keep(path)]
    assert kept == ["engines/a"]


values = st.one_of(st.booleans(), st.integers(0, 2), st.sampled_from(["1", "x"]), st.floats(0, 1))
trees = st.dictionaries(st.sampled_from([("a",), ("b",), ("t", "c"), ("t", "d")]), values)


@given(st.lists(trees, min_size=2, max_size=4), st.integers(0, 3))
def test_keys_against_brute_force(found: list[dict], winner: int) -> None:
    by = [f"m{at}" for at in range(len(found))]
    mine = dict(zip(by, found, strict=True))
    meeting = Meeting("x.toml", tuple(by), by[winner % len(by)])
    told = compare(meeting, mine)
    told_keys = {one.key: one.values for one in told.clashes}
    for key in {key for tree in found for key in tree}:
        setting = {mod: tree[key] for mod, tree in mine.items() if key in tree}
        kinds = {(type(value), value) for value in setting.values()}
        assert (key in told_keys) == (len(kinds) > 1)
        if len(kinds) > 1:
            assert told_keys[key] == setting
        lost = [one.mod for one in told.lost if one.key == key]
        assert lost == ([] if key in mine[meeting.winner] else list(setting))
    own = [key for key in mine[meeting.winner] if key in told_keys]
    assert list(told_keys)[: len(own)] == own


READABLE = {
    "a.toml": b'n = 1\nwhen = 2026-06-03\n[t]\nx = {y = "4", z = [1, 2]}\n[[rows]]\nq = 1\n',
    "a.json": b'{"n": 1, "t": {"x": true, "y": []}, "nothing": null, "e": {}}',
    "commented.json": b'{// why\n"n": 1}',
    "a.ini": b"[t]\nx = 1\n",
    "a.yaml": b"t:\n  x: yes\n",
}


@pytest.mark.parametrize(("path", "data"), READABLE.items(), ids=READABLE)
def test_the_quick_reading_sees_what_the_careful_one_sees(path: str, data: bytes) -> None:
    assert read_tree(path, data) == open_settings(path, data).values


@pytest.mark.parametrize("data", [b"[[[", b"\xff\xfe", b"[1, 2]", b'{"a": NaN', b"[" * 100_000])
def test_what_cannot_be_read_is_said(data: bytes) -> None:
    with pytest.raises(UnreadableSettings):
        read_tree("x.json", data)


def test_dates_are_told_as_iso_and_a_number_that_is_none_in_words() -> None:
    told = tomllib.loads("a = 2026-06-03\nb = [1979-05-27T07:32:00Z]\nc = inf\nd = 07:32:00")
    assert as_json(told) == {"a": "2026-06-03", "b": ["1979-05-27T07:32:00+00:00"], "c": "inf", "d": "07:32:00"}
    assert as_json(date(2026, 6, 3)) == "2026-06-03"


@given(st.lists(st.sampled_from([*PATTERNS, "**/b.txt", "**/*.toml", "DATA/**", "*"]), max_size=5))
def test_the_first_line_that_catches_a_path_counts(patterns: list[str]) -> None:
    catcher = Catcher(patterns)
    for path in PATHS:
        fitting = [at for at, one in enumerate(patterns) if matcher((one,)).fullmatch(path)]
        assert catcher.first(path) == (fitting[0] if fitting else None)
    caught = caught_by(patterns, dict.fromkeys(PATHS, 2))
    assert sum(one.files for one in caught) * 2 == sum(one.size for one in caught)


LETTERS = st.text(alphabet="aAb.*", min_size=1, max_size=6)


@given(
    st.lists(st.lists(st.one_of(LETTERS, st.just("**")), min_size=1, max_size=4).map("/".join), max_size=8),
    st.lists(
        st.lists(st.text(alphabet="aAb.", min_size=1, max_size=5), min_size=1, max_size=4).map("/".join), max_size=8
    ),
)
def test_what_is_looked_up_is_what_the_expressions_say(patterns: list[str], paths: list[str]) -> None:
    wanted = [
        (path, fitting[0])
        for path in paths
        if (fitting := [at for at, one in enumerate(patterns) if matcher((one,)).fullmatch(path)])
    ]
    assert list(Catcher(patterns).caught(paths)) == wanted


def test_lines_that_nothing_firm_tells_apart_are_bounded() -> None:
    alike = [f"*a{number}*" for number in range(MOST_ALIKE + 5)]
    wagons = [f"wagons/wagon-{number}*.dat" for number in range(500)]
    troubled = [one.pattern for one in read_list("\n".join([*wagons, *alike])) if one.trouble]
    assert troubled == alike[MOST_ALIKE:]


def test_a_pasted_list_says_by_line_what_is_wrong() -> None:
    text = "# what the list's author says\n\n  data/old/**  \r\n/absolute\n../up\n**\n*a*\nx\x00y\n"
    assert [(one.number, one.pattern, bool(one.trouble)) for one in read_list(text)] == [
        (3, "data/old/**", False), (4, "/absolute", True), (5, "../up", True), (6, "**", True),
        (7, "*a*", False), (8, "x\x00y", True)]  # fmt: skip
    assert "everything" in read_list("**/*")[0].trouble
    long = read_list("a\n" * (MAX_LINES + 10))
    assert (len(long), bool(long[-1].trouble)) == (MAX_LINES + 1, True)


@pytest.mark.parametrize("bad", [
    [], {"layers": 1}, {"layers": [{"mod": "a"}]}, {"layers": [{"mod": "a", "folder": "x"}] * 2},
    {"layers": [], "winners": ["x"]}, {"layers": [], "set_aside": ["../x"]}, {"layers": [], "readable": [1]},
    {"layers": [{"mod": "a", "folder": "x", "parts": {"leave_out": "x"}}]}])  # fmt: skip
def test_a_problem_that_is_none_is_refused(bad: object) -> None:
    with pytest.raises(MalformedInput):
        read_conflict_problem(bad)
