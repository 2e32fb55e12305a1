"""The third game of docs/games.md: its files as the page has them, and the archives that the page speaks of."""

import re
import zipfile
from pathlib import Path

PAGE = Path(__file__).resolve().parents[1] / "docs" / "games.md"


def block(name: str) -> str:
    """A file as the page shows it: the code that begins with its name."""
    found = re.search(rf"```toml\n# {re.escape(name)}\n(.*?)```", PAGE.read_text(), re.DOTALL)
    assert found, name
    return found[1]


def marker(mod: str, version: str, more: str = "") -> str:
    return f'id = "{mod}"\nname = "{mod.replace("-", " ").title()}"\nversion = "{version}"\n{more}'


ARCHIVES = {
    "rope-bridges-1.2.zip": {
        "Rope Bridges/hitch.toml": marker("rope-bridges", "1.2", 'needs = { knots = ">=1" }\n'),
        "Rope Bridges/settings.toml": "sway = 3\n",
        "Rope Bridges/planks.dat": "planks " * 400,
    },
    "knots-1.0.zip": {"hitch.toml": marker("knots", "1.0", 'kind = "library"\n'), "knots.dat": "knots " * 200},
    "knots-1.1.zip": {"hitch.toml": marker("knots", "1.1", 'kind = "library"\n'), "knots.dat": "knots " * 220},
    "warm-huts-0.9.zip": {"hitch.toml": marker("warm-huts", "0.9"), "stoves.dat": "stoves " * 300},
    "clear-skies-2.zip": {"sky/dawn.dat": "dawn " * 100, "sky/noon.dat": "noon " * 100},
}


def write_archive(place: Path, members: dict[str, str]) -> None:
    place.parent.mkdir(parents=True, exist_ok=True)
    with zipfile.ZipFile(place, "w") as packed:
        for path, text in members.items():
            packed.writestr(zipfile.ZipInfo(path, (2026, 3, 1, 0, 0, 0)), text)


def write_folder(folder: Path) -> Path:
    """The folder as the page has it before `convoy source make`."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in ("fellwright.toml", "source.toml", "clear-skies.toml"):
        (folder / name).write_text(block(name))
    for name, members in ARCHIVES.items():
        write_archive(folder / name, members)
    return folder
