"""Collections under a pack, against a model that lays them down one over the other in the plain way."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from convoy_core.draft.collections import (
    Collection,
    Fixed,
    Otherwise,
    brought_in_by,
    read_collection,
    steps_under,
    together,
    tweaks_under,
    winners_under,
)
from convoy_core.draft.lines import in_order
from convoy_core.draft.parts import PartRule
from convoy_core.draft.settling import WantedLine, settle
from convoy_core.lock.suits import Suits
from convoy_core.lock.terms import HandStep, How, Tweak, step_id
from convoy_core.outside.fields import Fields
from convoy_core.resolve import Eligible, Shelves
from convoy_core.words.model import Base, Build
from convoy_core.words.ranges import ANY_VERSION, parse_range
from convoy_core.words.versions import parse_version

MODS = "abcdefg"
BASE = Base("tillerway", parse_version("2.1"), "bosun", parse_version("5"))


def one(id: str, lines: dict[str, str], **told: object) -> Collection:
    fixed = tuple(Fixed(mod, version) for mod, version in lines.items())
    return replace(Collection(id, id.upper(), "1.0", "0" * 64, fixed), **told)


of_lines = st.dictionaries(st.sampled_from(MODS), st.sampled_from("123"), max_size=5)
stacks = st.lists(of_lines, max_size=4).map(lambda many: [one(f"c{at}", lines) for at, lines in enumerate(many)])


@given(st.sets(st.sampled_from(MODS)), stacks)
def test_who_goes_before_whom(own: set[str], collections: list[Collection]) -> None:
    found = together(own, collections)
    # The model: papers laid on each other, the pack's last; what one sees from above counts.
    seen: dict[str, tuple[str, str]] = {}
    for collection in collections:
        seen |= {line.mod: (collection.id, line.version) for line in collection.lines}
    seen = {mod: what for mod, what in seen.items() if mod not in own}
    assert {mod: (at.collection.id, at.line.version) for mod, at in found.lines.items()} == seen
    # Every choice is told once, with what counts in its stead: a line counts or is told, and never both.
    for collection in collections:
        told = {other.mod: other for other in found.otherwise[collection.id]}
        assert len(told) == len(found.otherwise[collection.id])
        for line in collection.lines:
            counts = seen.get(line.mod) == (collection.id, line.version)
            assert counts is (line.mod not in told)
            if not counts:
                by, instead = seen.get(line.mod, ("", ""))
                assert told[line.mod] == Otherwise(line.mod, line.version, by, instead)
    # Laid down in the order of collections, then lines.
    places = {mod: at.place for mod, at in found.lines.items()} | {mod: (len(collections), 1) for mod in own}
    laid = in_order(places, {*places, "along"})
    expected = [line.mod for c in collections for line in c.lines if seen.get(line.mod, ("",))[0] == c.id]
    assert laid == ["along", *expected, *sorted(own)]
    # Later collections are wanted before earlier ones: what clashes lets go of the earlier.
    ranks = [at.place[0] for at in found.lines.values()]
    assert ranks == sorted(ranks, reverse=True)


def test_a_line_that_clashes_gives_way_and_the_pack_stays() -> None:
    v = parse_version
    builds = [Build(mod, v(version)) for mod in "ac" for version in ("1", "2")]
    builds += [Build("b", v("1"), needs={"a": parse_range(">=2")}), Build("d", v("1"), breaks={"c": parse_range("=1")})]
    collections = [one("c0", {"b": "1", "c": "1"}), one("c1", {"d": "1"})]
    under = together({"a"}, collections)
    lines = [WantedLine("a", parse_range("=1"))]
    lines += [WantedLine(mod, parse_range(f"={at.line.version}")) for mod, at in under.lines.items()]
    settled = settle(Eligible(Shelves(builds), BASE), lines, brought := brought_in_by(collections) and {})
    assert not brought
    assert {mod: build.version.text for mod, build in settled.picks.items()} == {"a": "1", "d": "1"}
    # The smallest clash is told: with the pack's line for the one, with the later collection's for the other.
    assert {mod: set(why.core) for mod, why in settled.unsettled.items()} == {"b": {"a", "b"}, "c": {"c", "d"}}


def tweak(key: str, value: str, path: str = "mods/a/settings.toml") -> Tweak:
    return Tweak(path, (key,), value, How.START)


def test_settings_steps_and_winners_lie_under_the_packs() -> None:
    low = one("c0-long-id", {"a": "1"}, tweaks=(tweak("x", "low"), tweak("y", "low"), tweak("z", "low")))
    low = replace(low, steps=(HandStep("patch", "Run it."),), winners={"mods/a": "a", "mods/b": "b"})
    high = one("c1-long-id", {"b": "1"}, tweaks=(tweak("y", "high"),), steps=(HandStep("patch", "Again."),))
    theirs = tweaks_under([tweak("z", "own")], [low, high])
    assert {(id, one.key[0], one.value) for id, one in theirs} == {
        ("c0-long-id", "x", "low"), ("c1-long-id", "y", "high"),
    }  # fmt: skip
    steps = steps_under([low, high])
    assert [step.text for step in steps] == ["Run it.", "Again."] and len({step.id for step in steps}) == 2
    assert len(step_id("c0", "n" * 80)) <= 80 and step_id("c0", "n" * 80) != step_id("c0", "n" * 79 + "m")
    # A winner that a collection names counts only while its build is that collection's here.
    assert winners_under(together({"b"}, [low, high]).lines, [low, high]) == {"mods/a": "a"}
    assert winners_under(together({"a"}, [low, high]).lines, [low, high]) == {}


def test_a_collection_comes_back_as_it_was_kept() -> None:
    rule = PartRule({"sounds": False}, (), ("maps/**",))
    kept = replace(
        one("c0", {}, tweaks=(tweak("x", "1"),), steps=(HandStep("s", "Do it."),), brought_in={"lib": "3"}),
        lines=(Fixed("a", "1", True, "for ears", rule), Fixed("b", "2")),
        suits=Suits(parse_range(">=2, <3"), {"bosun": ANY_VERSION}),
        winners={"mods/a": "a"},
    )
    assert read_collection("c0", Fields(kept.as_data())) == kept


def test_what_suits_is_said_as_of_a_build() -> None:
    suits = Suits(parse_range(">=2, <3"), {"bosun": parse_range(">=4")})
    assert suits.misfit(BASE) == ""
    assert "made for game version" in suits.misfit(replace(BASE, version=parse_version("1.9")))
    assert "no loader" in suits.misfit(replace(BASE, loader="", loader_version=None))
    assert Suits().misfit(replace(BASE, loader="", loader_version=None)) == ""
