"""Pages' data over loopback, through the running site: 95th percentile of single requests, one after another."""

from __future__ import annotations

import hashlib
import os
import random
import statistics
import time
from collections.abc import Callable
from typing import Any

import httpx
from django.utils import timezone

from convoy_core.outside.catalogue import read_catalogue
from convoy_site.catalogue.listed_rows import keep_mods
from convoy_site.catalogue.models import Build, Game, Mod, Source
from convoy_site.packs.models import Pack

REQUESTS = 60
SEED = 20261123
LIBRARIES = 60


def signed_in(name: str = "maren") -> httpx.Client:
    client = httpx.Client(base_url=os.environ["CONVOY_ADDRESS"], timeout=60)
    client.get("/api/me")
    headers = {"X-CSRFToken": client.cookies["csrftoken"]}
    body = {"username": name, "password": "kestrel-demo"}
    client.post("/_allauth/browser/v1/auth/login", json=body, headers=headers).raise_for_status()
    client.headers["X-CSRFToken"] = client.cookies["csrftoken"]
    return client


def timed(ask: Callable[[int], httpx.Response], count: int = REQUESTS) -> list[float]:
    taken = []
    for number in range(count + 3):
        began = time.perf_counter()
        ask(number).raise_for_status()
        taken.append(time.perf_counter() - began)
    return taken[3:]


def row(what: str, taken: list[float], aim: str) -> tuple[str, str, str]:
    middle, high = statistics.median(taken) * 1000, statistics.quantiles(taken, n=20)[18] * 1000
    return what, f"p50 {middle:.0f} ms, p95 {high:.0f} ms", aim


WORDS = ["lantern", "lantrn", "lock", "weir", "herron", "tarred", "quiet deck", "fog", "bells", "cargo"]


def pages(client: httpx.Client, pack: Pack) -> list[tuple[str, str, str]]:
    at = f"/api/packs/{pack.id}"
    aim = "aim: p95 under 100 ms"
    return [
        row("catalogue search", timed(lambda n: client.get(f"{at}/catalogue", params={"text": WORDS[n % 10]})), aim),
        row("catalogue, first page", timed(lambda n: client.get(f"{at}/catalogue")), aim),
        row("draft page", timed(lambda n: client.get(f"{at}/draft")), aim),
        row("roll call", timed(lambda n: client.get(f"{at}/roll-call")), aim),
        row("the line", timed(lambda n: client.get(f"{at}/line")), aim),
    ]


def demo() -> list[tuple[str, str, str]]:
    return pages(signed_in(), Pack.objects.get(name="Night Freight"))


def large() -> list[tuple[str, str, str]]:
    load_mods(5_000)
    return pages(signed_in(), Pack.objects.get(name="Night Freight"))


def searching() -> list[tuple[str, str, str]]:
    """The finder over 50,000 mods, over HTTP: by words, with slips, with filters, and without anything."""
    load_mods(50_000)
    client, at = signed_in(), f"/api/packs/{Pack.objects.get(name='Night Freight').id}/catalogue"
    asked = {
        "words and slips": [{"text": word} for word in WORDS],
        "a filter and an order": [
            {"kind": "mod", "reach": "crew", "sort": sort} for sort in ("rating", "updated", "name")
        ],
        "what needs a mod": [{"needs": f"bulk-{number}"} for number in range(20)],
    }
    aim = "aim: p95 under 50 ms"
    return [
        row(f"{what}, 50,000 mods", timed(lambda n, each=each: client.get(at, params=each[n % len(each)])), aim)
        for what, each in asked.items()
    ]


def load_mods(count: int) -> None:
    """Made-up mods with needs among one another, read as a source's catalogue is read."""
    source, made = Source.objects.get_or_create(
        pk=f"bulk-{count}",
        defaults={
            "name": "Bulk",
            "game": Game.objects.get(pk="tillerway"),
            "address": "http://127.0.0.1:9",
            "pickup": "direct",
        },
    )
    if not made:
        return
    chance = random.Random(SEED)
    first = Mod.objects.filter(slug__startswith="bulk-").count()
    for start in range(first, count, 2_500):
        part = {"mods": [bulk_mod(number, chance) for number in range(start, min(count, start + 2_500))]}
        keep_mods(source, list(read_catalogue(part, source.game.profile)))
    Build.objects.filter(mod__source=source).update(gone=False)
    source.etag, source.read_at = "loaded", timezone.now()
    source.save()


ADJECTIVES = ["Quiet", "Tarred", "Amber", "Deep", "Old", "Second", "Low", "Painted", "Slow", "Bright"]
NOUNS = ["Weir", "Lantern", "Towpath", "Ledger", "Barge", "Reed", "Sluice", "Basin", "Market", "Heron", "Gate", "Rope"]


def bulk_mod(number: int, chance: random.Random) -> dict[str, Any]:
    """The first sixty are libraries, of which the later half need the earlier; the others need up to two libraries."""
    libraries = 0 if number < LIBRARIES // 2 else LIBRARIES // 2 if number < LIBRARIES else LIBRARIES
    needs = {f"bulk-{chance.randrange(libraries)}": ">=1" for _ in range(chance.randrange(3))} if libraries else {}
    builds = []
    for minor in range(8):
        digest = hashlib.sha256(f"{number} {minor}".encode()).hexdigest()
        archive = {"name": f"bulk-{number}-1.{minor}.zip", "size": 100_000, "sha256": digest}
        files = [{"path": "waybill.toml", "size": 10, "sha256": digest}]
        builds.append(
            {
                "version": f"1.{minor}",
                "date": f"2026-0{minor + 1}-01",
                "games": ">=2.0, <2.2",
                "loaders": {"bosun": ">=5"},
                "needs": needs,
                "archive": archive,
                "files": files,
                "url": archive["name"],
            }
        )
    name = f"{chance.choice(ADJECTIVES)} {chance.choice(NOUNS)} {number}"
    return {"id": f"bulk-{number}", "name": name, "kind": "mod", "summary": f"{name} for the bench.", "builds": builds,
            "downloads": chance.randrange(10**6)}  # fmt: skip
