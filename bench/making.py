"""Making a source: 20,000 archives read for the first time, then with nothing new, then with one more; and how fast
large ones are read. And how long commands take to start.
"""

from __future__ import annotations

import random
import statistics
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path

ARCHIVES, LARGE = 20_000, 8
MB = 2**20
GAME = Path(__file__).resolve().parent.parent / "demo/games/tillerway.toml"
STARTS = 9


def measure() -> list[tuple[str, str, str]]:
    return [*_many(), *_large(), *_starts()]


def _many() -> list[tuple[str, str, str]]:
    with tempfile.TemporaryDirectory() as place:
        folder = _folder(Path(place))
        chance = random.Random(1)
        for number in range(ARCHIVES):
            mod, version = f"mod-{number // 4:05}", f"1.{number % 4}"
            _archive(folder / f"{number // 1000:02}" / f"{mod}-{version}.zip", mod, version, chance.randbytes(4000), 3)
        first = _make(folder)
        again = _make(folder)
        _archive(folder / "new-1.0.zip", "new", "1.0", b"new", 1)
        one_more = _make(folder)
        size = sum(file.stat().st_size for file in folder.rglob("*.zip"))
    return [
        (
            f"`convoy source make`, {ARCHIVES:,} archives for the first time",
            f"{first:.0f} s",
            f"{size // MB} MB; aim: an hour",
        ),
        ("the same again, nothing new", f"{again:.1f} s", "aim: seconds"),
        ("the same with one new archive", f"{one_more:.1f} s", "aim: seconds"),
    ]


def _large() -> list[tuple[str, str, str]]:
    with tempfile.TemporaryDirectory() as place:
        folder = _folder(Path(place))
        chance = random.Random(2)
        for number in range(LARGE):
            _archive(folder / f"large-{number}-1.0.zip", f"large-{number}", "1.0", chance.randbytes(8 * MB), 16)
        files = [str(file) for file in folder.glob("*.zip")]
        size = sum(Path(file).stat().st_size for file in files)
        made = _make(folder)
        began = time.perf_counter()
        subprocess.run(["sha256sum", *files], check=True, stdout=subprocess.DEVNULL)
        plain = time.perf_counter() - began
    told = (
        f"each read, hashed, its {16} files hashed, copied, the copy hashed; {made / plain:.1f} times sha256sum alone"
    )
    return [(f"{LARGE} archives of 128 MB", f"{size / MB / made:.0f} MB/s", told)]


def _starts() -> list[tuple[str, str, str]]:
    rows = []
    for words in (["status"], ["--version"], ["resolve", "--help"]):
        rows.append(
            (
                f"`convoy {' '.join(words)}`, to its end",
                f"{_median(words) * 1000:.0f} ms",
                "in a folder that follows nothing; aim: 200 ms",
            )
        )
    began = [_timed([sys.executable, "-c", "pass"]) for _ in range(STARTS)]
    rows.append(("Python alone", f"{statistics.median(began) * 1000:.0f} ms", ""))
    return rows


def _median(words: list[str]) -> float:
    return statistics.median(_timed([sys.executable, "-m", "convoy_agent", *words]) for _ in range(STARTS))


def _timed(command: list[str]) -> float:
    began = time.perf_counter()
    with tempfile.TemporaryDirectory() as empty:
        subprocess.run(command, cwd=empty, capture_output=True)
    return time.perf_counter() - began


def _folder(place: Path) -> Path:
    folder = place / "in"
    folder.mkdir()
    (folder / "game.toml").write_text(GAME.read_text())
    (folder / "source.toml").write_text('name = "Measured"\ngame = "game.toml"\n')
    return folder


def _archive(place: Path, mod: str, version: str, data: bytes, files: int) -> None:
    place.parent.mkdir(exist_ok=True)
    with zipfile.ZipFile(place, "w") as packed:
        packed.writestr("waybill.toml", f'id = "{mod}"\nname = "{mod}"\nversion = "{version}"\n')
        for number in range(files):
            packed.writestr(f"data/{number}.dat", data)


def _make(folder: Path) -> float:
    out, key = folder.parent / "out", folder.parent / "key"
    command = [
        sys.executable,
        "-m",
        "convoy_agent",
        "source",
        "make",
        str(folder),
        "--out",
        str(out),
        "--key",
        str(key),
    ]
    began = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began
