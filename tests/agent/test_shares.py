"""A server's share, laid down by its own script: real archives, names made to be commands, and another's checks."""

import os
import subprocess
import zipfile
from dataclasses import replace
from pathlib import Path

import pytest

from convoy_core.handing_out.share import BY_HAND, FOLDER, SCRIPT, SETTINGS, make_share
from convoy_core.lock.lock import OVERLAY
from convoy_core.lock.recipe import Recipe, read_recipe
from convoy_core.lock.terms import How, Terms, Tweak
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Pickup, Side
from convoy_io.shares import write_share
from convoy_io.zips import ArchiveWrong

from .harbour import Harbour

HOSTILE = (
    "$(touch pwned).txt", "`touch pwned`.txt", "; touch pwned ;.txt", "-rf.txt", "a b  c.txt", "it's.txt", "é—ü.txt",
    "[a-z].txt", "%TEMP%.txt", "$env.txt", "&& touch pwned.txt", "#x.txt",
)  # fmt: skip
MODS = {
    "carried": {name: f"inside {name}" for name in HOSTILE},
    "fetched": {name: f"outside {name}" for name in HOSTILE},
    "brought": {"d.txt": "by hand"},
    "players": {"p.txt": "not here"},
    OVERLAY: {"rules.toml": 'speed = 1\nname = "x"\n'},
}  # fmt: skip
LICENCES = {"carried": "MIT", "fetched": "LicenseRef-mine", "brought": "LicenseRef-mine", "players": "MIT"}


@pytest.fixture
def recipe(harbour: Harbour) -> Recipe:
    pickups = {"brought": Pickup.BY_HAND, OVERLAY: Pickup.OURS}
    harbour.publish("2.0.0", MODS, pickups=pickups, sides={"players": Side.PLAYER})
    told = read_recipe(harbour.documents["2.0.0"])
    builds = tuple(replace(one, licence=LICENCES.get(one.mod, "")) for one in told.lock.builds)
    path = next(file.path for file in told.lock.files if file.mod == OVERLAY)
    terms = Terms(settings=(path,), tweaks=(Tweak(path, ("speed",), 7, How.ENFORCED),))
    return replace(told, lock=replace(told.lock, builds=builds, terms=terms))


def laid_down(recipe: Recipe, harbour: Harbour, folder: Path) -> Path:
    sources = {"harbour": f"{harbour.address}/harbour"}
    places = {one.archive.sha256: harbour.archive(one.mod) for one in recipe.lock.builds}
    share = make_share(recipe, Side.SERVER, sources, places)
    with (folder / "share.zip").open("wb") as out:
        write_share(share, places.__getitem__, out)
    server = folder / "the server's $(touch pwned) folder"
    with zipfile.ZipFile(folder / "share.zip") as packed:
        packed.extractall(server)
        mode = packed.getinfo(SCRIPT).external_attr >> 16
    assert mode & 0o111
    return server


def run(server: Path) -> subprocess.CompletedProcess[str]:
    environment = {"PATH": os.environ["PATH"], "HOME": str(server)}
    command = ["sh", str(server / SCRIPT)]
    return subprocess.run(command, cwd=server.parent, env=environment, capture_output=True, text=True, timeout=60)


def checked(server: Path) -> int:
    return subprocess.run(["sha256sum", "-c", "--quiet", "SHA256SUMS"], cwd=server, capture_output=True).returncode


def test_a_share_is_laid_down_by_its_script_and_no_name_is_a_command(
    recipe: Recipe, harbour: Harbour, tmp_path: Path
) -> None:
    server = laid_down(recipe, harbour, tmp_path)
    rules = next(file.path for file in recipe.lock.files if file.mod == OVERLAY)
    assert (server / rules).read_text() == 'speed = 7\nname = "x"\n', "settings come with the pack's tweaks in them"
    assert not (server / SETTINGS).exists()
    assert checked(server) != 0
    first = run(server)
    assert first.returncode != 0 and "1 archives are missing" in first.stderr, first.stderr
    assert "Leave it in _convoy/inbox" in (server / BY_HAND).read_text()
    (server / FOLDER / "inbox" / "whatever (1).zip").write_bytes(harbour.archive("brought").read_bytes())
    second = run(server)
    assert second.returncode == 0 and "All of it is here." in second.stdout, second.stderr
    assert checked(server) == 0
    names = {path.name for path in server.rglob("*.txt")}
    assert set(HOSTILE) <= names and "p.txt" not in names
    assert not list(tmp_path.rglob("pwned")) and not Path("pwned").exists()
    assert run(server).returncode == 0, "a second run finds all of it there"


def test_what_its_source_swapped_is_not_laid_down(recipe: Recipe, harbour: Harbour, tmp_path: Path) -> None:
    server = laid_down(recipe, harbour, tmp_path)
    other = harbour.archive("brought").read_bytes()
    harbour.archive("fetched").write_bytes(other)
    told = run(server)
    assert told.returncode != 0 and "Not what was asked for" in told.stderr
    assert not [path for path in server.rglob("*.txt") if path.read_text().startswith("outside")]


def test_a_damaged_copy_makes_no_share_and_no_pack_lays_its_own_script(
    recipe: Recipe, harbour: Harbour, tmp_path: Path
) -> None:
    harbour.archive("carried").write_bytes(harbour.archive("brought").read_bytes())
    with pytest.raises(ArchiveWrong):
        laid_down(recipe, harbour, tmp_path)
    for path in (SCRIPT, "sha256sums"):
        file = replace(recipe.lock.files[0], path=path)
        bad = replace(recipe, lock=replace(recipe.lock, files=(*recipe.lock.files, file)))
        with pytest.raises(MalformedInput, match="where the scripts would"):
            make_share(bad, Side.SERVER, {}, ())


def test_the_scripts_are_the_same_for_every_pack(recipe: Recipe) -> None:
    """Nothing of a pack is in them: what there is to quote are tables, read line by line."""
    told = (recipe, replace(recipe, pack_name=HOSTILE[0]))
    shares = [make_share(one, side, {}, ()) for one in told for side in (Side.PLAYER, Side.SERVER)]
    assert len({one.notes[SCRIPT] for one in shares}) == len({one.notes[f"{FOLDER}/fetch.ps1"] for one in shares}) == 1
    assert subprocess.run(["sh", "-n"], input=shares[0].notes[SCRIPT]).returncode == 0
