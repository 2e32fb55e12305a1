"""The resolver against brute force on small problems, against laws on any, and against sentences written out."""

import itertools
import json
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.problems import DEEP, large
from convoy_core.resolve import (
    Impossible,
    Problem,
    Shelves,
    Solved,
    TooHard,
    needed_by,
    resolve,
    why,
    why_not,
    why_not_at_all,
)
from convoy_core.resolve.at_sight import at_sight
from convoy_core.resolve.eligible import Eligible
from convoy_core.resolve.preference import cost_of
from convoy_core.resolve.ways_out import apply
from convoy_core.resolve.wire import read_problem, write_answer
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Base, Build, Channel, misfit
from convoy_core.words.ranges import ANY_VERSION, parse_range
from convoy_core.words.versions import parse_version

from .making import BASE, build

MODS = "abcde"
RANGES = ["*", ">=2", "<2", "=1", "!=2", ">=3"]


CHANNELS = [Channel.STABLE] * 4 + [Channel.BETA]


@st.composite
def builds(draw: st.DrawFn) -> Build:
    relations = st.dictionaries(st.sampled_from(MODS), st.sampled_from(RANGES), max_size=2)
    mod = draw(st.sampled_from(MODS))
    return build(
        mod,
        draw(st.sampled_from("123")),
        draw(relations),
        {name: text for name, text in draw(relations).items() if name != mod and text != "*"},
        draw(st.dictionaries(st.sampled_from(MODS), st.sampled_from("123"), max_size=1)),
        channel=draw(st.sampled_from(CHANNELS)),
    )


problems = st.builds(
    lambda found, want, keep, refresh: wanting(list({one.key: one for one in found}.values()), want, keep, refresh),
    st.lists(builds(), max_size=12),
    st.dictionaries(st.sampled_from(MODS), st.sampled_from(RANGES), min_size=1, max_size=3),
    st.dictionaries(st.sampled_from(MODS), st.sampled_from("123"), max_size=4),
    st.sets(st.sampled_from(MODS), max_size=2),
)


def wanting(found: list[Build], want: dict[str, str], keep: dict[str, str] | None = None, refresh=()) -> Problem:
    return Problem(
        BASE,
        Shelves(found),
        {mod: parse_range(text) for mod, text in want.items()},
        {mod: parse_version(text) for mod, text in (keep or {}).items()},
        frozenset(refresh),
    )


def met(mod: str, wanted, chosen: list[Build]) -> bool:
    """Written anew on purpose: the validator must not share the resolver's code."""
    return any(
        (one.mod == mod and wanted.holds(one.version))
        or (mod in one.provides and one.mod != mod and wanted.holds(one.provides[mod]))
        for one in chosen
    )


def faults(problem: Problem, chosen: list[Build]) -> list[str]:
    found = [f"{mod} is not met" for mod, wanted in problem.want.items() if not met(mod, wanted, chosen)]
    for one in chosen:
        found += [f"{one.mod}'s need" for mod, wanted in one.needs.items() if not met(mod, wanted, chosen)]
        found += [
            f"{one.mod} breaks {other.mod}"
            for other in chosen
            if other.mod != one.mod and other.mod in one.breaks and one.breaks[other.mod].holds(other.version)
        ]
        if misfit(one, problem.base):
            found.append(f"{one.mod} does not fit")
    return found


def eligible(problem: Problem, one: Build) -> bool:
    wanted = problem.want.get(one.mod, parse_range("*"))
    if one.channel is Channel.STABLE or wanted.names(one.version):
        return True
    others = problem.library.builds_of(one.mod)
    return not any(other.channel is Channel.STABLE and wanted.holds(other.version) for other in others)


def all_answers(problem: Problem) -> list[list[Build]]:
    by_mod = [[None, *(one for one in problem.library.builds_of(mod) if eligible(problem, one))] for mod in MODS]
    answers = ([one for one in choice if one is not None] for choice in itertools.product(*by_mod))
    return [chosen for chosen in answers if not faults(problem, chosen) and not unreached(problem, chosen)]


def cost(problem: Problem, chosen: list[Build]) -> tuple[int, int, int, int]:
    """formats.md, "How the rules are read here", word by word."""
    picked = {one.mod: one.version for one in chosen}
    changes = sum(picked.get(mod) != kept for mod, kept in problem.keep.items() if mod not in problem.refresh)
    passed = {True: 0, False: 0}
    for one in chosen:
        for other in problem.library.builds_of(one.mod):
            in_range = one.mod not in problem.want or problem.want[one.mod].holds(other.version)
            passed[one.mod in problem.want] += other.version > one.version and in_range and eligible(problem, other)
    return changes, passed[True], passed[False], sum(one.mod not in problem.want for one in chosen)


def in_turn(problem: Problem, chosen: list[Build]) -> list[int]:
    """docs/rules.md, "Resolve": by mods from the last id to the first, how far down each one's list of choices is."""
    picked = {one.mod: one for one in chosen}
    places = []
    for mod in sorted({one.mod for one in every(problem)}, reverse=True):
        builds = Eligible(problem.library, BASE).of(mod, problem.want.get(mod, ANY_VERSION))
        kept = problem.keep.get(mod) if mod not in problem.refresh else None
        choices = [None, *sorted(builds, key=lambda one: one.version != kept)]
        places.append(choices.index(picked.get(mod)))
    return places


def assert_best(problem: Problem) -> None:
    answer, answers = resolve(problem), all_answers(problem)
    assert isinstance(answer, Solved) == bool(answers)
    if isinstance(answer, Solved):
        chosen = list(answer.picks.values())
        assert faults(problem, chosen) == []
        assert unreached(problem, chosen) == set()
        best = min(cost(problem, other) for other in answers)
        assert cost(problem, chosen) == best
        equals = [other for other in answers if cost(problem, other) == best]
        turns = [in_turn(problem, other) for other in equals]
        assert in_turn(problem, chosen) == min(turns), "of equally good ones the one"
        assert cost(problem, chosen) == cost_of(problem, Eligible(problem.library, BASE), answer.picks)


@settings(max_examples=600)
@given(problems)
def test_it_finds_the_best_answer_exactly_when_there_is_one(problem: Problem) -> None:
    assert_best(problem)


wanted_again = st.dictionaries(st.sampled_from(MODS), st.sampled_from(RANGES), min_size=1, max_size=4)


@settings(max_examples=300)
@given(problems, wanted_again)
def test_what_is_seen_at_once_is_the_best(problem: Problem, more: dict[str, str]) -> None:
    answer = resolve(problem)
    if isinstance(answer, Solved):
        kept = replace(problem, keep={mod: one.version for mod, one in answer.picks.items()}, refresh=frozenset())
        assert at_sight(kept, Eligible(kept.library, BASE)) == answer.picks
        assert resolve(kept) == answer
        assert_best(replace(kept, want={mod: parse_range(text) for mod, text in more.items()}))


def test_what_a_new_line_brings_in_is_seen_at_once_unless_something_else_could_be_as_good() -> None:
    def seen(*others: Build, **more: str) -> dict[str, str] | None:
        found = [build("a", "1"), build("b", "1", needs={"c": ">=1"}), build("c", "1"), build("c", "2"), *others]
        problem = wanting(found, {"a": "*", "b": "*"}, {"a": "1", **more})
        answer = at_sight(problem, Eligible(problem.library, BASE))
        assert answer is None or Solved(answer) == resolve(problem)
        return answer and {mod: one.version.text for mod, one in answer.items()}

    assert seen() == {"a": "1", "b": "1", "c": "2"}
    assert seen(build("c", "3", needs={"d": "*"}), build("d", "1")) == {"a": "1", "b": "1", "c": "3", "d": "1"}
    assert seen(c="1") == {"a": "1", "b": "1", "c": "1"}, "what the lock has stays as it is"
    assert seen(build("d", "1", provides={"c": "1"})) is None, "it could stand in"
    assert seen(build("c", "3", provides={"b": "1"})) is None, "what is brought in stands in for what is wanted"
    assert seen(build("c", "3", breaks={"a": "*"})) is None
    assert seen(build("b", "2", needs={"c": "<2"})) is None, "its newest goes with an older one only"
    assert seen(build("b", "1.0", needs={"c": ">=1"})) is None, "another one is as new"


def unreached(problem: Problem, chosen: list[Build]) -> set[str]:
    reached: set[str] = set()
    open_demands = list(problem.want.items())
    while open_demands:
        mod, wanted = open_demands.pop()
        for one in chosen:
            if one.mod not in reached and met(mod, wanted, [one]):
                reached.add(one.mod)
                open_demands += one.needs.items()
    return {one.mod for one in chosen} - reached


@settings(max_examples=150)
@given(problems)
def test_an_impossible_core_is_impossible_and_smallest(problem: Problem) -> None:
    answer = resolve(problem)
    if isinstance(answer, Solved):
        return
    assert answer.because

    def with_only(mods: set[str]) -> bool:
        part = {mod: wanted for mod, wanted in problem.want.items() if mod in mods}
        return bool(all_answers(replace(problem, want=part)))

    core = set(answer.core)
    assert core <= set(problem.want)
    assert not with_only(core)
    assert all(with_only(core - {one}) for one in core) or any(
        one.channel is not Channel.STABLE for one in every(problem)
    )
    for way in answer.ways_out:
        assert all_answers(apply(way, problem)) or not any(
            all_answers(apply(other, problem)) for other in answer.ways_out
        )


def every(problem: Problem) -> list[Build]:
    return [one for mod in MODS for one in problem.library.builds_of(mod)]


@settings(max_examples=100)
@given(problems, st.randoms())
def test_the_order_of_the_input_does_not_matter(problem: Problem, chance) -> None:
    shuffled, want = every(problem), list(problem.want.items())
    chance.shuffle(shuffled)
    chance.shuffle(want)
    again = resolve(replace(problem, library=Shelves(shuffled), want=dict(want)))
    assert write_answer(again) == write_answer(resolve(problem))


def picks(problem: Problem) -> dict[str, str]:
    answer = resolve(problem)
    assert isinstance(answer, Solved), answer
    return {mod: one.version.text for mod, one in answer.picks.items()}


@pytest.mark.parametrize("seed", [1, 2])
def test_large_answers_are_whole_proven_and_kept_after_edits(seed: int) -> None:
    """400 builds of 60 mods: too many for brute force, so each answer meets the validator and the laws of keeping."""
    problem = read_problem(json.dumps(large(60, 400, 20, seed)))
    while isinstance(answer := resolve(problem), Impossible):
        problem = replace(problem, want={mod: one for mod, one in problem.want.items() if mod not in answer.core[:1]})
    assert answer.proven
    assert faults(problem, list(answer.picks.values())) == []
    assert unreached(problem, list(answer.picks.values())) == set()
    keep = {mod: one.version for mod, one in answer.picks.items()}
    assert resolve(replace(problem, keep=keep)).picks == answer.picks
    fewer = replace(problem, keep=keep, want={mod: problem.want[mod] for mod in sorted(problem.want)[1:]})
    after = resolve(fewer)
    assert isinstance(after, Solved)
    assert faults(fewer, list(after.picks.values())) == []
    lost = set(keep) - set(after.picks)
    assert lost == unreached(fewer, list(answer.picks.values()))


def test_chains_made_to_mislead_are_seen_through() -> None:
    for name, make in DEEP.items():
        problem = read_problem(json.dumps(make()))
        answer = resolve(problem)
        assert isinstance(answer, Impossible) == ("cannot" in name)
        if isinstance(answer, Solved):
            assert faults(problem, list(answer.picks.values())) == []


def test_chains_of_any_length_are_followed() -> None:
    """Two chains of needs that are at odds at their far ends: nothing goes as deep as they are long."""
    long = 1_500
    chains = [
        build(f"{side}{at:04}", version, {f"{side}{at + 1:04}": f"={version}"} if at < long else {})
        for side in "ab"
        for at in range(long + 1)
        for version in "12"
    ]
    chains[-1] = build(f"b{long:04}", "2", breaks={f"a{long:04}": "=2"})
    answer = resolve(wanting(chains, {"a0000": "*", "b0000": "*"}))
    assert isinstance(answer, Solved)
    assert len({one.version.text for one in answer.picks.values()}) == 2
    assert len(answer.picks) == 2 * (long + 1)


def test_too_hard_is_said_not_endured() -> None:
    with pytest.raises(TooHard):
        resolve(read_problem(json.dumps(DEEP["two chains of 30 pulling apart"]())), max_effort=50)


LEDGER = [
    build("ledger", "3", {"core": ">=1.2, <2"}),
    build("core", "1.2"),
    build("core", "1.3"),
    build("core", "2.0"),
]


def test_newest_that_fits_and_what_it_needs() -> None:
    assert picks(wanting(LEDGER, {"ledger": "*"})) == {"ledger": "3", "core": "1.3"}


def test_what_the_lock_has_is_kept_until_it_is_refreshed() -> None:
    assert picks(wanting(LEDGER, {"ledger": "*"}, {"core": "1.2"})) == {"ledger": "3", "core": "1.2"}
    assert picks(wanting(LEDGER, {"ledger": "*"}, {"core": "1.2"}, ["core"])) == {"ledger": "3", "core": "1.3"}


def test_another_mod_may_stand_in() -> None:
    found = [build("berths", needs={"ledger-api": ">=3"}), build("ledger", provides={"ledger-api": "3.0"})]
    assert picks(wanting(found, {"berths": "*"})) == {"berths": "1.0", "ledger": "1.0"}


def test_needs_may_go_in_circles_and_back_to_themselves() -> None:
    found = [build("a", needs={"b": "*", "a": "*"}), build("b", needs={"a": "*"})]
    assert picks(wanting(found, {"a": "*"})) == {"a": "1.0", "b": "1.0"}


def test_beta_comes_in_only_when_asked_for_or_alone() -> None:
    found = [build("rivet", "1.0"), build("rivet", "1.1-beta.1", channel=Channel.BETA)]
    assert picks(wanting(found, {"rivet": "*"})) == {"rivet": "1.0"}
    assert picks(wanting(found, {"rivet": "=1.1-beta.1"})) == {"rivet": "1.1-beta.1"}
    assert picks(wanting(found[1:], {"rivet": "*"})) == {"rivet": "1.1-beta.1"}


SENTENCES = [
    ([build("x", needs={"core": "<2"}), build("y", needs={"core": ">=2"}), build("core", "1"), build("core", "2")],
     {"x": "*", "y": "*"}, ["x 1.0 needs core below 2.", "y 1.0 needs core 2 or newer."]),
    ([build("x")], {"y": "*"}, ["You want y.", "No source has y."]),
    ([build("x", "1.2")], {"x": ">=2"}, ["You want x 2 or newer.", "No build of x is 2 or newer; the newest is 1.2."]),
    ([build("x", games="<2")], {"x": "*"}, ["You want x.", "x 1.0 is made for game version below 2, not 2.1.0."]),
    ([build("x", needs={"core": ">=3"}), build("core", "1")], {"x": "=1.0"},
     ["x 1.0, held by you, needs core 3 or newer.", "No build of core is 3 or newer; the newest is 1."]),
    ([build("x", breaks={"y": "*"}), build("y")], {"x": "*", "y": "*"}, ["x 1.0 does not go together with y 1.0."]),
]  # fmt: skip


@pytest.mark.parametrize(("found", "want", "because"), SENTENCES)
def test_it_says_why_not(found: list[Build], want: dict[str, str], because: list[str]) -> None:
    answer = resolve(wanting(found, want))
    assert isinstance(answer, Impossible)
    for sentence in because:
        assert sentence in answer.because, answer.because


def test_sentences_use_names() -> None:
    problem = wanting([build("x", needs={"core": "*"})], {"x": "*"})
    answer = resolve(replace(problem, names={"x": "Heron Almanac", "core": "Weir Core"}))
    assert answer.because == ("Heron Almanac 1.0 needs Weir Core.", "No source has Weir Core.")


MISFITS = [
    (build("x", games=">=2.2"), "game version"),
    (build("x", loaders={"capstan": "*"}), "made for capstan, not bosun"),
    (build("x", loaders={"bosun": ">=6"}), "wants bosun 6 or newer"),
    (build("x", loaders={"bosun": ">=5"}), ""),
    (build("x"), ""),
]


@pytest.mark.parametrize(("one", "reason"), MISFITS)
def test_a_misfit_says_what_does_not_fit(one: Build, reason: str) -> None:
    assert reason in misfit(one, BASE)
    assert bool(misfit(one, BASE)) == bool(reason)


def test_a_base_without_a_loader_takes_nothing_made_for_one() -> None:
    assert "no loader" in misfit(build("x", loaders={"bosun": "*"}), Base("tillerway", parse_version("2.1.0")))


def test_why_not_names_what_stands_in_the_way() -> None:
    held = {"y": build("y", needs={"core": "<2"}), "core": build("core", "1")}
    assert "y 1.0 needs core below 2" in why_not(build("core", "2"), BASE, held)
    assert why_not(build("core", "1.5"), BASE, held) == ""
    assert "needs core 3 or newer" in why_not(build("z", needs={"core": ">=3"}), BASE, held)


def test_why_gives_every_path_from_a_line() -> None:
    chosen = {
        one.mod: one
        for one in (build("a", needs={"b": "*", "c": "*"}), build("b", needs={"c": "*"}), build("c", needs={"a": "*"}))
    }
    assert why("c", chosen, ["a"]) == [("a", "c"), ("a", "b", "c")]
    assert why("c", chosen, ["c", "b"]) == [("c",), ("b", "c")]
    assert why("elsewhere", chosen, ["a"]) == []


WHY_NOT = [
    ("core", "9", "No source has core 9."),
    ("core", "2.0", "ledger 3 needs core 1.2 or newer, below 2."),
    ("core", "1.2", "Nothing rules core 1.2 out: 1.3 is preferred."),
    ("core", "1.3", "core 1.3 is in the answer."),
    ("odd", "1.0", "odd 1.0 is made for game version below 2, not 2.1.0."),
    ("loose", "1.0", "Nothing rules loose 1.0 out, but no wanted line leads to it."),
]


@pytest.mark.parametrize(("mod", "version", "reason"), WHY_NOT)
def test_why_not_gives_the_first_reason(mod: str, version: str, reason: str) -> None:
    problem = wanting([*LEDGER, build("odd", games="<2"), build("loose")], {"ledger": "*"})
    if mod == "loose":
        problem = replace(problem, library=Shelves([*LEDGER, build("loose")]))
    assert reason in " ".join(why_not_at_all(mod, version, problem))


def test_ways_out_were_tried_and_say_what_they_bring() -> None:
    found = [
        build("almanac", "2.1", {"ledger": ">=3"}),
        build("lanterns", "1.4", {"ledger": "<3"}),
        build("lanterns", "1.6", {"ledger": "*"}),
        build("ledger", "2.9"),
        build("ledger", "3.2"),
    ]
    answer = resolve(wanting(found, {"almanac": "*", "lanterns": "=1.4"}))
    assert isinstance(answer, Impossible)
    assert answer.because == (
        "almanac 2.1 needs ledger 3 or newer.",
        "lanterns 1.4, held by you, needs ledger below 3.",
    )
    assert [way.text for way in answer.ways_out] == [
        "It would go with lanterns 1.6.",
        "It would go without almanac.",
        "It would go without lanterns.",
    ]


def test_another_base_is_a_way_out() -> None:
    older = replace(BASE, version=parse_version("2.0"))
    answer = resolve(wanting([build("x", games="<2.1")], {"x": "*"}), other_bases=[older])
    assert [way.base for way in answer.ways_out] == [older, None]


def test_needed_by_follows_stand_ins() -> None:
    chosen = {"berths": build("berths", needs={"api": "*"}), "ledger": build("ledger", provides={"api": "3"})}
    assert needed_by(chosen) == {"berths": [], "ledger": ["berths"]}


PROBLEM = {
    "base": {"game": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"},
    "files": [
        {"mod": "lock-ledger", "version": "3.4.1", "games": ">=2.0, <2.2", "needs": {"weir-core": ">=1.2, <2"}},
        {"mod": "weir-core", "version": "1.3.0", "loaders": {"bosun": ">=5.0"}},
        {"mod": "weir-core", "version": "1.4.0"},
    ],
    "want": {"lock-ledger": ">=3"},
    "keep": {"weir-core": "1.3.0"},
}


def test_problems_and_answers_travel_as_json() -> None:
    answer = write_answer(resolve(read_problem(json.dumps(PROBLEM))))
    assert answer == {"status": "solved", "lock": {"lock-ledger": "3.4.1", "weir-core": "1.3.0"}}
    refreshed = write_answer(resolve(read_problem(json.dumps({**PROBLEM, "refresh": ["weir-core"]}))))
    assert refreshed["lock"]["weir-core"] == "1.4.0"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"base": 7}, "base"),
        ({"files": [{"version": "1"}]}, "files[0].mod"),
        ({"files": [{"mod": "x", "version": "1", "channel": "odd"}]}, "files[0].channel"),
        ({"want": {"x": 3}}, "want"),
        ({"refresh": [1]}, "refresh"),
    ],
)
def test_a_malformed_problem_names_its_field(change: dict, field: str) -> None:
    with pytest.raises(MalformedInput) as caught:
        read_problem(json.dumps({**PROBLEM, **change}))
    assert caught.value.data["field"].startswith(field)
