import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest

from convoy_agent.fetching.limits import Limits
from convoy_agent.join import join
from convoy_agent.storage.store import Store
from convoy_agent.sync import Status, Synced, status, sync
from convoy_core.lock.canonical import sha256_hex

from .harbour import CODE, Harbour

needs_posix = pytest.mark.skipif(os.name != "posix", reason="forks, sends signals or makes a pipe")
"""For tests of what only some systems have: docs/systems.md says what is tried on which."""

IMPATIENT = Limits(attempts=3, wait_seconds=0.02, longest_wait=5, patience=4, timeout_seconds=2, slow_after=0.4)

MODS = {
    "ledger": {"waybill.toml": "id = 'ledger'", "data/a.dat": "a" * 5000, "settings.toml": "on = true"},
    "lanterns": {"waybill.toml": "id = 'lanterns'", "data/light.dat": "bright" * 900, "settings.toml": "on = true"},
}
NEWER = {"ledger": {**MODS["ledger"], "data/a.dat": "b" * 7000, "data/new.dat": "n"}}


@pytest.fixture
def harbour(tmp_path: Path) -> Iterator[Harbour]:
    made = Harbour(tmp_path / "sources")
    made.publish("1.0.0", MODS)
    yield made
    made.close()


@dataclass
class Member:
    """One member's machine: a folder, a store, and the agent."""

    harbour: Harbour
    folder: Path
    store: Store

    def join(self, key: str = "") -> None:
        join(CODE, self.harbour.address, self.folder, key)

    def sync(self, **given: object) -> Synced:
        return sync(self.folder, self.store, limits=IMPATIENT, **given)

    def status(self, thorough: bool = False, **given: object) -> Status:
        return status(self.folder, self.store, thorough, **given)

    def fault(self, mod: str, fault: str, times: int = 99) -> None:
        wanted = {"path": self.harbour.archive(mod).name, "fault": fault, "times": times}
        httpx.post(f"{self.harbour.address}/faults", json=wanted)

    def holds(self, mods: dict[str, dict[str, str]], *extra: str) -> None:
        """Exactly these files lie in the folder, to the byte, and nothing half-done beside them."""
        wanted = {
            f"mods/{mod}/{path}": sha256_hex(text.encode())
            for mod, files in mods.items()
            for path, text in files.items()
        }
        assert {path: one for path, one in self.files().items() if path not in extra} == wanted
        assert not (self.folder / ".convoy/journal.json").exists()
        assert not (self.folder / ".convoy/staging").exists()

    def files(self) -> dict[str, str]:
        paths = [path for path in self.folder.rglob("*") if path.is_file() and ".convoy" not in path.parts]
        return {str(path.relative_to(self.folder)): sha256_hex(path.read_bytes()) for path in paths}

    def aside(self) -> dict[str, str]:
        root = self.folder / ".convoy/aside"
        return {
            "/".join(path.relative_to(root).parts[1:]): path.read_text() for path in root.rglob("*") if path.is_file()
        }


@pytest.fixture
def member(harbour: Harbour, tmp_path: Path) -> Member:
    made = Member(harbour, tmp_path / "member" / "night-freight", Store(tmp_path / "store"))
    made.join()
    return made
