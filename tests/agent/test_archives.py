"""Archives looked into before anything of them is written: the shapes in which they come, and hostile ones."""

import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from convoy_core.outside.archive_root import placements
from convoy_core.outside.inspection import MAX_DEPTH, MAX_MEMBERS, Member, inspect_members
from convoy_core.outside.takeover import read_listing
from convoy_core.words.profile import KindLayout

MOD = KindLayout("mods/{mod}", "waybill.toml")
LOOKS = KindLayout("textures/{mod}", "")
GAME = Path(__file__).resolve().parents[2] / "demo/games/tillerway.toml"


def members(*paths: str, size: int = 10) -> list[Member]:
    return [Member(path, size, size) for path in paths]


SHAPES = [
    (["waybill.toml", "a.txt"], MOD, "", 0, ""),
    (["x/y/waybill.toml", "x/y/a.txt", "readme.txt"], MOD, "x/y/", 1, "2 levels down"),
    (["x/waybill.toml", "x/old/waybill.toml"], MOD, "x/", 0, "1 level down"),
    (["x/waybill.toml", "y/waybill.toml"], MOD, None, 0, "2 folders could be meant: x/, y/"),
    (["x/a.txt"], MOD, None, 0, "holds a waybill.toml"),
    (["brick.png", "sub/tile.png"], LOOKS, "", 0, ""),
    (["Pack 2.1/textures/brick.png", "Pack 2.1/readme.txt"], LOOKS, "Pack 2.1/textures/", 1, "2 levels down"),
    (["Textures/brick.png"], LOOKS, "Textures/", 0, "is written “textures” by the game"),
    (["waybill.toml", "more.zip"], MOD, "", 0, "1 archive within"),
]


@pytest.mark.parametrize(("paths", "layout", "root", "left_out", "note"), SHAPES)
def test_the_right_root_is_found_at_any_depth(
    paths: list[str], layout: KindLayout, root: str | None, left_out: int, note: str
) -> None:
    found = inspect_members(members(*paths), layout)
    assert (found.root, found.left_out, found.refusals) == (root, left_out, ())
    assert note in " ".join(found.notes)
    assert bool(note) == bool(found.notes)
    if root is not None:
        placed = placements(paths, layout, "it")
        assert len(placed) == len(paths) - left_out


HOSTILE = [
    (members("../out.txt"), "climbs out"),
    (members("/etc/passwd"), "absolute"),
    (members("C:/x"), "characters"),
    (members("a/aux.txt"), "device"),
    (members("a.txt", "A.txt"), "letter case only"),
    (members("a", "a/b"), "both a file and a folder"),
    (members("x" * 300), "characters"),
    (members("/".join("d" * (MAX_DEPTH + 2))), "folders deep"),
    ([Member("link", 4, 4, is_link=True)], "link"),
    ([Member("safe", 4, 4, is_encrypted=True)], "encrypted"),
    ([Member("bomb", 2**30, 1_000)], "would grow to 1024 MB"),
    (members("big", size=30 * 2**30), "20 is the most"),
    ([Member(f"{n}", 1, 1) for n in range(MAX_MEMBERS + 1)], "entries"),
    ([], "empty"),
]


@pytest.mark.parametrize(("table", "why"), HOSTILE)
def test_hostile_archives_are_refused_by_name(table: list[Member], why: str) -> None:
    found = inspect_members(table, LOOKS)
    assert not found.is_fine
    assert why in " ".join(refusal.why for refusal in found.refusals)


def make(path: Path, files: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files.items():
            packed.writestr(name, content)
    return path


def run(*words: object) -> subprocess.CompletedProcess:
    return subprocess.run([sys.executable, "-m", "convoy_agent", *map(str, words)], capture_output=True, text=True)


def inspect(archive: Path, *options: str) -> tuple[int, dict, str]:
    done = run("inspect", archive, *options)
    return done.returncode, json.loads(done.stdout or "{}"), done.stderr


def test_the_command_tells_root_marker_and_hashes(tmp_path: Path) -> None:
    marker = b'id = "heron"\nversion = "1.2"\n'
    archive = make(
        tmp_path / "heron.zip", {"Heron 1.2/waybill.toml": marker, "Heron 1.2/a.txt": b"a", "notes.txt": b"n"}
    )
    code, told, _ = inspect(archive, "--game", str(GAME), "--hash")
    assert code == 0
    assert (told["root"], told["left_out"], told["marker"]) == ("Heron 1.2/", 1, {"id": "heron", "version": "1.2"})
    assert told["hashes"]["notes.txt"].startswith("1b16b1df")
    hostile = make(tmp_path / "hostile.zip", {"../../outside.txt": b"x"})
    code, told, _ = inspect(hostile, "--game", str(GAME))
    assert (code, told["refused"][0]["path"]) == (1, "../../outside.txt")


@pytest.mark.parametrize("keep", [0, 10, 100, -30])
def test_what_is_cut_short_is_said(tmp_path: Path, keep: int) -> None:
    archive = make(tmp_path / "whole.zip", {"waybill.toml": bytes(5_000), "a": b"b" * 3_000})
    archive.write_bytes(archive.read_bytes()[:keep])
    code, _, told = inspect(archive)
    assert code == 2
    assert "no ZIP archive, or was cut short" in told
    assert "Traceback" not in told


def test_a_scan_lists_files_and_follows_no_link(tmp_path: Path) -> None:
    folder, out = tmp_path / "game", tmp_path / "listing.json"
    (folder / "mods/über").mkdir(parents=True)
    (folder / "mods/über/a.dat").write_bytes(b"a")
    (folder / ".convoy").mkdir()
    (folder / ".convoy/record.json").write_text("{}")
    (tmp_path / "secret").write_text("elsewhere")
    (folder / "mods/link").symlink_to(tmp_path / "secret")
    (folder / "out").symlink_to(tmp_path)
    os.mkfifo(folder / "pipe")
    (folder / "line\nbreak").write_text("odd")
    assert run("scan", folder, "--out", out).returncode == 0
    listed = read_listing(out.read_bytes())
    assert [(file.path, file.size) for file in listed] == [("mods/über/a.dat", 1)]
    assert run("scan", tmp_path / "nowhere").returncode == 2


def test_settings_are_read_changed_and_merged_on_the_command_line(tmp_path: Path) -> None:
    before, mine, new = (tmp_path / name for name in ("before.toml", "mine.toml", "new.toml"))
    before.write_text("[bow]\nstrength = 5\ncolour = 'red'\n")
    mine.write_text("# mine\n[bow]\nstrength = 5\ncolour = 'blue'\n")
    new.write_text("[bow]\nstrength = 7\ncolour = 'green'\n")
    told = json.loads(run("settings", "merge", before, mine, new).stdout)
    assert told == {
        "changed": ["bow/strength"],
        "kept": [{"key": "bow/colour", "mine": "blue", "new": "green"}],
        "overruled": [],
    }
    assert mine.read_text() == "# mine\n[bow]\nstrength = 7\ncolour = 'blue'\n"
    assert run("settings", "set", mine, "bow/strength", "9").returncode == 0
    assert run("settings", "get", mine, "bow/strength").stdout == "9\n"
    assert run("settings", "get", mine, "bow/none").returncode == 2
    mine.write_text("list = [ # of all\n 1]\n")
    assert "1 comment within what is replaced" in run("settings", "set", mine, "list", "[2]").stderr
    mine.write_text("= broken")
    refused = run("settings", "set", mine, "bow/strength", "1")
    assert (refused.returncode, "cannot be read" in refused.stderr, mine.read_text()) == (2, True, "= broken")
