"""Logs read beside `grep`, and a start of 120 builds on the bench beside the game's own time."""

from __future__ import annotations

import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from convoy_core.log.private import Known, without_private
from convoy_core.outside.game_profile import read_profile
from convoy_io.games import Limits, Stopped, run_game
from convoy_io.laying import lay_fresh
from convoy_io.sandbox import command
from convoy_standins.game import bench_file
from tests.agent.harbour import Press

ROOT = Path(__file__).resolve().parent.parent
SEED, MEGABYTES, MODS = 18, 200, 120
TILLERWAY = ROOT / "demo/games/tillerway.toml"
PROFILE = read_profile(TILLERWAY.read_text())
READ = (sys.executable, "-m", "convoy_agent", "log")

Row = tuple[str, str, str]


def measure() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        return [*_logs(root / "helm.log"), _redacted(), *_starts(root)]


def _logs(place: Path) -> Iterator[Row]:
    shares = {0.0: "every line said before", 0.3: "three lines in ten said once", 1.0: "no line said twice"}
    for own, what in shares.items():
        _write(place, own)
        grep = _seconds(lambda: subprocess.run(["grep", "-c", " ERROR ", str(place)], capture_output=True, check=True))
        ours, most = _time_and_memory([*READ, str(place), "--game", str(TILLERWAY)])
        remark = f"grep for one word: {MEGABYTES / grep:.0f} MB/s; aim 3 s; {most} MB of memory at most"
        yield f"`convoy log` of {MEGABYTES} MB, {what}", f"{ours:.1f} s, {MEGABYTES / ours:.0f} MB/s", remark


MEASURED = """
import resource, subprocess, sys, time
began = time.perf_counter()
subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, check=True)
print(time.perf_counter() - began, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024)
"""


def _time_and_memory(started: list[str]) -> tuple[float, int]:
    """Seconds, and megabytes at most: beside a small process, as a started one counts what its starter holds, too."""
    told = subprocess.run([sys.executable, "-c", MEASURED, *started], stdout=subprocess.PIPE, check=True)
    seconds, most = told.stdout.split()
    return float(seconds), int(most)


def _write(place: Path, own: float) -> None:
    piece, left = _piece(own), MEGABYTES * 2**20
    with place.open("wb") as out:
        for at in range(left // len(piece) + 1):
            # What is said once is said once in each of its pieces, too.
            data = (piece.replace("(mod-", f"({at}mod-") if own == 1 else piece).encode()
            out.write(data[: max(left, 0)])
            left -= len(data)


def _piece(own: float) -> str:
    """`own`: the share of lines that are said once."""
    chance = random.Random(SEED)
    piece = []
    size = 0
    while size < 8 * 2**20:
        number = chance.randrange(10**9) if chance.random() < own else chance.randrange(300)
        severity = chance.choices(("INFO", "HEED", "ERROR"), (80, 17, 3))[0]
        second = chance.randrange(3600)
        line = f"12:{second // 60:02}:{second % 60:02}.{chance.randrange(1000):03} {severity} (mod-{number % MODS}) "
        line += f"Something was carried along the canal {number} towards the weir and back again\n"
        if chance.random() < 0.01:
            line += "    at lock_ledger.tolls:33\n    at game.loop:1\n"
        piece.append(line)
        size += len(line)
    return "".join(piece)


def _redacted() -> Row:
    text = _piece(0.3)[: 2 * 2**20]
    took = _seconds(lambda: without_private(text, Known(["/home/annika"], ["annika"], ["kestrel"])))
    return "2 MB of it with everything private replaced", f"{took:.1f} s", ""


def _starts(root: Path) -> Iterator[Row]:
    """What the sandbox costs: the same folder, started with it and without, by turns."""
    from django.conf import settings

    from convoy_site.trials.bench import bench_game

    settings.BENCH = str(bench_file(root / "bench", ROOT / "demo/games"))
    folder = root / "installation"
    chance = random.Random(SEED)
    press = Press(root / "shelf")
    lock = press.publish("1.0.0", {f"mod-{at}": _mod(f"mod-{at}", chance) for at in range(MODS)})
    places = {one.archive.sha256: press.root / "harbour" / "files" / one.archive.name for one in lock.builds}
    laid = _seconds(lambda: lay_fresh(lock, places.__getitem__, folder, list(lock.by_mod), lambda size: None))
    game = bench_game("tillerway")
    base = next(one for one in PROFILE.bases() if str(one.version) == "2.1.0" and one.loader == "bosun")
    within = command(game, PROFILE, base, folder, 0, plain=False)
    alone = [str(game.program), "--home", str(folder)]
    told: dict[str, list[float]] = {"within": [], "alone": []}
    for _ in range(5):
        for name, called in (("within", within), ("alone", alone)):
            run = run_game(called, folder, PROFILE, {}, Limits(60), lambda up: Stopped.DONE if up is not None else None)
            assert run.to_main_screen is not None, run.log.cause
            told[name].append(run.to_main_screen)
    yield f"{MODS} builds laid down fresh, every file checked", f"{laid:.2f} s", "out of archives that lie here"
    figure = f"{min(told['within']):.2f} s"
    yield f"{MODS} builds to the main screen, on the bench", figure, f"without the sandbox: {min(told['alone']):.2f} s"


def _mod(mod: str, chance: random.Random) -> dict[str, str]:
    data = {f"data/{at}.dat": chance.randbytes(10_000).hex() for at in range(8)}
    return {"waybill.toml": f'id = "{mod}"\nversion = "1.0"\n', **data}


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
