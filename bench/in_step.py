"""Keeping a large installation in step: nothing to do against a walk, verifying against sha256sum, fetching against
aria2c, an update of one build in 400, and the memory that all of it takes.
"""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from convoy_agent.fetching.fetch import Fetcher, Limits
from convoy_agent.join import join
from convoy_agent.storage.store import Store
from convoy_agent.sync import status, sync
from convoy_core.lock.lock import Lock
from tests.agent.harbour import CODE, Harbour

Row = tuple[str, str, str]

BUILDS, FILES_PER_BUILD, FILE_BYTES = 400, 25, 200_000
"""10,000 files, 2 GB."""

GAME_FILES = 5_000
"""Of the same size: 1 GB that a copied game brings along."""

FETCHED, FETCHED_BYTES = 200, 5_000_000
"""1 GB in 200 files."""

ROUNDS = 5


def measure() -> list[Row]:
    return _over(_large_folder)


def fetching() -> list[Row]:
    return _over(_fetching)


def _over(part: Callable[[Harbour, Path], list[Row]]) -> list[Row]:
    with tempfile.TemporaryDirectory(dir=os.environ.get("CONVOY_BENCH_DISK")) as place:
        harbour = Harbour(Path(os.environ["CONVOY_DATA"]) / "sources")
        harbour.files_address = os.environ["CONVOY_SOURCES"]
        try:
            return part(harbour, Path(place))
        finally:
            harbour.close()


def _mods(changed: int = -1) -> dict[str, dict[str, str]]:
    return {
        f"mod{number:03}": {
            f"data/{part:02}.dat": f"{number} {part} {number == changed} ".ljust(FILE_BYTES, "x")
            for part in range(FILES_PER_BUILD)
        }
        for number in range(BUILDS)
    }


def _large_folder(harbour: Harbour, root: Path) -> list[Row]:
    folder, store = root / "installation", Store(root / "store")
    harbour.publish("1.0.0", _mods())
    join(CODE, harbour.address, folder)
    first_memory = _agent(store, folder, "sync")
    sync(folder, store)
    idle, walks = _in_turns(lambda: sync(folder, store), lambda: _walk(folder))
    _a_game_and_worlds(folder)
    sync(folder, store)
    played, _ = _in_turns(lambda: (_play(folder), sync(folder, store)), lambda: None)
    verified, summed = _in_turns(lambda: status(folder, store, thorough=True), lambda: _sha256sum(folder / "mods"), 3)
    verify_memory = _agent(store, folder, "verify")
    harbour.publish("1.1.0", _mods(changed=200))
    began = time.perf_counter()
    done = sync(folder, store)
    update = time.perf_counter() - began
    harbour.publish("1.2.0", _mods(changed=7))
    update_memory = _agent(store, folder, "sync")
    files = f"{BUILDS * FILES_PER_BUILD} files, {BUILDS * FILES_PER_BUILD * FILE_BYTES / 1e9:.0f} GB"
    return [
        ("sync with nothing to do", f"{idle * 1000:.0f} ms", files),
        ("a plain walk with stat over the same folder", f"{walks * 1000:.0f} ms", _ratio(idle, walks, 1.5)),
        (
            "the same after an evening of play",
            f"{played * 1000:.0f} ms",
            f"beside {GAME_FILES * FILE_BYTES / 1e9:.0f} GB of the game's own files and a world that changed",
        ),
        ("verify: every file hashed anew", f"{verified:.2f} s", files),
        (f"sha256sum on all {os.cpu_count()} cores", f"{summed:.2f} s", _ratio(verified, summed, 1.2)),
        (
            "update of one build in 400",
            f"{update:.2f} s",
            f"{len(done.plan.moves)} files placed, {done.plan.left_alone} left alone",
        ),
        (
            "memory at most: first sync, verify, update",
            f"{first_memory:.0f}, {verify_memory:.0f}, {update_memory:.0f} MB",
            "aim: under 200 MB",
        ),
    ]


def _a_game_and_worlds(folder: Path) -> None:
    """What lies in a copied game beside the pack: the sync of the day after has no business reading it."""
    for number in range(GAME_FILES):
        place = folder / "game" / f"{number % 50:02}" / f"{number}.bin"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(number.to_bytes(4, "big") * (FILE_BYTES // 4))


def _play(folder: Path) -> None:
    world = folder / "worlds" / "fenwick" / "canal.dat"
    world.parent.mkdir(parents=True, exist_ok=True)
    world.write_bytes(os.urandom(1_000_000))


def _fetching(harbour: Harbour, root: Path) -> list[Row]:
    mods = {f"big{number:03}": {"data.bin": f"{number} ".ljust(FETCHED_BYTES, "y")} for number in range(FETCHED)}
    lock = harbour.publish("2.0.0", mods)
    total = sum(build.archive.size for build in lock.builds)
    sources = {"harbour": f"{harbour.files_address}/harbour"}
    limits = Limits()
    agents, others, hashing = [], [], []
    for number in range(ROUNDS):
        store = Store(root / f"fetched{number}")
        began = time.perf_counter()
        Fetcher(store, sources, limits=limits).fetch_all(lock.builds)
        agents.append(time.perf_counter() - began)
        shutil.rmtree(store.root)
        if shutil.which("aria2c"):
            place = root / f"aria{number}"
            others.append(_aria2c(lock, sources["harbour"], place, limits.per_source, checked=False))
            if number % 2 == 0:
                hashing.append(_aria2c(lock, sources["harbour"], place, limits.per_source, checked=True))
    agent = statistics.median(agents)
    rows = [
        (f"fetching {total / 1e9:.0f} GB in {FETCHED} files", f"{total / agent / 1e6:.0f} MB/s", "hashed as it comes")
    ]
    if not others:
        return [*rows, ("aria2c", "not here", "not compared")]
    other, hashed = statistics.median(others), statistics.median(hashing)
    # Both of a round within seconds of each other: a neighbour's minute of work falls on both, or spoils one ratio.
    ratios = sorted(ours / theirs for ours, theirs in zip(agents, others, strict=True))
    middle = statistics.median(ratios)
    said = f"ours takes {middle:.2f} times as long, {ratios[0]:.2f} to {ratios[-1]:.2f} by round (aim: under 1.2)"
    speed = f"{total / other / 1e6:.0f} MB/s"
    return [
        *rows,
        (f"aria2c with the same {limits.per_source} connections, not hashing", speed, said),
        ("aria2c, checking the same sha256", f"{total / hashed / 1e6:.0f} MB/s", f"{agent / hashed:.2f} times as long"),
    ]


def _aria2c(lock: Lock, address: str, to: Path, connections: int, checked: bool) -> float:
    to.mkdir()
    listed = "\n".join(
        f"{address}/{build.urls[0]}" + (f"\n  checksum=sha-256={build.archive.sha256}" if checked else "")
        for build in lock.builds
    )
    began = time.perf_counter()
    subprocess.run(
        ["aria2c", "-q", f"-j{connections}", "-x1", "-s1", "--file-allocation=none", "-d", str(to), "-i", "-"],
        input=listed,
        text=True,
        check=True,
    )
    taken = time.perf_counter() - began
    shutil.rmtree(to)
    return taken


def _in_turns(one: Callable[[], object], other: Callable[[], object], rounds: int = ROUNDS) -> tuple[float, float]:
    """Medians of two things done in turns, so that what else the machine does falls on both."""
    taken: tuple[list[float], list[float]] = ([], [])
    for _ in range(rounds):
        for work, kept in ((one, taken[0]), (other, taken[1])):
            began = time.perf_counter()
            work()
            kept.append(time.perf_counter() - began)
    return statistics.median(taken[0]), statistics.median(taken[1])


def _walk(folder: Path) -> int:
    return sum(os.lstat(os.path.join(place, name)).st_size for place, _, names in os.walk(folder) for name in names)  # noqa: PTH118 - the plain way


def _sha256sum(folder: Path) -> None:
    cores = os.cpu_count() or 1
    command = f"find . -type f -print0 | xargs -0 -P {cores} -n 64 sha256sum > /dev/null"
    subprocess.run(["sh", "-c", command], cwd=folder, check=True)


def _agent(store: Store, folder: Path, word: str) -> float:
    """Runs the agent as a program; gives the most memory that any run so far took, in MB."""
    command = [sys.executable, "-m", "convoy_agent", "--store", str(store.root), word, "--folder", str(folder)]
    command = ["/usr/bin/env", f"PYTHONPATH={Path('src').absolute()}", *command]
    most = "resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss"
    watched = f"import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=-3); print({most})"
    told = subprocess.run([sys.executable, "-c", watched, *command], capture_output=True, text=True, check=True)
    return int(told.stdout) / 1024


def _ratio(ours: float, theirs: float, aim: float) -> str:
    return f"ours takes {ours / theirs:.2f} times as long (aim: under {aim})"
