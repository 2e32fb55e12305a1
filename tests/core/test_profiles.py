"""Game profiles: everything wrong is told by line, changes are told, patterns take no time, lists only add."""

import json
import re
import tomllib
from pathlib import Path

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.outside.game_profile import KNOWN_FIELDS, WrongProfile, look_at_profile, read_profile
from convoy_core.outside.inspection import Member
from convoy_core.outside.patterns import checked_patterns, matcher
from convoy_core.outside.profile_changes import changes_between
from convoy_core.outside.profile_writing import document_of, with_version, written
from convoy_core.outside.trying import Role, try_archive, try_folder
from convoy_core.outside.version_lists import lists_of, read_version_lists, with_lists
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Kind
from convoy_core.words.versions import parse_version
from tests.third_game import ARCHIVES, block

ROOT = Path(__file__).resolve().parents[2]
TILLERWAY = (ROOT / "demo/games/tillerway.toml").read_text()
FELLWRIGHT = block("fellwright.toml")

FAULTS = [
    ('channel = "preview"', 'channel = "previw"', "one of stable, preview, archived"),
    ('version = "1.9.0"', 'version = "2.0"', "listed twice"),
    ('version = "1.9.0"', 'version = "newest"', "is no version"),
    ('games = ">=1.9, <2.2"', 'games = "1.9 to 2.2"', "no version range"),
    ('games = ">=1.9, <2.2"', 'games = ">=old"', "is no number"),
    ("[kinds.scenario]", "[kinds.scenery]", "no such kind"),
    ('place = "config"', 'place = "{mod.__class__}"', "Nothing but {mod}"),
    ('place = "config"', 'place = "../config"', "climbs out"),
    ('place = "config"', 'placed = "config"', "no such field"),
    ('place = "textures/{mod}"', 'place = "mods/{mod}"', "different markers"),
    ('worlds = ["worlds"]', 'worlds = ["mods/worlds"]', "saved worlds would be called differences"),
    ('"config/**"]', '"/etc/**"]', "path below the game's folder"),
    ("base = 2176", "base = -1", "0 or more"),
    ("base = 2176", "base = ", "no TOML"),
    ('games = ">=2.0, <3", recommended = true', 'games = ">=2.0, <3", recommended = "yes"', "true or false"),
]


@pytest.mark.parametrize(("right", "wrong", "says"), FAULTS, ids=[one[1] for one in FAULTS])
def test_a_fault_is_told_with_its_line(right: str, wrong: str, says: str) -> None:
    assert right in TILLERWAY
    text = TILLERWAY.replace(right, wrong, 1)
    found = look_at_profile(text).faults
    fault = next(one for one in found if says in one.sentence)
    assert len(found) <= 2
    # The line itself, or the header of the table in which something as a whole is wrong.
    line = text.splitlines()[fault.line - 1]
    assert wrong in line or line.startswith("["), line
    with pytest.raises(WrongProfile, match=f"line {found[0].line}"):
        read_profile(text)


def test_all_faults_are_told_at_once_and_what_is_merely_odd_stops_nothing() -> None:
    text = TILLERWAY
    for right, wrong, _ in (FAULTS[0], FAULTS[5], FAULTS[6]):
        text = text.replace(right, wrong, 1)
    assert len(look_at_profile(text).faults) == 3
    lone = look_at_profile(TILLERWAY.replace('games = ">=2.1, <3"', 'games = ">=7"'))
    assert lone.profile is not None
    assert [one.sentence for one in lone.remarks if "Bosun 5.3.1 runs on no version" in one.sentence]
    gone = re.sub(r'games = "[^"]*"', 'games = ">=7"', TILLERWAY)
    assert {"Bosun", "Capstan"} == {one.sentence.split()[0] for one in look_at_profile(gone).faults}


def test_the_schema_takes_what_the_reader_takes() -> None:
    schema = json.loads((ROOT / "docs/schema/game-profile.schema.json").read_text())
    for text in (TILLERWAY, FELLWRIGHT, (ROOT / "demo/games/gauge-hollow.toml").read_text()):
        jsonschema_rs.validate(schema, tomllib.loads(text))
    named = {
        "": schema["properties"],
        "versions": schema["properties"]["versions"]["items"]["properties"],
        "loaders": schema["properties"]["loaders"]["items"]["properties"],
        "loaders.versions": schema["properties"]["loaders"]["items"]["properties"]["versions"]["items"]["properties"],
        "kinds": schema["properties"]["kinds"]["additionalProperties"]["properties"],
        "memory": schema["properties"]["memory"]["properties"],
        "memory.estimates": schema["properties"]["memory"]["properties"]["estimates"]["additionalProperties"][
            "properties"
        ],
        "start": schema["properties"]["start"]["properties"],
        "log": schema["properties"]["log"]["properties"],
        "log.known": schema["properties"]["log"]["properties"]["known"]["items"]["properties"],
    }
    assert {table: set(fields) for table, fields in named.items()} == KNOWN_FIELDS


def test_a_form_writes_into_the_text_that_people_wrote() -> None:
    document = document_of(TILLERWAY)
    document["memory"]["base"] = 3000
    document["loaders"][0]["versions"].insert(0, {"version": "6.0", "games": ">=2.2"})
    text = written(document, over=TILLERWAY)
    assert document_of(text) == document
    changed = set(text.splitlines()) ^ set(TILLERWAY.splitlines())
    assert changed == {"base = 2176", "base = 3000", '    {version = "6.0", games = ">=2.2"},'}
    assert document_of(written(document)) == document
    told = [(one.what, one.subject) for one in changes_between(read_profile(TILLERWAY), read_profile(text))]
    assert told == [("added", "Bosun 6.0"), ("changed", "memory")]


def test_a_new_version_is_one_field() -> None:
    text = with_version(TILLERWAY, {"version": "2.1.5"})
    (change,) = changes_between(read_profile(TILLERWAY), read_profile(text))
    assert (change.subject, change.after) == ("version 2.1.5", "2.1.5, stable, runtime 21")
    assert [str(one.version) for one in read_profile(text).versions[:3]] == ["2.2.0", "2.1.5", "2.1.0"]
    assert with_version(with_version(TILLERWAY, {"version": "0.1"}), {"version": "9"}).count("[[versions]]") == 9


def test_version_lists_add_and_never_overrule() -> None:
    profile = read_profile(FELLWRIGHT)
    told = lists_of(profile)
    told["games"] += [{"version": "1.5", "label": "1.5", "channel": "stable", "runtime": "4"}]
    told["games"][0] = {**told["games"][0], "label": "renamed"}
    told["loaders"][0]["versions"].append({"version": "2.2", "games": ">=1.5"})
    told["loaders"].append({"id": "sling", "name": "Sling", "versions": [{"version": "1", "games": "*"}]})
    found = with_lists(profile, read_version_lists(told))
    assert [one.label for one in found.versions] == ["1.5", "1.4", "1.3"]
    assert [str(one.version) for one in found.loader("hitch").versions_for(parse_version("1.5"))] == ["2.2", "2.1"]
    assert found.loader("sling").versions
    assert with_lists(profile, read_version_lists({})) == profile
    for bad in ({"games": [{"version": "new"}]}, {"loaders": [{"id": "X Y", "name": "X"}]}, {"games": 7}, []):
        with pytest.raises(MalformedInput):
            read_version_lists(bad)


def test_a_profile_is_tried_on_archives_and_folders() -> None:
    profile = read_profile(FELLWRIGHT)
    members = [Member(path, len(text), len(text)) for path, text in ARCHIVES["rope-bridges-1.2.zip"].items()]
    found = try_archive(members, profile)
    assert found.recognised == (Kind.MOD, Kind.LIBRARY)
    assert ("packs/example-mod/planks.dat", "Rope Bridges/planks.dat") in found.kinds[0].placed
    assert found.kinds[0].settings == ("packs/example-mod/settings.toml",)
    assert try_archive([Member("../x", 1, 1)], profile).refusals
    folder = try_folder(
        [("packs/knots/hitch.toml", 5), ("packs/loose/readme", 1), ("valleys/a/map", 9), ("fellwright.ini", 3),
         ("logs/latest.log", 2), ("fellwright", 7), (".convoy/record.json", 1)],
        profile,
    )  # fmt: skip
    roles = {one.role: one.files for one in folder.shares}
    assert roles == {Role.CONTENT: 2, Role.WORLD: 1, Role.SETTINGS: 1, Role.LOG: 1, Role.OUTSIDE: 1, Role.AGENT: 1}
    assert folder.loaded == (("packs/knots", (Kind.MOD, Kind.LIBRARY)),)
    assert folder.unmarked == ("packs/loose",)


def naive(pattern: str) -> re.Pattern[str]:
    parts = {"**": ".*", "*": "[^/]*", "**/": "(?:[^/]*/)*"}
    split = re.split(r"((?:^|(?<=/))\*\*/|\*\*|\*)", pattern)
    return re.compile("".join(parts.get(one) or re.escape(one) for one in split), re.S)


@given(st.lists(st.sampled_from(["a", "b", "/", "*", "**"]), max_size=8), st.text("ab/", max_size=9))
def test_patterns_mean_what_they_say(parts: list[str], path: str) -> None:
    pattern = "".join(parts)
    if "***" not in pattern:
        assert bool(matcher((pattern,)).fullmatch(path)) == bool(naive(pattern).fullmatch(path))


@pytest.mark.parametrize("pattern", ["**a" * 60 + "b", "*a" * 90 + "b", "**a*a" * 30 + "b", "**/" * 60 + "x"])
def test_no_pattern_explodes(pattern: str) -> None:
    """Tried one way after another, each of these would take longer than anybody lives."""
    assert matcher((pattern,)).fullmatch("a/" * 110 + "c") is None
    assert matcher((pattern,)).fullmatch("a" * 220) is None


@pytest.mark.parametrize("bad", [["a"] * 500, ["x" * 300], ["/abs"], ["a/../b"], ["a\\b"], [""]])
def test_a_pattern_that_cannot_be_used_is_refused(bad: list[str]) -> None:
    with pytest.raises(MalformedInput):
        checked_patterns(bad, "settings")
