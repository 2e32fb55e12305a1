"""Packs as files: 2 GB in 40,000 files, out and in; beside `zip -0` and `unzip` of the same archives. Each step of ours
is a process of its own, whose peak of memory is told.
"""

from __future__ import annotations

import hashlib
import json
import random
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path

ARCHIVES, FILES = 200, 200
"""Archives, and files in each."""
FILE_BYTES = 53_000
MB = 2**20

Row = tuple[str, str, str]


def measure() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        size = _archives(place / "archives")
        (place / "out").mkdir()
        zipped = _timed(["zip", "-0", "-q", "-r", str(place / "plain.zip"), "archives"], place)
        unzipped = _timed(["unzip", "-q", "plain.zip", "-d", str(place / "unpacked")], place)
        steps = {name: _step(name, place) for name in ("out", "look", "share", "take out")}
    told = f"{size / MB:,.0f} MB in {ARCHIVES} archives of {FILES} files"
    rows = [("`zip -0`, `unzip` of the archives", f"{size / MB / zipped:.0f}, {size / MB / unzipped:.0f} MB/s", told)]
    for name, what, beside in (
        ("out", "the pack as a file, every archive hashed as it is written", zipped),
        ("look", "a file looked into: every archive read and hashed", unzipped),
        ("take out", "its archives taken out, hashed and checked", unzipped),
        ("share", "a server's share: 40,000 files unpacked, hashed, squeezed", zipped),
    ):
        seconds, peak = steps[name]
        against = "`zip -0`" if beside is zipped else "`unzip`"
        rows.append((what, f"{size / MB / seconds:.0f} MB/s", f"{seconds / beside:.1f} times {against}; {peak:.0f} MB"))
    return rows


def _archives(folder: Path) -> int:
    folder.mkdir()
    chance = random.Random(15)
    for at in range(ARCHIVES):
        with zipfile.ZipFile(folder / f"mod-{at:03}.zip", "w", zipfile.ZIP_STORED) as packed:
            for number in range(FILES):
                packed.writestr(f"data/{number:04}.dat", chance.randbytes(FILE_BYTES))
    return sum(one.stat().st_size for one in folder.iterdir())


def _timed(command: list[str], at: Path) -> float:
    subprocess.run(["sync"], check=True)
    began = time.perf_counter()
    subprocess.run(command, check=True, cwd=at, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


def _step(name: str, place: Path) -> tuple[float, float]:
    """Seconds and peak MB of one step, in a process of its own; what it prepares is not counted."""
    subprocess.run(["sync"], check=True)
    done = subprocess.run([sys.executable, "-m", "bench.files", name, str(place)], check=True, capture_output=True)
    told = json.loads(done.stdout)
    return told["seconds"], told["peak"]


def _run(name: str, place: Path) -> None:
    import resource

    from convoy_core.handing_out.bag import make_bag
    from convoy_core.handing_out.share import make_share
    from convoy_core.trust.signed import Signed
    from convoy_core.words.model import Side
    from convoy_io.bags import opened_bag, write_bag
    from convoy_io.shares import write_share

    recipe, places = _release(place / "archives")
    file = place / "pack.zip"
    began = time.perf_counter()
    if name == "out":
        with file.open("wb") as out:
            write_bag(make_bag(recipe, Signed(recipe.as_bytes()), [], {}, places), places.__getitem__, out)
    elif name == "share":
        with (place / "share.zip").open("wb") as out:
            write_share(make_share(recipe, Side.SERVER, {}, places), places.__getitem__, out)
    else:
        with opened_bag(file) as bag:
            for sha256 in bag.told.archives:
                with (place / "out" / sha256).open("wb") as out:
                    for block in bag.blocks(sha256):
                        if name == "take out":
                            out.write(block)
    seconds = time.perf_counter() - began
    print(json.dumps({"seconds": seconds, "peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024}))


def _release(folder: Path):  # type: ignore[no-untyped-def]
    """A release of these archives, and where each lies by its hash."""
    from convoy_core.lock.lock import LockedBuild, PlacedFile, lay_down
    from convoy_core.lock.recipe import Recipe
    from convoy_core.words.model import Archive, Base, Channel, Kind, Pickup, Reach, Side
    from convoy_core.words.versions import parse_version

    base = Base("tillerway", parse_version("2.1.0"), "bosun", parse_version("5.2.0"))
    layers, places = [], {}
    for archive in sorted(folder.iterdir()):
        data = archive.read_bytes()
        sha256, mod = hashlib.sha256(data).hexdigest(), archive.stem
        places[sha256] = archive
        build = LockedBuild(
            mod, mod, "1.0", Kind.MOD, Channel.STABLE, True, Side.BOTH, Reach.CREW, "MIT", "shelf",
            Pickup.DIRECT, (), "", Archive(archive.name, len(data), sha256),
        )  # fmt: skip
        with zipfile.ZipFile(archive) as packed:
            files = [
                PlacedFile(f"mods/{mod}/{one}", FILE_BYTES, hashlib.sha256(packed.read(one)).hexdigest(), mod, one)
                for one in packed.namelist()
            ]
        layers.append((build, files))
    lock = lay_down(layers, base, ["mods"])
    return Recipe("p", "Two Thousand", "1.0.0", "stable", "2026-11-01T20:00:00+00:00", "", lock), places


if __name__ == "__main__":
    sys.path.insert(0, "src")
    _run(sys.argv[1], Path(sys.argv[2]))
