"""Windows' and macOS' ways, as rules that can be tried anywhere: held files, junctions, long paths, consoles, flushes.

What these stand for, and what has been tried on no such machine, is written down in docs/systems.md.
"""

import os
import re
import stat
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import pytest

from convoy_agent.commands.exits import EXITS, as_help
from convoy_agent.errors import DiskFull, FolderRefused
from convoy_agent.folder.copying import copy_game
from convoy_agent.site.progress import Silent
from convoy_agent.storage import disk
from convoy_core.outside.paths import checked_path, is_agents, is_litter, own_name
from convoy_core.words.errors import HostileArchive

from .conftest import NEWER, Member
from .test_sync import run

LONG = [
    ("C:\\Games\\pack", "\\\\?\\C:\\Games\\pack"),
    ("C:\\Games\\other\\..\\pack", "\\\\?\\C:\\Games\\pack"),
    ("C:/Games/./pack", "\\\\?\\C:\\Games\\pack"),
    ("\\\\server\\share\\pack\\..\\two", "\\\\?\\UNC\\server\\share\\two"),
    ("\\\\?\\C:\\Games", "\\\\?\\C:\\Games"),
    ("\\\\.\\pipe\\x", "\\\\.\\pipe\\x"),
    ("pack", "pack"),
]


@pytest.mark.parametrize(("folder", "reaching"), LONG)
def test_windows_folders_take_long_paths_with_everything_resolved_before(folder: str, reaching: str) -> None:
    assert disk.far_reaching(folder, windows=True) == reaching
    assert disk.far_reaching(folder, windows=False) == folder


@pytest.mark.parametrize(
    "name", [".convoy", ".CONVOY", ".convoy.", ".convoy ", "CONVOY~1", "convoy~12", ".con\u200cvoy"]
)
def test_whatever_some_system_takes_for_the_agents_folder_holds_no_file_of_a_pack(name: str) -> None:
    assert is_agents(name)
    with pytest.raises(HostileArchive):
        checked_path(f"{name}/pairing.json")
    with pytest.raises(HostileArchive):
        own_name(f"{name}/pairing.json")


@pytest.mark.parametrize("path", ["../x", "a/../x", "/x", "a//x", "./x", "", "a/\0"])
def test_a_name_of_the_members_may_be_anything_but_lead_out(path: str) -> None:
    with pytest.raises(HostileArchive):
        own_name(path)


def test_litter_is_known_by_its_name() -> None:
    litter = [
        "mods/.DS_Store",
        "mods/x/thumbs.DB",
        "lost+found/a",
        "mods/._x.zip",
        ".Trash-1000/files/x",
        "a/desktop.ini",
    ]
    assert all(map(is_litter, litter))
    assert not any(map(is_litter, ["mods/store", "mods/lost", "mods/_x.zip", "mods/DS_Store.zip", "mods/._"]))


# --- Files that somebody holds


class Holder:
    """Refuses the first `times` acts on each file, as Windows does while a scanner has it open."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, root: Path, times: int, number: int = 32) -> None:
        self.times, self.root, self.number = times, str(root), number
        self.asked: dict[tuple[str, str], int] = {}
        for name in ("replace", "unlink", "rmdir"):
            self._wrap(monkeypatch, name)

    def _wrap(self, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
        real = getattr(Path, name)

        def held(place: Path, *given: object, **more: object) -> object:
            about = (name, str(given[0] if given else place))
            if about[1].startswith(self.root) and ".convoy/lock" not in about[1]:
                self.asked[about] = self.asked.get(about, 0) + 1
                if self.asked[about] <= self.times:
                    error = PermissionError(13, "held", about[1])
                    error.winerror = self.number
                    raise error
            return real(place, *given, **more)

        monkeypatch.setattr(Path, name, held)


@pytest.mark.parametrize("number", disk.HELD)
def test_a_file_that_is_held_for_a_moment_is_asked_again(
    member: Member, monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    member.sync()
    member.harbour.publish("1.1.0", NEWER)
    with monkeypatch.context() as meanwhile:
        meanwhile.setattr(disk.time, "sleep", lambda seconds: None)
        holder = Holder(meanwhile, member.folder, times=2, number=number)
        member.sync()
    assert max(holder.asked.values()) >= 3
    member.holds(NEWER)


def test_a_file_that_stays_held_is_said_and_the_change_ends_later(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    member.harbour.publish("1.1.0", NEWER)
    with monkeypatch.context() as meanwhile:
        meanwhile.setattr(disk, "HELD_FOR", 0.05)
        Holder(meanwhile, member.folder / "mods", times=10**6)
        with pytest.raises(FolderRefused, match="cannot be written") as refused:
            member.sync()
        assert "Close the game" in refused.value.sentence()
    assert member.sync().recovered
    member.holds(NEWER)


def test_other_refusals_are_not_asked_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    holder = Holder(monkeypatch, tmp_path, times=10**6, number=1314)
    (tmp_path / "x").write_text("x")
    with pytest.raises(PermissionError):
        disk.remove(tmp_path / "x")
    assert list(holder.asked.values()) == [1]


# --- Links of other kinds


TAGS = {"junction": 0xA0000003, "symbolic link": 0xA000000C, "cloud file": 0x9000001A, "plain": 0}


@pytest.mark.parametrize(("kind", "tag"), TAGS.items())
def test_junctions_are_links_and_files_in_a_cloud_are_none(kind: str, tag: int) -> None:
    info = SimpleNamespace(st_mode=stat.S_IFDIR, st_reparse_tag=tag)
    assert disk.looks_like_link(info) == (kind in ("junction", "symbolic link"))


@pytest.mark.parametrize("place", ["mods/ledger", "worlds"])
def test_a_junction_is_neither_followed_nor_written_through(
    member: Member, monkeypatch: pytest.MonkeyPatch, place: str
) -> None:
    member.sync()
    where = member.folder / place
    where.mkdir(exist_ok=True)
    (where / "theirs.txt").write_text("somebody else's")
    inode = where.stat().st_ino
    looks = disk.looks_like_link
    monkeypatch.setattr(disk, "WINDOWS", True)
    monkeypatch.setattr(disk, "looks_like_link", lambda info: getattr(info, "st_ino", 0) == inode or looks(info))
    member.harbour.publish("1.1.0", NEWER)
    if place.startswith("mods"):
        with pytest.raises(FolderRefused, match="is a link"):
            member.sync()
    else:
        member.sync()
    assert (where / "theirs.txt").read_text() == "somebody else's"


def test_a_game_is_not_copied_into_itself_however_it_is_called(tmp_path: Path) -> None:
    game = tmp_path / "Game"
    (game / "saves").mkdir(parents=True)
    (game / "start.bin").write_text("x")
    (tmp_path / "short~1").symlink_to(game)
    for place in (game, game / "copy", tmp_path / "short~1/copy", tmp_path / "short~1", tmp_path):
        with pytest.raises(FolderRefused, match="game's own folder"):
            copy_game(game, place, Silent())
    with pytest.raises(FolderRefused, match="game's own folder"):
        copy_game(tmp_path / "short~1", game / "saves/copy", Silent())
    copy_game(tmp_path / "short~1", tmp_path / "copy", Silent())
    assert (tmp_path / "copy/start.bin").read_text() == "x"


def test_what_must_stay_free_is_part_of_the_sum(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "game").mkdir()
    (tmp_path / "game/a").write_bytes(bytes(2**20))
    monkeypatch.setattr("convoy_agent.folder.copying.shutil.disk_usage", lambda _: SimpleNamespace(free=40 * 2**20))
    with pytest.raises(DiskFull, match="66 MB, 64 MB of them to stay free"):
        copy_game(tmp_path / "game", tmp_path / "copy", Silent())


# --- On the disk before the journal


def test_where_files_are_made_sure_of_by_handle_each_is_before_the_journal(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    (member.folder / "mods/ledger/data/a.dat").write_text("mine")
    monkeypatch.setattr(disk, "BY_HANDLE", True)
    sure: list[int] = []
    made_sure = disk.made_sure
    monkeypatch.setattr(
        disk, "made_sure", lambda file: (made_sure(file), sure.append(os.fstat(file.fileno()).st_ino))[0]
    )
    staged: list[int] = []

    def look(name: str) -> None:
        if name == "journal":
            staged.extend(place.stat().st_ino for place in (member.folder / ".convoy/staging").iterdir())

    member.harbour.publish("1.1.0", NEWER)
    member.sync(step=look)
    assert len(staged) == 2 and set(staged) <= set(sure)
    member.holds(NEWER)


# --- Consoles


def test_a_console_that_knows_few_signs_stops_no_command(member: Member) -> None:
    member.sync()
    (member.folder / "mods/⛵ 川 “x”.zip").write_text("mine")
    command = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root), "status"]
    narrow = {**os.environ, "PYTHONIOENCODING": "cp1252", "COLUMNS": "200", "PYTHONUTF8": "0"}
    done = subprocess.run([*command, "--folder", str(member.folder)], capture_output=True, env=narrow)
    assert done.returncode == 1 and b"Traceback" not in done.stderr
    told = done.stdout.decode("cp1252")
    assert "extra: mods/? ? “x”.zip" in told and "Next: convoy sync --extras-aside" in told


def test_exit_codes_are_one_table_in_code_help_and_docs(member: Member) -> None:
    shown = " ".join(run(member, "--help").stdout.split())
    assert as_help().split(":")[1][:40].strip() in shown
    docs = Path(__file__).parents[2].joinpath("docs/formats.md").read_text()
    assert {int(code): meaning.strip() for code, meaning in re.findall(r"^\| (\d+) \| (.+) \|$", docs, re.M)} == EXITS


def test_the_agent_changes_files_in_one_place_only() -> None:
    """Whatever replaces or removes must wait for scanners, and take no junction for a folder."""
    root = Path(disk.__file__).parent
    wrong = re.compile(r"\.unlink\(|rmtree|\.rmdir\(|os\.(?:remove|rename|replace)\(|\.rename\(|is_symlink\(")
    found = {
        f"{file.relative_to(root)}: {line.strip()}"
        for file in root.rglob("*.py")
        if file.name != "disk.py"
        for line in file.read_text().splitlines()
        if wrong.search(line)
    }
    assert found == set()
