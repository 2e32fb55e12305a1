"""What may be placed on every system, and what is one file where neither case nor the writing of accents counts."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.lock.canonical import sha256_hex
from convoy_core.outside.paths import MAX_NAME_BYTES, MAX_PATH_LENGTH, checked_path, fold, refuse_twins, respelled
from convoy_core.sync.plan import Recorded, Scan, make_plan
from convoy_core.sync.undoing import to_take_back
from convoy_core.words.errors import HostileArchive

from .making import lock, locked

REFUSED = [
    ("", "1 to"), ("x" * (MAX_PATH_LENGTH + 1), "1 to"), ("/etc/passwd", "absolute"), ("a/../b", "climbs"),
    ("a//b", "empty part"), ("a/./b", "empty part"), ("a/b ", "full stop"), ("a./b", "full stop"),
    ("a/CON", "device"), ("lpt1.txt/b", "device"), ("com¹", "device"), (".CONVOY/record.json", "agent's own"),
    ("a\\b", "characters"), ("c:/a", "characters"), ("a/b?", "characters"), ("a/\x1f", "characters"),
    ("a/\ud800", "characters"), ("a/" + "灯" * 81, f"{MAX_NAME_BYTES} bytes"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "why"), REFUSED)
def test_refused_with_what_is_wrong(path: str, why: str) -> None:
    with pytest.raises(HostileArchive, match=why):
        checked_path(path)


@pytest.mark.parametrize("path", ["a", "mods/Ledger v2 (old)/ä.dat", "a/" + "灯" * 80, "console/null.txt", ".hidden/x"])
def test_honest_paths_are_taken(path: str) -> None:
    assert checked_path(path) == path
    assert len((path.rpartition("/")[2] + ".from-pack.convoy-new").encode()) <= 262


@pytest.mark.parametrize(
    ("paths", "why"),
    [
        (["mods/A", "mods/a"], "letter case only"),
        (["mods/\u00e9", "mods/e\u0301"], "accent"),
        (["straße", "STRASSE"], "letter case"),
        (["mods/a", "Mods/A/b"], "both a file and a folder"),
    ],
)
def test_twins_are_refused(paths: list[str], why: str) -> None:
    for order in (paths, paths[::-1]):
        with pytest.raises(HostileArchive, match=why):
            refuse_twins(order)


words = st.text(st.sampled_from("aAbBéÉß"), min_size=1, max_size=3)
trees = st.lists(st.lists(words, min_size=1, max_size=3).map("/".join), max_size=8, unique_by=fold)


def otherwise(path: str) -> str:
    return unicodedata.normalize("NFD", path.swapcase())


@given(trees)
def test_whatever_case_a_system_keeps_the_wanted_spelling_is_found(wanted: list[str]) -> None:
    found = {otherwise(path): path for path in wanted}
    for path, meant in respelled(found, wanted).items():
        assert fold(path) == fold(meant)
        assert path == meant or any(other != meant and fold(other).startswith(fold(meant) + "/") for other in wanted)


def test_strangers_keep_their_names_in_folders_that_are_known() -> None:
    found = {"MODS/ledger/A.DAT": 1, "Mods/Mine.zip": 2, "Worlds/One": 3}
    assert respelled(found, ["mods", "mods/ledger/a.dat"]) == {
        "mods/ledger/a.dat": 1,
        "mods/Mine.zip": 2,
        "Worlds/One": 3,
    }


def test_a_release_that_only_writes_names_otherwise_changes_nothing_where_case_does_not_count() -> None:
    before, after = {"mods/Ledger/A.dat": "a"}, {"mods/ledger/a.dat": "a"}
    target = lock((locked("ledger"), after))
    lies = {path: sha256_hex(text.encode()) for path, text in before.items()}
    record, scan = (respelled(lies, target.by_path) for _ in range(2))
    assert make_plan(Recorded(record), Scan(scan), target).moves == ()


def entry(before: str, release: str, undoes: bool = False) -> dict[str, object]:
    return {"from": before, "release": release, "undoes": undoes}


@pytest.mark.parametrize(
    ("syncs", "back"),
    [
        ([], None),
        ([entry("", "1")], None),
        ([entry("", "1"), entry("1", "2")], 1),
        ([entry("", "1"), entry("1", "2"), entry("2", "1", True)], None),
        ([entry("", "1"), entry("1", "2"), entry("2", "1", True), entry("1", "3")], 3),
        ([entry("", "1"), entry("1", "2"), entry("2", "3"), entry("3", "2", True)], 1),
        ([entry("", "1"), entry("1", "1")], 1),
    ],
)
def test_the_newest_sync_that_stands_is_taken_back(syncs: list[dict[str, object]], back: int | None) -> None:
    assert to_take_back(syncs) == (None if back is None else syncs[back])
