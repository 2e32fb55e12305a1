"""Large files on their way in: an archive of a gigabyte looked through, a listing of 200,000 files recognised."""

from __future__ import annotations

import hashlib
import os
import random
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path

from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.takeover import Known, recognise
from convoy_core.words.model import CarriedFile

MB = 2**20
GAME = Path(__file__).resolve().parent.parent / "demo/games/tillerway.toml"

WATCHED = """
import resource, subprocess, sys
subprocess.run(sys.argv[1:], check=True, stdout=subprocess.DEVNULL)
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""


def measure() -> list[tuple[str, str, str]]:
    return [*_inspecting(), _recognising()]


def _inspecting() -> list[tuple[str, str, str]]:
    with tempfile.TemporaryDirectory() as folder:
        archive = Path(folder) / "large.zip"
        chance = random.Random(1)
        with zipfile.ZipFile(archive, "w") as packed:
            packed.writestr("large/waybill.toml", 'id = "large"\n')
            for number in range(256):
                packed.writestr(f"large/data/{number}.dat", chance.randbytes(4 * MB))
        rows = []
        for what, options in (("contents and hash", []), ("every file hashed", ["--hash"])):
            command = [sys.executable, "-m", "convoy_agent", "inspect", str(archive), "--game", str(GAME), *options]
            began = time.perf_counter()
            told = subprocess.run(
                [sys.executable, "-c", WATCHED, *command],
                check=True,
                capture_output=True,
                text=True,
                env=_environment(),
            )
            taken, memory = time.perf_counter() - began, int(told.stdout) / 1024
            rows.append(
                (f"`convoy inspect`, 1 GB in 256 files, {what}", f"{taken:.1f} s, {memory:.0f} MB", "under 200 MB")
            )
    return rows


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": "src"}


def _recognising() -> tuple[str, str, str]:
    """400 mods with four versions each that share half of their files, in a folder with 200,000 files."""
    profile = read_profile(GAME.read_text())
    known, files = [], []
    for mod in range(400):
        shared = [_file(f"{mod} {number}", number) for number in range(50)]
        for version in range(4):
            own = [_file(f"{mod} {version} {number}", 50 + number) for number in range(50)]
            known.append(Known(f"mod-{mod}", f"1.{version}", f"{mod:064x}", (*shared, *own)))
        files += [CarriedFile(f"mods/folder {mod}/{one.path}", one.size, one.sha256) for one in known[-2].files]
    files += [CarriedFile(f"saves/{number}", 1, _sha(f"save {number}")) for number in range(200_000 - len(files))]
    began = time.perf_counter()
    taken = recognise(files, known, profile)
    spent = time.perf_counter() - began
    right = sum(one.version == "1.2" and one.is_whole for one in taken.found)
    return "a listing of 200,000 files with 400 mods in it", f"{spent:.2f} s, {right} of 400 right", ""


def _file(content: str, number: int) -> CarriedFile:
    return CarriedFile(f"data/{number}.dat", 1000 + number, _sha(content))


def _sha(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()
