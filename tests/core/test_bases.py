"""Which base suits: counted line by line, with counterparts, and which others lie nearest."""

from pathlib import Path

import pytest

from convoy_core.draft.bases import outlook
from convoy_core.draft.settling import WantedLine
from convoy_core.outside.game_profile import read_profile
from convoy_core.resolve import Shelves
from convoy_core.words.model import Base
from convoy_core.words.ranges import ANY_VERSION, parse_range
from convoy_core.words.versions import parse_version

from .making import build

GAMES = Path(__file__).resolve().parents[2] / "demo" / "games"
TILLERWAY = read_profile((GAMES / "tillerway.toml").read_text())
HOLLOW = read_profile((GAMES / "gauge-hollow.toml").read_text())

BUILDS = [
    build("both", "1", loaders={"bosun": "*", "capstan": "*"}),
    build("newer", "2", loaders={"bosun": "*"}),
    build("newer", "1", loaders={"capstan": "*"}),
    build("ledger", "3", loaders={"bosun": "*"}),
    build("books", "1", loaders={"capstan": "*"}),
    build("alone", "1", loaders={"bosun": "*"}),
]
LINES = [WantedLine(mod, ANY_VERSION) for mod in ("both", "newer", "ledger", "alone", "gone")]


def base(version: str, loader: str, loader_version: str) -> Base:
    return TILLERWAY.base(version, loader, loader_version)


def test_each_line_is_counted_once_and_where_it_belongs() -> None:
    picks = {one.mod: one for one in BUILDS if one.mod != "newer" or one.version.text == "2"}
    found = outlook(base("2.1.0", "capstan", "0.14.0"), LINES, Shelves(BUILDS), picks, {"ledger": ["books"]})
    assert found.same == ("both",)
    assert found.change == {"newer": "1"}
    assert found.through == {"ledger": "books"}
    assert found.missing == {"alone": "made for Bosun, not Capstan", "gone": ""}
    assert found.exist == 3


def test_a_held_line_does_not_count_where_its_version_does_not_fit() -> None:
    held = [WantedLine("newer", parse_range("=2"))]
    found = outlook(base("2.1.0", "capstan", "0.14.0"), held, Shelves(BUILDS), {}, {})
    assert found.missing == {"newer": "made for Bosun, not Capstan"}


def test_every_game_version_comes_with_every_loader_that_runs_on_it() -> None:
    found = [(str(one.version), one.loader, str(one.loader_version)) for one in TILLERWAY.bases()]
    assert ("2.1.0", "bosun", "5.3.1") in found
    assert ("1.8.0", "capstan", "0.9.7") in found
    assert len(found) == len(set(found))
    assert [(one.loader, one.loader_version) for one in HOLLOW.bases()] == [("", None)] * len(HOLLOW.versions)


NEAREST = [
    (("2.1.0", "bosun", "5.2.0"), ("2.0.1", "bosun")),
    (("1.9.0", "capstan", "0.9.7"), ("2.0.0", "capstan")),
]


@pytest.mark.parametrize(("here", "first"), NEAREST)
def test_neighbours_keep_the_loader_and_are_stable(here: tuple[str, str, str], first: tuple[str, str]) -> None:
    found = TILLERWAY.neighbours(base(*here))
    assert (str(found[0].version), found[0].loader) == first
    assert all(str(one.version) not in ("2.2.0", "0.9.0") for one in found)
    assert (parse_version(here[0]), here[1]) not in {(one.version, one.loader) for one in found}
