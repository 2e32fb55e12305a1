"""Makes the stand-in sources' catalogues and archives from the readable files under demo/. Same input, same bytes."""

import hashlib
import io
import json
import random
import shutil
import sys
import tomllib
import zipfile
from pathlib import Path
from typing import Any

import tomlkit

from .old_folder import fill
from .pictures import picture

DEMO = Path(__file__).resolve().parents[2] / "demo"
FILES_PER_BUILD = 8
"""Data files in each archive beside marker and settings: enough to see placing, few enough to read."""

PAGE, PIECE = 20, 40
"""A source with more than PIECE mods gives its catalogue in pages of PAGE mods."""

MARKERS = {"tillerway": "waybill.toml", "gauge-hollow": "consist.ini"}
SETTINGS_OF = {"tillerway": "toml", "gauge-hollow": "ini"}
"""What a mod's settings are written in, where the mod does not say otherwise."""

SETTINGS = {
    "toml": """# Settings of {name}

# Switches the mod off without taking it away.
enabled = true

# How strongly it shows. Range: 0 to 10. Default: 5
strength = 5
""",
    "ini": """; Settings of {name}

[mod]
; Switches the mod off without taking it away.
enabled = true
; How strongly it shows. Range: 0 to 10. Default: 5
strength = 5
""",
    "xml": """<?xml version="1.0"?>
<!-- Settings of {name} -->
<settings>
  <!-- Switches the mod off without taking it away. -->
  <enabled>true</enabled>
  <!-- How strongly it shows. Range: 0 to 10. Default: 5 -->
  <strength>5</strength>
</settings>
""",
}


def generate(target: Path) -> bool:
    """Writes TARGET/SOURCE/catalogue.json, its pages, and TARGET/SOURCE/files/*.zip; says whether there was need."""
    inputs = [*sorted(one for one in DEMO.rglob("*") if one.is_file()), *sorted(Path(__file__).parent.glob("*.py"))]
    stamp = hashlib.sha256(b"".join(path.read_bytes() for path in inputs)).hexdigest()
    kept = target / "stamp"
    if kept.exists() and kept.read_text() == stamp:
        return False
    shutil.rmtree(target, ignore_errors=True)
    for source in read_sources():
        mods = [mod for mod in read_mods(source["game"]) if mod["source"] == source["id"]]
        write_source(target / source["id"], source["game"], mods)
    kept.write_text(stamp)
    return True


def read_sources() -> list[dict[str, Any]]:
    return tomllib.loads((DEMO / "sources.toml").read_text())["sources"]


def read_mods(game: str) -> list[dict[str, Any]]:
    files = sorted((DEMO / "mods" / game).glob("*.toml"))
    return [mod for file in files for mod in _mods_of(tomllib.loads(file.read_text()))]


CHANGES = (
    "Costs less while nothing moves.",
    "No longer forgets its place after a reload.",
    "New sounds, and a setting to turn them down.",
    "Goes together with split hulls.",
    "Mends what stood half in the ground.",
    "Two more kinds, both asked for by carriers.",
    "Texts in plainer words; a German translation.",
    "Waits for the others aboard before it starts.",
    "Half the size, the same look.",
    "A crash at closed locks is gone.",
)
"""What a newer build of a mod in rows may say about itself."""


def _mods_of(page: dict[str, Any]) -> list[dict[str, Any]]:
    """The mods of one file: written out one by one, or as rows of a table with what they have in common above it."""
    found = list(page.get("mods", []))
    defaults = page.get("defaults", {})
    shared = {name: defaults[name] for name in ("games", "loaders") if name in defaults}
    for category, rows in page.get("rows", {}).items():
        for mod, name, author, licence, downloads, size, summary, versions, needs, *differing in rows:
            builds = []
            for place, one in enumerate(versions.split(", ")):
                version, date = one.split(" ")
                log = random.Random(f"{mod} {version}").choice(CHANGES) if place else "The first build for 2.1."
                builds.append({**shared, "version": version, "date": date, "needs": needs, "change_log": log})
            told = {"id": mod, "name": name, "author": author, "licence": licence, "downloads": downloads}
            common = {key: value for key, value in defaults.items() if key not in shared}
            own = {**common, **(differing[0] if differing else {})}
            found.append({**own, **told, "category": category, "summary": summary, "size_kb": size, "builds": builds})
    return found


def write_source(folder: Path, game: str, mods: list[dict[str, Any]]) -> None:
    """One source's folder: its catalogue, and an archive per build."""
    (folder / "files").mkdir(parents=True, exist_ok=True)
    listed = [list_mod(folder, game, mod) for mod in mods]
    if len(listed) <= PIECE:
        (folder / "catalogue.json").write_text(json.dumps({"mods": listed}, ensure_ascii=False))
        return
    (folder / "catalogue").mkdir()
    index = []
    for start in range(0, len(listed), PAGE):
        name = f"catalogue/{start // PAGE + 1:03}.json"
        page = json.dumps({"mods": listed[start : start + PAGE]}, ensure_ascii=False).encode()
        (folder / name).write_bytes(page)
        index.append({"name": name, "sha256": hashlib.sha256(page).hexdigest()})
    (folder / "catalogue.json").write_text(json.dumps({"pages": index}))


def read_listed(folder: Path) -> list[dict[str, Any]]:
    """The mods that a source's folder lists, whether in one piece or in pages."""
    told = json.loads((folder / "catalogue.json").read_text())
    pages = [json.loads((folder / page["name"]).read_text()) for page in told.get("pages", [])] or [told]
    return [mod for page in pages for mod in page["mods"]]


def list_mod(folder: Path, game: str, mod: dict[str, Any]) -> dict[str, Any]:
    builds = [list_build(folder, game, mod, build) for build in mod["builds"]]
    about = ("id", "name", "summary", "author", "category", "kind", "licence", "downloads", "counterpart", "on_removal")
    chance = random.Random(mod["id"])
    drawn = [f"pictures/{mod['id']}-{number + 1}.png" for number in range(2 if mod.get("downloads", 0) > 90_000 else 1)]
    (folder / "pictures").mkdir(exist_ok=True)
    for number, name in enumerate(drawn):
        (folder / name).write_bytes(picture(mod, number))
    return {
        "pictures": drawn,
        "followers": round(mod.get("downloads", 0) * chance.uniform(0.01, 0.06)),
        "rating": chance.randrange(310, 495),
        **{key: mod[key] for key in about if key in mod},
        "page": f"pages/{mod['id']}",
        "builds": builds,
    }


def list_build(folder: Path, game: str, mod: dict[str, Any], build: dict[str, Any]) -> dict[str, Any]:
    name = f"{mod['id']}-{build['version']}.zip"
    members = contents(game, mod, build)
    data = archive(members)
    (folder / "files" / name).write_bytes(data)
    shared = {key: mod[key] for key in ("side", "reach", "memory_mb") if key in mod}
    return {
        **shared,
        **build,
        "archive": {"name": name, "size": len(data), "sha256": hashlib.sha256(data).hexdigest()},
        # Some files have gone from where they were first, and lie elsewhere, too.
        "url": f"gone/{name}" if mod.get("moved") else f"files/{name}",
        **({"mirrors": [f"files/{name}"]} if mod.get("moved") else {}),
        "files": [
            {"path": path, "size": len(content), "sha256": hashlib.sha256(content).hexdigest()}
            for path, content in members.items()
        ],
    }


def contents(game: str, mod: dict[str, Any], build: dict[str, Any]) -> dict[str, bytes]:
    """The members of a build's archive: marker, settings, and data that differs from build to build."""
    chance = random.Random(f"{mod['id']} {build['version']}")
    members: dict[str, bytes] = {}
    if mod["kind"] in ("mod", "library", "scenario"):
        members[MARKERS[game]] = _marker(game, mod, build).encode()
        members["readme.md"] = f"# {mod['name']} {build['version']}\n\n{mod['summary']}\n".encode()
        form = mod.get("settings", SETTINGS_OF[game])
        members[f"settings.{form}"] = _settings(game, mod, build, form).encode()
    each = mod.get("size_kb", 100) * 1024 // FILES_PER_BUILD
    for number in range(FILES_PER_BUILD):
        # Half of the data stays the same from build to build, as in real mods.
        seed = chance if number % 2 else random.Random(f"{mod['id']} {number}")
        members[f"data/{mod['id']}-{number + 1:02}.dat"] = seed.randbytes(each)
    members.update({path: text.encode() for path, text in mod.get("carries", {}).items()})
    many = mod.get("many", {"count": 0})
    for number in range(many["count"]):
        members[f"{many['folder']}/wagon-{number + 1:03}.part"] = random.Random(number).randbytes(900)
    if mod.get("shape") == "deep":
        return {f"{mod['name']} {build['version']}/{path}": content for path, content in members.items()}
    if mod.get("shape") == "climbing":
        members["../../outside.txt"] = b"This must never be written.\n"
    return members


SAID = (
    "games",
    "loaders",
    "needs",
    "provides",
    "rebuilds",
    "sets",
    "trouble",
    "writes",
    "grumbles",
    "memory_mb",
    "works_anyway",
)
"""What a marker of Tillerway says for the game itself (`game`)."""


def _marker(game: str, mod: dict[str, Any], build: dict[str, Any]) -> str:
    marker = f'id = "{mod["id"]}"\nname = "{mod["name"]}"\nversion = "{build["version"]}"\n'
    said = {name: one for name in SAID if (one := build.get(name, mod.get(name)))}
    return marker + tomlkit.dumps(said) if game == "tillerway" else marker


def _settings(game: str, mod: dict[str, Any], build: dict[str, Any], form: str) -> str:
    """A mod's settings: written out for this build, or for all, under demo/settings; else as most have them."""
    for name in (f"{mod['id']}-{build['version']}", mod["id"]):
        written = DEMO / "settings" / game / f"{name}.{form}"
        if written.exists():
            return written.read_text()
    return SETTINGS[form].format(name=mod["name"])


def archive(members: dict[str, bytes]) -> bytes:
    """A ZIP whose bytes depend on nothing but its members."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        for path, content in members.items():
            info = zipfile.ZipInfo(path, date_time=(2026, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED if path.endswith((".toml", ".md", ".ini")) else zipfile.ZIP_STORED
            packed.writestr(info, content)
    return buffer.getvalue()


if __name__ == "__main__":
    generate(Path(sys.argv[1]))
    fill(Path(sys.argv[1]), Path(sys.argv[1]).parent / "old-folder")
