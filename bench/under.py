"""Thirty collections of fifty mods under a pack of 400 lines: settled by the core, and edited over HTTP."""

from __future__ import annotations

import json
import random
import time
from typing import Any

from convoy_core.draft.collections import Collection, Fixed, together
from convoy_core.draft.settling import WantedLine, settle
from convoy_core.resolve import Eligible
from convoy_core.resolve.wire import read_problem
from convoy_core.words.ranges import ANY_VERSION, parse_range
from convoy_site.packs.models import Pack
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMods
from convoy_site.people.models import Crew, User
from convoy_site.releases.services import publish

from . import problems
from .site_pages import load_mods, row, signed_in, timed

LINES, COLLECTIONS, EACH, SEED = 400, 30, 50, 7


def measure() -> list[tuple[str, str, str]]:
    return [*_in_the_core(), *_over_the_site()]


def _in_the_core() -> list[tuple[str, str, str]]:
    problem = read_problem(json.dumps(problems.large(5_000, 40_000, LINES, SEED)))
    eligible = Eligible(problem.library, problem.base)
    own = [WantedLine(mod, asked) for mod, asked in problem.want.items()]
    chance, every = random.Random(SEED), sorted({f"mod-{number}" for number in range(4_750)})
    chosen = [[mod for mod in chance.sample(every, EACH) if eligible.of(mod)] for _ in range(COLLECTIONS)]
    # As collections of one season are: put together from builds that go with each other.
    together_ = settle(eligible, [*own, *(WantedLine(mod, ANY_VERSION) for mods in chosen for mod in mods)], {})
    season = {mod: build.version.text for mod, build in together_.picks.items()}
    newest = {mod: eligible.of(mod)[0].version.text for mods in chosen for mod in mods}
    rows = _settled(
        "of one season", eligible, own, [{m: season[m] for m in mods if m in season} for mods in chosen], True
    )
    return [*rows, *_settled("at random", eligible, own, [{m: newest[m] for m in mods} for mods in chosen], False)]


def _settled(
    which: str, eligible: Eligible, own: list[WantedLine], chosen: list[dict[str, str]], aims: bool
) -> list[tuple[str, str, str]]:
    collections = [
        Collection(f"c{at}", f"Set {at}", "1.0", "0" * 64, tuple(Fixed(mod, version) for mod, version in one.items()))
        for at, one in enumerate(chosen)
    ]
    began = time.perf_counter()
    under = together({line.mod for line in own}, collections)
    lines_of = [WantedLine(mod, parse_range(f"={one.line.version}")) for mod, one in under.lines.items()]
    composed = time.perf_counter() - began
    began = time.perf_counter()
    settled = settle(eligible, [*own, *lines_of], {})
    cold = time.perf_counter() - began
    keep = {mod: build.version for mod, build in settled.picks.items()}
    spare = [one for one in under.lines if one in settled.picks][: 5 if aims else 0]
    edits = []
    for mod in spare:
        began = time.perf_counter()
        settle(eligible, [*own, *(line for line in lines_of if line.mod != mod)], keep)
        edits.append(time.perf_counter() - began)
        began = time.perf_counter()
        settle(eligible, [*own, WantedLine(mod, ANY_VERSION), *(line for line in lines_of if line.mod != mod)], keep)
        edits.append(time.perf_counter() - began)
    what = f"{COLLECTIONS} collections of {EACH} {which} under {LINES} lines"
    clashes = f"{len(settled.unsettled)} lines without a build"
    aim = "aim: below 1 s; " if aims else ""
    rows = [
        (f"{what}: who goes before whom", f"{composed * 1000:.1f} ms", f"{len(lines_of)} of their lines count"),
        (f"{what}: settled, cold", f"{cold * 1000:.0f} ms", f"{aim}{len(settled.picks)} builds, {clashes}"),
    ]
    if aims:
        rows.append(row(f"{what}: settled again after an edit", edits, f"aim: below 150 ms; {clashes}"))
    return rows


def _over_the_site() -> list[tuple[str, str, str]]:
    load_mods(5_000)
    maren = User.objects.get(username="maren")
    crew = Crew.objects.get(name="Kestrel Wharf")
    pack = _started(maren, crew, "Four Hundred", [f"bulk-{number}" for number in range(1_000, 1_000 + LINES)])
    began = time.perf_counter()
    chance = random.Random(SEED)
    made = []
    for at in range(COLLECTIONS):
        mods = [f"bulk-{number}" for number in chance.sample(range(1_200, 4_900), EACH)]
        one = _started(maren, crew, f"Set {at}", mods, (">=2.0", {"bosun": "*"}))
        publish(maren, one.pk, 1, "1.0.0", "stable", "")
        made.append(one)
    put_together = time.perf_counter() - began
    client, at_draft = signed_in(), f"/api/packs/{pack.pk}/draft"
    takes: list[float] = []
    for one in made:
        revision = client.get(at_draft).json()["revision"]
        body = {"revision": revision, "edits": [{"do": "take up", "collection": str(one.pk)}]}
        began = time.perf_counter()
        client.post(f"{at_draft}/edits", json=body).raise_for_status()
        takes.append(time.perf_counter() - began)
    edits: list[float] = []
    for number in range(10):
        for do in ("add", "remove"):
            revision = client.get(at_draft).json()["revision"]
            body = {"revision": revision, "edits": [{"do": do, "mod": f"bulk-{4_920 + number}"}]}
            began = time.perf_counter()
            client.post(f"{at_draft}/edits", json=body).raise_for_status()
            edits.append(time.perf_counter() - began)
    told = client.get(at_draft).json()
    size = f"{told['chosen']} chosen + {told['through']} of collections + {told['brought_in']} brought in"
    return [
        (f"{COLLECTIONS} collections put together and published", f"{put_together:.1f} s", "over the services"),
        (f"the last of them taken up ({size})", f"{takes[-1] * 1000:.0f} ms", "over HTTP"),
        row(f"one edit over HTTP, all of it ({size})", edits, "the change log of the draft among it"),
        row(f"draft page ({size})", timed(lambda n: client.get(at_draft)), ""),
    ]


def _started(user: User, crew: Crew, name: str, mods: list[str], suits: Any = None) -> Pack:
    base = {"game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    new = NewPack(crew=crew.id, game="tillerway", name=name, emblem="reed", group="", notes="", suits=suits, **base)
    pack = start_pack(user, new)
    edit_draft(user, pack.pk, 0, [AddMods(do="add many", mods=mods)])
    return pack
