"""`convoy source make`: a folder of archives becomes a signed catalogue, again and again; nothing hostile gets in."""

import json
import shutil
import zipfile
from pathlib import Path
from typing import Any

import pytest

from convoy_agent.sourcing import make, reading
from convoy_agent.sourcing.make import CannotMake, Made, OtherKey, make_source
from convoy_core.outside.catalogue import ListedMod, read_catalogue, read_index
from convoy_core.outside.game_profile import read_profile
from convoy_core.source.pages import check_signature, signature_name
from convoy_core.words.errors import BadSignature, MalformedInput
from tests.third_game import block, marker, write_archive, write_folder


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return write_folder(tmp_path / "in")


def made(folder: Path, **given: Any) -> Made:
    return make_source(folder, folder.parent / "out", folder.parent / "key", **given)


def index_of(folder: Path) -> dict[str, Any]:
    return json.loads((folder.parent / "out" / "catalogue.json").read_bytes())


def listed(folder: Path) -> dict[str, ListedMod]:
    """Everything as a site would read it."""
    out, told = folder.parent / "out", index_of(folder)
    profile = read_profile((out / told["profile"]).read_text())
    found = {}
    for page in read_index(told) or []:
        for one in read_catalogue(json.loads((out / page.name).read_bytes()), profile):
            assert isinstance(one, ListedMod), one
            found[one.id] = one
    return found


def everything(out: Path) -> dict[str, bytes]:
    return {str(path.relative_to(out)): path.read_bytes() for path in sorted(out.rglob("*")) if path.is_file()}


def test_the_worked_example_is_listed_as_its_page_says(folder: Path) -> None:
    result = made(folder)
    assert (result.mods, result.builds, result.fresh, result.troubles) == (4, 5, 5, ())
    mods = listed(folder)
    assert mods["rope-bridges"].builds[0].build.needs["knots"].text == ">=1"
    assert [str(one.build.version) for one in mods["knots"].builds] == ["1.1", "1.0"]
    assert (mods["knots"].kind, mods["clear-skies"].kind) == ("library", "lighting pack")
    assert mods["clear-skies"].builds[0].build.loaders == {}
    assert mods["rope-bridges"].licence == "CC-BY-4.0"
    out = folder.parent / "out"
    for mod in mods.values():
        for one in mod.builds:
            assert (out / one.urls[0]).stat().st_size == one.archive.size
    index = (out / "catalogue.json").read_bytes()
    check_signature(index_of(folder)["key"], index, (out / signature_name(index)).read_bytes())
    with pytest.raises(BadSignature):
        check_signature(index_of(folder)["key"], index + b" ", (out / signature_name(index)).read_bytes())


def test_the_same_again_changes_nothing_and_elsewhere_gives_the_same_bytes(folder: Path) -> None:
    made(folder)
    before = everything(folder.parent / "out")
    again = made(folder)
    assert (again.fresh, again.changed) == (0, False)
    shutil.rmtree(folder / ".convoy-source")
    assert made(folder).fresh == 5
    assert everything(folder.parent / "out") == before
    make_source(folder, folder.parent / "other", folder.parent / "key")
    assert everything(folder.parent / "other") == before


def test_a_new_archive_is_read_alone_and_earlier_builds_stay(folder: Path) -> None:
    made(folder)
    (folder / "rope-bridges-1.2.zip").unlink()
    write_archive(folder / "sub" / "rope-bridges-1.3.zip", {"hitch.toml": marker("rope-bridges", "1.3"), "b": "new"})
    (folder / "sub" / "rope-bridges-1.3.md").write_text("Planks that creak.\n")
    result = made(folder)
    assert (result.fresh, result.kept) == (1, 1)
    newest, older = listed(folder)["rope-bridges"].builds
    assert (str(newest.build.version), newest.change_log) == ("1.3", "Planks that creak.")
    assert (folder.parent / "out" / older.urls[0]).exists()
    for _ in range(2):
        made(folder)
    assert len(list((folder.parent / "out" / "catalogue").glob("*.json"))) <= 2 * len(index_of(folder)["pages"])


HOSTILE = {
    "climbs-1.zip": ({"../../x": "y"}, "climbs out"),
    "twins-1.zip": ({"hitch.toml": marker("twins", "1"), "A": "1", "a": "2"}, "letter case"),
    "nameless.zip": ({"hitch.toml": "x = 1", "a": "1"}, "which mod it is"),
    "knots-again-1.1.zip": ({"hitch.toml": marker("knots", "1.1"), "a": "1"}, "listed with another file"),
    "odd-1.zip": ({"a": "1"}, "Nothing in it says what it is"),
    "two-1.zip": ({"x/hitch.toml": marker("two", "1"), "y/hitch.toml": marker("two", "1")}, "says what it is"),
    "wrong-needs-1.zip": ({"hitch.toml": marker("wrong-needs", "1", 'needs = { knots = "newest" }')}, "version range"),
    "shouting-1.zip": ({"hitch.toml": marker("SHOUTING", "1")}, "which mod it is"),
}


def test_what_cannot_be_listed_is_told_by_file_and_the_rest_is_listed(folder: Path) -> None:
    for name, (members, _) in HOSTILE.items():
        write_archive(folder / name, members)
    (folder / "cut-1.zip").write_bytes((folder / "knots-1.0.zip").read_bytes()[:-40])
    with zipfile.ZipFile(folder / "bomb-1.zip", "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("hitch.toml", marker("bomb", "1"))
        packed.writestr("zeros", b"\0" * 40_000_000)
    (folder / "knots.toml").write_text('id = "knots"\nsumary = "a slip"\npictures = ["../key", "none.png"]\n')
    (folder / "broken.toml").write_text('id = "x\n')
    (folder / "around").symlink_to(folder.parent)
    result = made(folder)
    told = {one.file: one.sentence_with_place() for one in result.troubles}
    for name, (_, says) in HOSTILE.items():
        assert says in told[name], told[name]
    assert "cut short" in told["cut-1.zip"]
    assert "would grow" in told["bomb-1.zip"]
    assert told["broken.toml"].startswith("broken.toml:1: It is no TOML")
    assert any(
        one.sentence_with_place().startswith("knots.toml:2: There is no field “sumary”") for one in result.troubles
    )
    assert set(listed(folder)) == {"rope-bridges", "knots", "warm-huts", "clear-skies"}
    assert not [name for name in everything(folder.parent / "out") if "key" in name or name.startswith("pictures")]


def test_another_key_is_refused_and_so_is_a_folder_that_says_nothing(folder: Path) -> None:
    made(folder)
    before = everything(folder.parent / "out")
    with pytest.raises(OtherKey):
        make_source(folder, folder.parent / "out", folder.parent / "other-key")
    assert everything(folder.parent / "out") == before
    make_source(folder, folder.parent / "out", folder.parent / "other-key", new=True)
    assert index_of(folder)["key"] != json.loads(before["catalogue.json"])["key"]
    (folder.parent / "key").write_bytes(b"short")
    with pytest.raises(MalformedInput):
        made(folder)
    for name, text in (("source.toml", "nothing = 1"), ("source.toml", None), ("fellwright.toml", "id = 3")):
        (folder / "source.toml").write_text(block("source.toml"))
        (folder / name).unlink() if text is None else (folder / name).write_text(text)
        with pytest.raises((CannotMake, MalformedInput)):
            make_source(folder, folder.parent / "out", folder.parent / "other-key")


def test_a_stop_at_any_write_leaves_a_source_that_can_be_read(folder: Path, monkeypatch) -> None:
    made(folder)
    write_archive(folder / "warm-huts-1.0.zip", {"hitch.toml": marker("warm-huts", "1.0"), "b": "new"})
    writes, allowed = 0, {"writes": 0}
    real = make.write_at_once

    def stopping(*given: Any, **more: Any) -> None:
        nonlocal writes
        writes += 1
        if writes > allowed["writes"]:
            raise KeyboardInterrupt
        real(*given, **more)

    monkeypatch.setattr(make, "write_at_once", stopping)
    for number in range(10):
        writes, allowed["writes"] = 0, number
        try:
            made(folder)
        except KeyboardInterrupt:
            assert [str(one.build.version) for one in listed(folder)["warm-huts"].builds] == ["0.9"]
            continue
        break
    assert number > 1
    assert len(listed(folder)["warm-huts"].builds) == 2


def test_a_stop_while_reading_keeps_what_was_read(folder: Path, monkeypatch) -> None:
    def stop(done: int, of: int) -> None:
        if done == 3:
            raise KeyboardInterrupt

    monkeypatch.setattr(reading.os, "cpu_count", lambda: 1)
    with pytest.raises(KeyboardInterrupt):
        made(folder, done=stop)
    assert not (folder.parent / "out" / "catalogue.json").exists()
    assert 0 < made(folder).fresh < 5
