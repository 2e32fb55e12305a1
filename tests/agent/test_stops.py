"""Killed, out of disk, locked out: whenever it happens, the folder is old, new, or completed at the next start; worlds
and the member's settings are there to the byte; nothing unknown lies in it.
"""

import errno
import json
import os
import random
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from convoy_agent.errors import DiskFull, FolderRefused
from convoy_agent.folder.folder import Folder
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.terms import How, Terms, Tweak
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Reach

from .conftest import Member, needs_posix
from .faults import faulty

SETTINGS = "mods/ledger/settings.toml"
TERMS = Terms(("mods/*/settings.*",), ("worlds",), (Tweak(SETTINGS, ("rate",), 3, How.ENFORCED),))
SAVE = {"reaches": {"ledger": Reach.SAVE}, "terms": TERMS}

OLD = {
    "ledger": {"a.dat": "old" * 3000, "b.dat": "same", "settings.toml": "volume = 5\nrate = 1\n"},
    "gone": {"x.dat": "x", "deep/y.dat": "y"},
}
NEW = {
    "ledger": {"a.dat": "new" * 4000, "b.dat": "same", "settings.toml": "volume = 9\nrate = 1\nfresh = 1\n"},
    "come": {"z.dat": "z", "deep/w.dat": "w" * 9000},
}
MINE = {"worlds/canal/map.dat": "my world", "mods/mine.zip": "my extra", "notes.txt": "mine"}
MINE_SETTINGS = {"old": "volume = 1\nrate = 3\n", "new": "volume = 1\nrate = 3\nfresh = 1\n"}


def content(state: str) -> dict[str, str]:
    """What the folder holds in one of its two whole states."""
    mods = OLD if state == "old" else NEW
    packs = {f"mods/{mod}/{path}": text for mod, files in mods.items() for path, text in files.items()}
    everything = {**packs, SETTINGS: MINE_SETTINGS[state], **MINE}
    return {path: sha256_hex(text.encode()) for path, text in everything.items()}


@dataclass
class Torn:
    """A member between two releases, with a world, settings and an extra file of their own."""

    member: Member
    at: str = "old"
    number: int = 1
    seen: set[str] = field(default_factory=set)

    def record(self) -> str:
        return Folder(self.member.folder).record().release

    def other(self) -> str:
        return "new" if self.at == "old" else "old"

    def publish(self, state: str) -> None:
        self.number += 1
        self.member.harbour.publish(f"1.{self.number}", OLD if state == "old" else NEW, **SAVE)

    def judge(self) -> None:
        """After a stop: before the next start no file is anything but old or new; after it the folder is whole."""
        here, there = content(self.at), content(self.other())
        files = self.member.files()
        assert files.keys() <= here.keys() | there.keys(), "something unknown lies in the folder"
        for path, sha256 in files.items():
            assert sha256 in (here.get(path), there.get(path)), f"{path} is neither old nor new"
        for path in MINE:
            assert files[path] == here[path]
        assert files[SETTINGS] in (here[SETTINGS], there[SETTINGS])
        done = self.member.sync()
        self.seen.add("completed" if done.recovered else "old" if done.plan.moves else "new")
        assert self.member.files() == there
        assert not (self.member.folder / ".convoy/journal.json").exists()
        assert not (self.member.folder / ".convoy/staging").exists()
        self.at = self.other()


@pytest.fixture
def torn(member: Member) -> Torn:
    made = Torn(member)
    made.publish("old")
    member.sync()
    for path, text in MINE.items():
        (member.folder / path).parent.mkdir(parents=True, exist_ok=True)
        (member.folder / path).write_text(text)
    (member.folder / SETTINGS).write_text(MINE_SETTINGS["old"])
    # Once there and back: from then on both states differ by the release's doing alone.
    for state in ("new", "old"):
        made.publish(state)
        member.sync()
    assert member.files() == content("old")
    return made


class Killer:
    """The process whose syncs are killed."""

    def __init__(self, member: Member) -> None:
        words = [sys.executable, "-m", "tests.agent.killed", str(member.folder), str(member.store.root)]
        root = Path(__file__).resolve().parents[2]
        environment = {**os.environ, "PYTHONPATH": f"{root}:{root / 'src'}"}
        self._process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=environment
        )
        self._answer()

    def kill(self, what: str, amount: float) -> str:
        assert self._process.stdin
        self._process.stdin.write(f"{what} {amount}\n")
        self._process.stdin.flush()
        return self._answer()

    def _answer(self) -> str:
        assert self._process.stdout
        return self._process.stdout.readline().strip()

    def close(self) -> None:
        self._process.kill()
        self._process.wait()


@pytest.fixture
def killer(torn: Torn) -> Iterator[Killer]:
    made = Killer(torn.member)
    yield made
    made.close()


@needs_posix
def test_killed_at_every_step(torn: Torn, killer: Killer) -> None:
    number, last = 0, "killed"
    while last == "killed":
        number += 1
        torn.publish(torn.other())
        last = killer.kill("step", number)
        torn.judge()
    assert number > 10 and torn.seen == {"old", "completed", "new"}


@needs_posix
def test_killed_at_a_hundred_moments(torn: Torn, killer: Killer) -> None:
    """Moments spread over a whole sync. How long one takes is measured again and again, as other work comes and
    goes. Every step by itself is above, and the random walk (`./run bench walk`) kills far more."""
    chance = random.Random(20261124)
    killed, whole = 0, 0.0
    for number in range(500):
        torn.publish(torn.other())
        if number % 10 == 0:
            began = time.monotonic()
            assert killer.kill("step", 0) == "done"
            whole = time.monotonic() - began
        else:
            killed += killer.kill("seconds", chance.uniform(0, whole)) == "killed"
        torn.judge()
        if killed == 100:
            break
    assert killed == 100 and torn.seen == {"old", "completed", "new"}


@pytest.mark.parametrize(("code", "error"), [(errno.ENOSPC, DiskFull), (errno.EROFS, FolderRefused)])
def test_a_disk_that_takes_nothing_more_from_any_moment_on(torn: Torn, code: int, error: type[ConvoyError]) -> None:
    number, hit, refused = 0, True, 0
    while hit:
        number += 1
        torn.publish(torn.other())
        with faulty(torn.member.folder, number, code) as fault:
            try:
                torn.member.sync()
            except error:
                refused += 1
        hit = fault.hit
        torn.judge()
    assert refused > 20 and "completed" in torn.seen and "old" in torn.seen


def test_a_store_that_takes_nothing_more_changes_nothing(torn: Torn) -> None:
    for number in (1, 2, 3, 4):
        torn.publish(torn.other())
        for archive in torn.member.store.archives():
            archive.unlink()
        with faulty(torn.member.store.root, number, errno.ENOSPC) as fault:
            try:
                torn.member.sync()
            except DiskFull:
                assert torn.member.files() == content(torn.at)
        assert fault.hit
        torn.judge()


HOSTILE = {
    "climbing": "mods/../../outside.txt",
    "absolute": "/tmp/true-convoy-outside.txt",
    "the agent's own": ".convoy/pairing.json",
    "a device": "mods/ledger/NUL.txt",
    "a case twin": "mods/ledger/A.DAT",
    "a drive": "C:/outside.txt",
}


@pytest.mark.parametrize("path", HOSTILE.values(), ids=HOSTILE.keys())
@pytest.mark.parametrize("rows", ["files", "covered"])
def test_a_hostile_lock_changes_nothing_even_when_it_is_signed(torn: Torn, path: str, rows: str) -> None:
    member = torn.member
    torn.publish("new")
    number = member.harbour.newest
    document = json.loads(member.harbour.documents[number])
    document["lock"][rows].append([path, 1, sha256_hex(b"z"), "come", "z.dat"])
    member.harbour.documents[number] = json.dumps(document).encode()
    before = {file: file.read_bytes() for file in member.folder.parent.rglob("*") if file.is_file()}
    if rows == "covered" and path.endswith("A.DAT"):
        # Never placed beside its twin: what lies below another file is only placed alone, where it is checked again.
        member.sync()
        assert member.files() == content("new")
        return
    with pytest.raises(ConvoyError):
        member.sync()
    after = {file: file.read_bytes() for file in member.folder.parent.rglob("*") if file.is_file()}
    assert {file for file in after if after[file] != before.get(file)} <= {
        member.folder / ".convoy" / name for name in ("lock", "head.json", "trust.json", "trust.json.twin")
    }
    assert member.files() == content("old")


@pytest.mark.parametrize(("place", "refused"), [("mods/ledger", True), ("mods/come", True), ("worlds", False)])
def test_a_folder_that_became_a_link_is_never_written_through(
    torn: Torn, tmp_path: Path, place: str, refused: bool
) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "a.dat").write_text("not the pack's")
    target = torn.member.folder / place
    if target.exists():
        target.rename(target.with_name("moved-away"))
    target.symlink_to(outside)
    before = torn.record()
    torn.publish("new")
    if refused:
        with pytest.raises(FolderRefused):
            torn.member.sync()
        assert torn.record() == before
    else:
        torn.member.sync()  # a member's worlds may lie elsewhere, and the pack places nothing among them
        assert torn.record() == torn.member.harbour.newest != before
    assert [(path.name, path.read_text()) for path in outside.iterdir()] == [("a.dat", "not the pack's")]
