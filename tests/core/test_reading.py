"""What is read from outside: profiles, catalogues, archives' members. One bad entry harms no other."""

from pathlib import Path

import pytest

from convoy_core.draft.settling import WantedLine, settle
from convoy_core.outside.archive_root import NoRoot, placements
from convoy_core.outside.catalogue import ListedMod, UnreadableEntry, read_catalogue
from convoy_core.outside.game_profile import read_profile
from convoy_core.resolve import Eligible, Shelves
from convoy_core.words.errors import HostileArchive, MalformedInput
from convoy_core.words.model import Kind
from convoy_core.words.profile import KindLayout, NoSuchBase
from convoy_core.words.ranges import ANY_VERSION, parse_range
from convoy_core.words.versions import parse_version

from .making import BASE, build

GAMES = Path(__file__).resolve().parents[2] / "demo" / "games"
TILLERWAY = read_profile((GAMES / "tillerway.toml").read_text())
GAUGE_HOLLOW = read_profile((GAMES / "gauge-hollow.toml").read_text())
MOD = KindLayout("mods/{mod}", "waybill.toml")


def test_loader_versions_are_those_of_the_game_version_by_age() -> None:
    found = TILLERWAY.loader("bosun").versions_for(parse_version("2.1.0"))
    assert [(str(one.version), one.recommended) for one in found] == [("5.3.1", False), ("5.2.0", True)]
    assert GAUGE_HOLLOW.base("3.1", "", "").as_text() == "gauge-hollow 3.1"
    assert TILLERWAY.base_in_words(BASE) == "Tillerway 2.1, Bosun 5.2.0"


@pytest.mark.parametrize("parts", [("7.0", "", ""), ("2.1.0", "winch", "1"), ("2.1.0", "bosun", "4.8.2")])
def test_a_base_that_does_not_exist_is_refused(parts: tuple[str, str, str]) -> None:
    with pytest.raises(NoSuchBase):
        TILLERWAY.base(*parts)


@pytest.mark.parametrize("text", ["id = ", 'id = "x"', 'id = "x"\nname = "X"\nversions = [{version = 3}]'])
def test_a_broken_profile_names_what_is_wrong(text: str) -> None:
    with pytest.raises(MalformedInput):
        read_profile(text)


LAYOUTS = [
    (["waybill.toml", "data/a"], {"mods/x/waybill.toml": "waybill.toml", "mods/x/data/a": "data/a"}),
    (["X 1.0/waybill.toml", "X 1.0/data/a", "readme"], {"mods/x/waybill.toml": "X 1.0/waybill.toml",
                                                       "mods/x/data/a": "X 1.0/data/a"}),
    (["waybill.toml", "extra/waybill.toml"], {"mods/x/waybill.toml": "waybill.toml",
                                              "mods/x/extra/waybill.toml": "extra/waybill.toml"}),
    (["folder/", "waybill.toml"], {"mods/x/waybill.toml": "waybill.toml"}),
]  # fmt: skip


@pytest.mark.parametrize(("members", "expected"), LAYOUTS)
def test_the_marker_tells_which_folder_is_meant(members: list[str], expected: dict[str, str]) -> None:
    assert placements(members, MOD, "x") == expected


@pytest.mark.parametrize(
    ("members", "error"),
    [
        (["data/a"], NoRoot),
        (["a/waybill.toml", "b/waybill.toml"], NoRoot),
        (["waybill.toml", "../outside"], HostileArchive),
        (["waybill.toml", "/etc/x"], HostileArchive),
        (["waybill.toml", "data\\x"], HostileArchive),
        (["waybill.toml", "Data/x", "data/X"], HostileArchive),
        (["waybill.toml", "aux.txt"], HostileArchive),
    ],
)
def test_an_archive_that_cannot_be_placed_is_refused(members: list[str], error: type[Exception]) -> None:
    with pytest.raises(error):
        placements(members, MOD, "x")


def entry(**changed: object) -> dict:
    archive = {"name": "x.zip", "size": 9, "sha256": "0" * 64}
    file = {"path": "waybill.toml", "size": 3, "sha256": "1" * 64}
    one = {"version": "1.0", "archive": archive, "files": [file], "url": "files/x.zip", "loaders": {"bosun": ">=5"}}
    return {"id": "x", "name": "X", "kind": "mod", "builds": [{**one, **changed}]}


def test_one_bad_entry_harms_no_other() -> None:
    listed = {
        "mods": [
            entry(),
            {"id": "no-name", "kind": "mod"},
            {**entry(), "id": "../up"},
            entry(needs={"y": "^1"}),
            {**entry(), "kind": "tool", "id": "homeless"},
            entry(files=[{"path": "../out", "size": 1, "sha256": "2" * 64}]),
        ]
    }
    found = list(read_catalogue(listed, TILLERWAY))
    assert [type(one) for one in found] == [
        ListedMod,
        UnreadableEntry,
        UnreadableEntry,
        UnreadableEntry,
        ListedMod,
        ListedMod,
    ]
    assert found[1].entry == "no-name" and "name" in found[1].why
    assert "no place for a tool" in found[4].builds[0].refused
    assert "climbs" in found[5].builds[0].refused
    assert found[0].builds[0].refused == ""
    assert found[0].kind is Kind.MOD


def test_a_catalogue_that_is_none_is_refused() -> None:
    with pytest.raises(MalformedInput):
        list(read_catalogue([], TILLERWAY))


BUILDS = [
    build("ledger", "3", {"core": "<2"}, games=">=2.1"),
    build("almanac", "1", {"core": ">=2"}),
    build("core", "1"),
    build("core", "2"),
    build("capstan-only", "1", loaders={"capstan": "*"}),
]


def test_lines_that_cannot_be_served_are_set_apart_and_the_rest_goes_on() -> None:
    lines = [WantedLine(mod, ANY_VERSION) for mod in ("ledger", "almanac", "capstan-only", "nowhere")]
    found = settle(Eligible(Shelves(BUILDS), BASE), lines, {}, names={"almanac": "Heron Almanac"})
    assert {mod: one.version.text for mod, one in found.picks.items()} == {"ledger": "3", "core": "1"}
    assert set(found.unsettled) == {"almanac", "capstan-only", "nowhere"}
    assert "Heron Almanac 1 needs core 2 or newer." in found.unsettled["almanac"].because
    assert found.unsettled["almanac"].core == ("almanac", "ledger")
    assert found.unsettled["capstan-only"].sentence() == "Its newest build, 1, is made for capstan, not bosun."


def test_a_held_version_that_is_gone_says_so() -> None:
    found = settle(Eligible(Shelves(BUILDS), BASE), [WantedLine("core", parse_range("=1.7"))], {})
    assert found.unsettled["core"].because == ("It has no build exactly 1.7.",)


def test_what_is_no_longer_needed_leaves_even_where_something_else_could_hold_it() -> None:
    found = [build("old", needs={"lib": "*"}), build("lib"), build("host", "1", {"lib": "*"}), build("host", "2")]
    keep = {mod: parse_version(version) for mod, version in {"old": "1.0", "lib": "1.0", "host": "2"}.items()}
    settled = settle(Eligible(Shelves(found), BASE), [WantedLine("host", ANY_VERSION)], keep)
    assert {mod: one.version.text for mod, one in settled.picks.items()} == {"host": "2"}
