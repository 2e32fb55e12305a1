"""What `./run` stands on: ports that are stepped over, secrets that are kept, processes that end with their parent."""

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from house import install, places, services


def test_a_taken_port_is_stepped_over_and_a_free_one_remembered(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(services, "VAR", tmp_path)
    first = services.remembered_port("site", 21_460)
    assert services.remembered_port("site", 23_000) == first
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", first))
        taken.listen()
        assert services.remembered_port("site", 21_460) > first


def test_a_secret_is_made_once_and_readable_by_its_owner_only(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(places, "VAR", tmp_path)
    first = places.secret("site")
    assert places.secret("site") == first != places.secret("postgres")
    assert (tmp_path / "secrets.json").stat().st_mode & 0o077 == 0


def test_a_step_is_done_again_only_when_what_it_is_made_from_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(install, "VAR", tmp_path)
    monkeypatch.setattr(install, "ROOT", tmp_path)
    source = tmp_path / "lock.txt"
    source.write_text("one")
    install._stamp("npm", install._hash([source]))
    assert install._stamped("npm", install._hash([source]))
    source.write_text("two")
    assert not install._stamped("npm", install._hash([source]))


def running(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().split()[2] != "Z"
    except FileNotFoundError:
        return False


STARTER = """
import signal, sys, time
from pathlib import Path
signal.signal(signal.SIGINT, signal.default_int_handler)
from house.services import Services
with Services(Path(sys.argv[1])) as services:
    services.start("child", [sys.executable, "-c", "import os, time; print(os.getpid(), flush=True); time.sleep(60)"])
    time.sleep(60)
"""


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_what_was_started_ends_with_it_however_it_ends(tmp_path: Path, how: signal.Signals) -> None:
    parent = subprocess.Popen(
        [sys.executable, "-c", STARTER, str(tmp_path)], cwd=places.ROOT, stderr=subprocess.DEVNULL
    )
    log = tmp_path / "child.log"
    until = time.monotonic() + 20
    while not (log.exists() and log.read_text().strip()) and time.monotonic() < until:
        time.sleep(0.05)
    child = int(log.read_text())
    assert running(child)
    os.kill(parent.pid, how)
    parent.wait(20)
    while running(child) and time.monotonic() < until:
        time.sleep(0.05)
    assert not running(child)
