"""A folder as somebody filled it by hand over two years: to be taken over in the demo and in the tests."""

import zipfile
from pathlib import Path

UNPACKED = (
    ("lock-ledger-3.4.1.zip", "mods/lock-ledger"),
    ("weir-core-1.4.1.zip", "mods/Weir Core (new)"),
    ("ropework-v3.zip", "mods/ropework"),
    ("butty-line-2.0.0.zip", "mods/butty"),
    ("cabin-stove-1.4.0.zip", "mods/cabin-stove"),
    ("diesel-hum-2.3.0.zip", "mods/diesel"),
    ("seasons-turn-2.1.0.zip", "mods/seasons-turn"),
    ("sluice-books-1.8.0.zip", "mods/sluice-books"),
    ("lock-ledger-3.3.0.zip", "mods/lock-ledger backup"),
    ("tarred-planks-3.2.zip", "textures/planks"),
)
ARCHIVES = ("fly-boat-1.0.2.zip",)
LOOSE = {
    "mods/Fog Bell/waybill.toml": 'id = "fog-bell"\nname = "Fog Bell"\nversion = "0.3"\n',
    "mods/Fog Bell/data/bell.dat": "ding\n" * 500,
    "mods/read me first.txt": "Delete the old ledger before the big evening.\n",
    "mods/old stuff/list.txt": "nothing in here is loaded\n",
    "saves/first-winter/world.dat": "the world\n" * 200,
    "config/keys.toml": 'horn = "H"\n',
    "tillerway.bin": "the game itself\n" * 400,
}


def fill(sources: Path, folder: Path) -> Path:
    """Fills a folder from the generated sources' archives; a second time it is left as it is."""
    if folder.exists():
        return folder
    for name, place in UNPACKED:
        for archive in sorted(sources.glob(f"*/files/{name}")):
            with zipfile.ZipFile(archive) as packed:
                packed.extractall(folder / place)
    for name in ARCHIVES:
        for archive in sorted(sources.glob(f"*/files/{name}")):
            target = folder / "mods" / f"{name.removesuffix('.zip')} (1).zip"
            target.write_bytes(archive.read_bytes())
    (folder / "mods/diesel/settings.toml").write_text("enabled = true\nstrength = 9\n")
    for number in range(3, 9):
        (folder / f"mods/cabin-stove/data/cabin-stove-{number:02}.dat").unlink(missing_ok=True)
    for path, text in LOOSE.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text)
    return folder
