"""Checks over a large pack: 400 builds, 60,000 files, 2,000 of them readable and many met by others; and reading them.

What the site adds (database, JSON) is measured over a pack of the same size in the database.
"""

from __future__ import annotations

import io
import random
import resource
import statistics
import tempfile
import time
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from convoy_core.checks import DraftLine, Subject, run_checks
from convoy_core.checks.file_set import FileSet
from convoy_core.conflicts.set_aside import caught_by
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import LockedBuild, PlacedFile
from convoy_core.lock.terms import Terms
from convoy_core.outside.catalogue import read_catalogue
from convoy_core.outside.claims import Claims
from convoy_core.outside.game_profile import read_profile
from convoy_core.settings.readings import Reading, as_text, from_text, read_file
from convoy_core.words.model import Archive, Base, Build, Channel, Kind, Pickup, Reach, Side
from convoy_core.words.versions import parse_version
from convoy_io.zips import opened
from convoy_site.catalogue.listed_rows import keep_mods
from convoy_site.catalogue.models import Game, Source
from convoy_site.catalogue.models import Reading as ReadingRow
from convoy_site.catalogue.readings import readable_of
from convoy_site.packs import draft_layers
from convoy_site.packs.models import Pack
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMods
from convoy_site.packs.tasks import read_files_of
from convoy_site.people.models import Crew, User

from .site_pages import row, signed_in, timed

Row = tuple[str, str, str]
BUILDS, FILES, READABLE = 400, 60_000, 2_000
PROFILE = Path(__file__).resolve().parent.parent / "demo/games/tillerway.toml"


def text_of(chance: random.Random) -> str:
    keys = chance.sample(range(60), 24)
    return "".join(f"key_{key} = {chance.randint(0, 3)}  # what it does\n" for key in sorted(keys))


def large(seed: int = 1) -> Subject:
    """Every fifth readable path is carried by two or three builds, with different content."""
    chance = random.Random(seed)
    profile = read_profile(PROFILE.read_text())
    texts = [text_of(chance) for _ in range(READABLE)]
    readings: dict[str, Reading] = {}
    names = [f"mod-{number:03}" for number in range(BUILDS)]
    files: dict[str, list[PlacedFile]] = {mod: [] for mod in names}
    for number, text in enumerate(texts):
        sha256, mod = sha256_hex(text.encode()), chance.choice(names)
        readings[sha256] = read_file("x.toml", text.encode())
        path = f"config/shared/{number % 400}.toml" if number % 5 < 2 else f"mods/{mod}/data/{number}.toml"
        if all(one.path != path for one in files[mod]):
            files[mod].append(PlacedFile(path, len(text), sha256, mod, path))
    each = (FILES - READABLE) // BUILDS
    for mod in names:
        files[mod] += [
            PlacedFile(f"mods/{mod}/data/{at // 12}/{at}.dat", 900, f"{chance.getrandbits(256):064x}", mod, f"{at}.dat")
            for at in range(each)
        ]
    layers = [(_locked(mod, chance, names), FileSet(files[mod])) for mod in names]
    base = Base("tillerway", parse_version("2.1.0"), "bosun", parse_version("5.2.0"))
    return Subject(
        profile,
        base,
        layers,
        Terms(profile.settings, profile.worlds),
        {mod: DraftLine(mod) for mod in names},
        cores={mod: Build(mod, parse_version("1")) for mod in names},
        readings=readings,
    )


def _locked(mod: str, chance: random.Random, names: list[str]) -> LockedBuild:
    touches = tuple(sorted({f"area{chance.randint(0, 60)}.part{chance.randint(0, 9)}" for _ in range(2)}))
    archive = Archive(f"{mod}.zip", 100_000, sha256_hex(mod.encode()))
    made = LockedBuild(
        mod, mod, "1", Kind.MOD, Channel.STABLE, True, Side.BOTH, Reach.CREW, "MIT", "s", Pickup.DIRECT, (), "", archive
    )
    return replace(made, claims=Claims(touches=touches), needs=tuple(chance.sample(names, 2)))


def fresh(one: Subject, is_cold: bool = False) -> Subject:
    """Without what it has worked out; cold also without what its files have."""
    return replace(one, layers=[(build, FileSet(files)) for build, files in one.layers]) if is_cold else replace(one)


def middle(times: int, do: Callable[[], object]) -> float:
    """Milliseconds."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        do()
        taken.append((time.perf_counter() - start) * 1000)
    return statistics.median(taken)


def measure() -> list[Row]:
    one = large()
    found = run_checks(one)
    cold = middle(9, lambda: run_checks(fresh(one, is_cold=True)))
    moved = replace(one, layers=[*one.layers[1:], one.layers[0]])
    after = middle(9, lambda: run_checks(fresh(moved)))
    sizes = {file.path: file.size for _, files in one.layers for file in files}
    lines = [f"mods/mod-{number % BUILDS:03}/data/{number % 12}/**" for number in range(5_000)]
    listed = middle(5, lambda: caught_by(lines, sizes))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    size = f"{BUILDS} builds, {len(sizes):,} paths, {READABLE:,} readable"
    return [
        (f"all checks, cold: {size}", f"{cold:.0f} ms", f"aim 500 ms; {len(found)} findings"),
        ("the same after a line was moved", f"{after:.0f} ms", "aim 100 ms"),
        ("what 5,000 lines of a list catch there", f"{listed:.0f} ms", "while typing"),
        ("memory of this process", f"{memory} MB", "with all of it in memory"),
        *_reading(),
    ]


def _reading() -> list[Row]:
    """Reading archives beside only unpacking them, in turn."""
    chance = random.Random(2)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as made:
        for number in range(READABLE):
            made.writestr(f"{number}.toml", text_of(chance))
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "a.zip"
        place.write_bytes(packed.getvalue())
        data = _members(place)
        size = sum(map(len, data.values())) / 2**20
        plain = middle(5, lambda: _members(place))
        read = middle(5, lambda: [read_file(name, text) for name, text in _members(place).items()])
    kept = [read_file(name, text) for name, text in data.items()]
    texts = [as_text(reading) for reading in kept]
    back = middle(5, lambda: [from_text(text) for text in texts])
    return [
        (
            f"unpacking {READABLE:,} settings files",
            f"{size / plain * 1000:.1f} MB/s",
            f"{size:.1f} MB in {plain:.0f} ms",
        ),
        ("unpacking and reading them", f"{size / read * 1000:.1f} MB/s", f"{read / plain:.1f} times as long"),
        ("taking kept readings back into memory", f"{back:.0f} ms", f"{READABLE:,} readings"),
    ]


def _members(place: Path) -> dict[str, bytes]:
    with opened(place) as packed:
        return {one.name: b"".join(packed.blocks(one)) for one in packed.entries}


SETTINGS_MODS, SHARED = 60, 300
"""Of the pack over the site: so many mods bring settings into one tree of so many paths."""


def over_the_site() -> list[Row]:
    """What the stage asks for, of a pack of this size in the database, over HTTP."""
    chance, texts = random.Random(4), dict[str, str]()
    game = Game.objects.get(pk="tillerway")
    named = {"name": "Large", "address": "http://127.0.0.1:9", "pickup": "direct"}
    source, _ = Source.objects.get_or_create(pk="bench-checks", defaults={**named, "game": game})
    listed = {"mods": [_listed(number, chance, texts) for number in range(BUILDS)]}
    keep_mods(source, list(read_catalogue(listed, game.profile)))
    rows = [(sha256, read_file("x.toml", text.encode())) for sha256, text in texts.items()]
    ReadingRow.objects.bulk_create(ReadingRow(sha256=sha256, keys=as_text(found)) for sha256, found in rows)
    maren = User.objects.get(username="maren")
    crew = Crew.objects.get(name="Kestrel Wharf")
    base = {"group": "", "notes": "", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    pack = start_pack(maren, NewPack(crew=crew.id, game="tillerway", name="Large", emblem="reed", **base))
    mods = [one["id"] for one in listed["mods"]]
    edit_draft(maren, pack.id, 0, [AddMods(do="add many", mods=mods)])
    client, at = signed_in(), f"/api/packs/{pack.id}"
    told = client.get(f"{at}/findings").json()
    pairs = client.get(f"{at}/overlap").json()["pairs"]
    names = [line["mod"] for line in client.get(f"{at}/draft").json()["lines"]]

    def once_moved(number: int) -> float:
        """Seconds until the findings are there once a line was moved; the edit itself is not counted."""
        revision = client.get(f"{at}/draft").json()["revision"]
        move = {"do": "move", "mods": [names[number]], "before": names[-1 - number]}
        client.post(f"{at}/draft/edits", json={"revision": revision, "edits": [move]}).raise_for_status()
        began = time.perf_counter()
        client.get(f"{at}/findings").raise_for_status()
        return time.perf_counter() - began

    reading = _reading_night_freight()
    aim, of = "aim: p95 under 100 ms", f"{len(Pack.objects.get(pk=pack.id).draft.picks)} builds"
    one = pairs[0]
    side = f"{at}/overlap/{one['one']}/{one['other']}"
    return [
        row(f"findings ({len(told['findings'])}), {of}", timed(lambda n: client.get(f"{at}/findings"), 20), aim),
        row("findings after a line was moved", [once_moved(number) for number in range(12)], "aim 100 ms"),
        row(f"who meets whom ({len(pairs)} pairs)", timed(lambda n: client.get(f"{at}/overlap"), 20), aim),
        row("two side by side", timed(lambda n: client.get(side), 20), aim),
        row("parts and tree of one build", timed(lambda n: client.get(f"{at}/parts/{mods[-1]}"), 20), aim),
        reading,
        row("what a list of one line catches", timed(
            lambda n: client.post(f"{at}/set-aside", json={"text": f"mods/**/{n}.dat"}), 20), "while typing"),
    ]  # fmt: skip


def _reading_night_freight() -> Row:
    """What the worker reads of the demo's large pack, from the sources that a program may fetch from, anew."""
    pack = Pack.objects.select_related("crew", "game", "draft").get(name="Night Freight")
    rows = draft_layers.picked(pack.draft, with_files=True).rows
    hashes = {sha256 for build in rows for sha256, _ in readable_of(build, pack.game.profile).values()}
    ReadingRow.objects.filter(sha256__in=hashes).delete()
    began = time.perf_counter()
    read_files_of(str(pack.pk))
    taken = time.perf_counter() - began
    read = ReadingRow.objects.filter(sha256__in=hashes).count()
    return f"reading Night Freight, {len(rows)} builds", f"{taken:.1f} s", f"aim 20 s; {read} files of {len(hashes)}"


def _listed(number: int, chance: random.Random, texts: dict[str, str]) -> dict[str, object]:
    is_settings = number < SETTINGS_MODS
    files: list[dict[str, object]] = []
    if is_settings:
        for at in chance.sample(range(SHARED), READABLE // SETTINGS_MODS):
            text = text_of(chance)
            sha256 = sha256_hex(text.encode())
            texts[sha256] = text
            files.append({"path": f"shared/{at}.toml", "size": len(text), "sha256": sha256})
    else:
        files.append({"path": "waybill.toml", "size": 10, "sha256": f"{chance.getrandbits(256):064x}"})
    for at in range(FILES // BUILDS - len(files)):
        path = f"charts/{number}/{at}.dat" if is_settings else f"data/{at // 12}/{at}.dat"
        files.append({"path": path, "size": 900, "sha256": f"{chance.getrandbits(256):064x}"})
    name = f"large-{number}"
    archive = {"name": f"{name}.zip", "size": 100_000, "sha256": sha256_hex(name.encode())}
    build = {"version": "1.0", "games": "*", "archive": archive, "files": files, "url": f"{name}.zip"}
    return {"id": name, "name": name.title(), "kind": "settings" if is_settings else "mod", "builds": [build]}
