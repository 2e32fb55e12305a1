"""The agent against the plain tools: fetching against curl, and a sync with nothing to do."""

from __future__ import annotations

import os
import statistics
import subprocess
import tempfile
import time
from pathlib import Path

from convoy_agent.fetching.fetch import Fetcher
from convoy_agent.join import join
from convoy_agent.storage.store import Store
from convoy_agent.sync import sync
from tests.agent.harbour import CODE, Harbour

BUILDS, FILES_PER_BUILD, FILE_BYTES = 100, 50, 20_000
ROUNDS = 3


def measure() -> list[tuple[str, str, str]]:
    """100 builds of 1 MB, 5,000 files. Both fetch the same archives from the stack's own sources, in turns."""
    with tempfile.TemporaryDirectory() as place:
        root = Path(place)
        harbour = Harbour(Path(os.environ["CONVOY_DATA"]) / "sources")
        harbour.files_address = os.environ["CONVOY_SOURCES"]
        try:
            return _measure(harbour, root)
        finally:
            harbour.close()


def _measure(harbour: Harbour, root: Path) -> list[tuple[str, str, str]]:
    mods = {
        f"mod{number}": {
            f"data/{part}.dat": f"{number} {part} ".ljust(FILE_BYTES, "x") for part in range(FILES_PER_BUILD)
        }
        for number in range(BUILDS)
    }
    lock = harbour.publish("1.0.0", mods)
    total = sum(build.archive.size for build in lock.builds)
    addresses = [f"{harbour.files_address}/harbour/{build.urls[0]}" for build in lock.builds]
    sources = {"harbour": f"{harbour.files_address}/harbour"}
    curls, hashed, fetches, whole = [], [], [], []
    for number in range(ROUNDS):
        curls.append(_curl(addresses, root / f"curl{number}"))
        began = time.perf_counter()
        subprocess.run(["sha256sum", *map(str, (root / f"curl{number}").iterdir())], check=True, capture_output=True)
        hashed.append(curls[-1] + time.perf_counter() - began)
        folder, store = root / f"folder{number}", Store(root / f"store{number}")
        join(CODE, harbour.address, folder)
        began = time.perf_counter()
        sync(folder, store)
        whole.append(time.perf_counter() - began)
        # By itself: in a sync each archive is unpacked while others still come.
        fetcher = Fetcher(Store(root / f"fetched{number}"), sources)
        began = time.perf_counter()
        fetcher.fetch_all(lock.builds)
        fetches.append(time.perf_counter() - began)
    idle = []
    for _ in range(5):
        began = time.perf_counter()
        sync(folder, store)
        idle.append(time.perf_counter() - began)
    curl, summed, fetch = statistics.median(curls), statistics.median(hashed), statistics.median(fetches)
    return [
        ("curl, the same files over one connection", f"{total / curl / 1e6:.0f} MB/s", f"{BUILDS} files of 1 MB"),
        ("curl, then sha256sum over what it fetched", f"{total / summed / 1e6:.0f} MB/s", ""),
        (
            "agent fetching, every byte hashed",
            f"{total / fetch / 1e6:.0f} MB/s",
            f"{curl / fetch:.2f} of curl (aim 0.8), {summed / fetch:.2f} of curl with sha256sum",
        ),
        (
            "first sync of it all: fetch, unpack, verify, place",
            f"{statistics.median(whole):.2f} s",
            f"{len(lock.files)} files",
        ),
        ("sync with nothing to do", f"{statistics.median(idle):.2f} s", f"{len(lock.files)} files; aim: under 1 s"),
    ]


def _curl(addresses: list[str], to: Path) -> float:
    to.mkdir()
    began = time.perf_counter()
    subprocess.run(["curl", "-sS", "--fail", "--remote-name-all", "--output-dir", str(to), *addresses], check=True)
    return time.perf_counter() - began
