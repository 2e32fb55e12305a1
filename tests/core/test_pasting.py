"""Pasted text: every shape in which people copy lists of mods, and what is thrown at a parser."""

import pytest

from convoy_core.outside.pasting import MAX_LINES, folded, read_paste

LINES = [
    ("Heron Almanac", "heronalmanac", ""),
    ("  - [x] Heron Almanac 2.0.2", "heronalmanac", "2.0.2"),
    ("12. heron-almanac@2.0", "heronalmanac", "2.0"),
    ("* Heron Almanac (v1.4)", "heronalmanac", "1.4"),
    ("heron-almanac-2.1.0-beta.2.zip", "heronalmanac", "2.1.0-beta.2"),
    ("[Heron Almanac](https://harbour.example/mods/heron-almanac)", "heronalmanac", ""),
    ("https://harbour.example/mods/heron-almanac?tab=files", "heronalmanac", ""),
    ("Heron Almanac – https://harbour.example/mods/heron-almanac.", "heronalmanac", ""),
    ("Reiher Ålmanach Größe", "reiherlmanachgrsse", ""),
    ("青鷺 の 暦", "青鷺の暦", ""),
    ("Route 66", "route", "66"),
    ("7\tHeron Almanac\t2.0.2\thttps://harbour.example/mods/heron-almanac", "heronalmanac", "2.0.2"),
    ('"2.0.2";"Heron Almanac";"";"yes"', "heronalmanac", "2.0.2"),
    ("https://harbour.example/mods/heron-almanac; ;2.0", "heronalmanac", "2.0"),
]


@pytest.mark.parametrize(("text", "name", "version"), LINES)
def test_a_line_gives_what_to_look_for(text: str, name: str, version: str) -> None:
    (line,) = read_paste(text).lines
    assert name in line.names
    assert line.version == version
    if version:
        assert any(folded(version) in one for one in line.names), "the whole text may be the name, too"


def test_a_link_is_kept_as_address() -> None:
    (line,) = read_paste("see <https://harbour.example/mods/heron-almanac>, please").lines
    assert line.url == "https://harbour.example/mods/heron-almanac"


def test_half_a_megabyte_and_nonsense_do_no_harm() -> None:
    read = read_paste("x" * 300 + "\n" + "Heron Almanac\n" * 40_000)
    assert len(read.lines) == MAX_LINES
    assert read.left_out > 30_000
    assert read_paste("\x00\n\n# heading\n   \n```").lines == ()
    for odd in ("http://[::1", "[](", "((((((" * 60, "<script>alert(1)</script>", "-" * 300, "https://" + "a/" * 140):
        assert len(read_paste(odd + " word").lines) <= 1


def test_the_head_of_a_spreadsheet_is_no_mod() -> None:
    read = read_paste("Name;Version;Link\nHeron Almanac;2.0.2;\nMoon Tables;;")
    assert [line.names[0] for line in read.lines] == ["heronalmanac", "moontables"]
    assert [line.version for line in read.lines] == ["2.0.2", ""]
    assert len(read_paste("Name\nHeron Almanac").lines) == 2  # one column is a list, whatever stands first
