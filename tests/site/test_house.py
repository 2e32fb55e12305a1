"""What `./run` stands on: ports that are stepped over, secrets that are kept, processes that end with their parent."""

import os
import re
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from convoy_site.api import api
from house import compiling, install, places, services
from house.front import UPLOADS


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


def test_what_was_compiled_counts_only_while_it_is_of_these_sources(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(install, "VAR", tmp_path)
    monkeypatch.setattr(compiling, "FAST", tmp_path / "fast")
    assert compiling.fast({"A": "1"}) == {"A": "1"}
    (tmp_path / "fast").mkdir()
    install.put_stamp("fast", compiling._made_from())
    told = compiling.fast({"PYTHONPATH": "mine"})
    assert told["PYTHONPATH"].split(os.pathsep) == [str(tmp_path / "fast"), "mine"]
    install.put_stamp("fast", "of yesterday's sources")
    assert compiling.fast({}) == {}


def test_a_step_is_done_again_only_when_what_it_is_made_from_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(install, "VAR", tmp_path)
    monkeypatch.setattr(install, "ROOT", tmp_path)
    source = tmp_path / "lock.txt"
    source.write_text("one")
    install.put_stamp("npm", install.hash_of([source]))
    assert install.is_stamped("npm", install.hash_of([source]))
    source.write_text("two")
    assert not install.is_stamped("npm", install.hash_of([source]))


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


def test_the_agent_is_one_file_that_stands_alone(tmp_path: Path) -> None:
    """Installed from nothing but its file, without the site beside it; made twice, it is the same to the byte."""
    files = []
    for name in ("one", "two"):
        install.agent_file(tmp_path / name)
        files += (tmp_path / name).iterdir()
    assert [file.suffix for file in files] == [".whl", ".whl"] and files[0].read_bytes() == files[1].read_bytes()
    target = tmp_path / "installed"
    pip = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "-q",
        "--no-deps",
        "--no-index",
        "--target",
        str(target),
        str(files[0]),
    ]
    subprocess.run(pip, check=True, capture_output=True)
    assert {path.name for path in target.iterdir() if path.is_dir()} >= {"convoy_core", "convoy_io", "convoy_agent"}
    assert not (target / "convoy_site").exists()
    code = "import sys; sys.path.insert(0, sys.argv.pop(1)); from convoy_agent.__main__ import main; main()"
    command = [sys.executable, "-c", code, str(target), "status", "--folder", str(tmp_path)]
    done = subprocess.run(command, capture_output=True, text=True, cwd=tmp_path)
    assert done.returncode == 2 and "is no installation" in done.stderr


def test_every_door_that_takes_a_file_takes_a_large_one_behind_the_front() -> None:
    """Elsewhere five megabytes are the most: what is missing here is refused before the site hears of it."""
    large = {
        path
        for path, operations in api.get_openapi_schema()["paths"].items()
        for operation in operations.values()
        if "application/octet-stream" in operation.get("requestBody", {}).get("content", {})
    }
    assert len(large) >= 6
    for path in large:
        assert re.fullmatch(UPLOADS, path.removeprefix("/api/")), path
