"""What a playthrough forbids of a change, rule by rule."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.checks import DraftLine, Playing, Severity, run_checks
from convoy_core.lock.lock import Lock, lay_down
from convoy_core.lock.playthroughs import Rule, breaches
from convoy_core.lock.terms import How, Terms, Tweak
from convoy_core.words.model import Reach
from convoy_core.words.versions import parse_version

from .making import BASE, build, lock, locked, placed
from .test_checks import subject

TERMS = Terms(("mods/**/settings.toml",), ("worlds",))
SEASONS = "mods/seasons/"
FILES = {SEASONS + "calendar.dat": "four", SEASONS + "settings.toml": "speed = 2\n"}
bound = replace(locked("seasons"), reach=Reach.SAVE, on_removal="Save in summer.")
bells, rain = locked("bells"), replace(locked("rain"), reach=Reach.OWN)


def pack(*more: tuple, of_seasons=bound, files=FILES, terms=TERMS, **told) -> Lock:
    return lock((of_seasons, files), (bells, {"mods/bells/b.txt": "1"}), *more, terms=terms, **told)


NOW = pack()
NEWER = replace(bound, version="2.0")
LIBRARY = replace(locked("tide-lib"), reach=Reach.SAVE)
SET = Tweak(SEASONS + "settings.toml", ("speed",), 3, How.START)

CHANGES = [
    ("nothing", NOW, [], []),
    ("a sound", pack((rain, {"mods/rain/r.txt": "1"})), [], ["rain"]),
    ("a mod for all", pack((locked("oars"), {})), [], ["oars"]),
    ("what a world depends on comes newer", pack(of_seasons=NEWER), ["seasons"], ["seasons"]),
    ("it leaves", lock((bells, {"mods/bells/b.txt": "1"}), terms=TERMS), ["seasons"], ["seasons"]),
    ("something brings such a library", pack((LIBRARY, {})), ["tide-lib"], ["tide-lib"]),
    ("another base", pack(base=replace(BASE, version=parse_version("2.2"))), ["base"], ["base"]),
    ("its data is laid over", pack((locked("paint"), {SEASONS + "calendar.dat": "five"})), ["seasons"],
     ["seasons", "paint"]),
    ("its settings are laid over", pack((locked("brush"), {SEASONS + "settings.toml": "x = 1\n"})), [], ["brush"]),
    ("a key of it is set", pack(terms=replace(TERMS, tweaks=(SET,))), [f"{SET.path}: speed"], [f"{SET.path}: speed"]),
    ("a key of it is advised", pack(terms=replace(TERMS, tweaks=(replace(SET, how=How.ADVICE),))), [],
     [f"{SET.path}: speed"]),
    ("it is no world's any more", pack(of_seasons=replace(bound, version="3.0", reach=Reach.CREW)), ["seasons"],
     ["seasons"]),
]  # fmt: skip


@pytest.mark.parametrize(("_what", "after", "of_the_world", "of_anything"), CHANGES, ids=[one[0] for one in CHANGES])
def test_each_rule_names_what_it_forbids(_what: str, after: Lock, of_the_world: list, of_anything: list) -> None:
    assert [one.about for one in breaches(Rule.NOT_THE_WORLD, NOW, after)] == of_the_world
    assert {one.about for one in breaches(Rule.NOTHING, NOW, after)} == {*of_the_world, *of_anything}
    assert breaches(Rule.ANYTHING, NOW, after) == ()


@given(st.lists(st.sampled_from([after for _, after, *_ in CHANGES]), min_size=2, max_size=2))
def test_a_stricter_rule_forbids_more_and_the_same_forbids_nothing(pair: list[Lock]) -> None:
    before, after = pair
    worlds, anything = (breaches(rule, before, after) for rule in (Rule.NOT_THE_WORLD, Rule.NOTHING))
    assert set(worlds) <= set(anything) and breaches(Rule.NOTHING, after, after) == ()
    assert bool(anything) == (before != after)


def test_it_is_a_blocker_with_its_way_out_until_there_is_a_reason() -> None:
    files = [placed(path, text, "seasons") for path, text in FILES.items()]
    drafted = lay_down([(NEWER, files)], BASE, ["mods"], TERMS)
    told = [Playing("p1", "The Fenwick run", Rule.NOT_THE_WORLD, NOW)]
    lines = {"seasons": DraftLine("Seasons")}
    seen = subject(
        (NEWER, FILES), lines=lines, cores={"seasons": build("seasons", "2.0")}, playing=told, drafted=drafted
    )
    found = [one for one in run_checks(seen) if one.check == "playthrough"]
    (one,) = found
    assert one.severity is Severity.BLOCKER and one.id == "playthrough: p1 + seasons"
    assert one.what == "The Fenwick run is being played: Seasons updated from 1.0 to 2.0."
    assert dict(one.ways[0].edits[0]) == {
        "do": "hold", "mod": "seasons", "version": "1.0", "because": "keeps The Fenwick run",
    }  # fmt: skip
    assert not [one for one in run_checks(replace(seen, playing=())) if one.check == "playthrough"]
