"""What a request costs of the processor, and what many at once come to: through the front, as everybody asks."""

from __future__ import annotations

import os
import statistics
import time
from collections import Counter
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor

import httpx
import psutil

from convoy_site.installations.joining import join, pair, pairing_command
from convoy_site.installations.models import Installation
from convoy_site.packs.models import Pack
from convoy_site.people.models import User
from convoy_site.releases.join_codes import make_join_code

from .site_pages import signed_in

REQUESTS = 150
POLL_SECONDS, ASK_SECONDS = 5, 300
"""How often a watching agent looks at the pack's word, and asks the site itself (`convoy_agent.watch`)."""

AT_ONCE, BURST = 40, 400
STORM_SECONDS = 5


def measure() -> list[tuple[str, str, str]]:
    pack = Pack.objects.get(name="Night Freight")
    maren = signed_in()
    agent, _ = agent_of(pack)
    at, word = f"/api/packs/{pack.pk}", f"/statements/{pack.pk}.json"
    etag = agent.get(word).headers["ETag"]
    site, front = processes("gunicorn"), processes("nginx")
    rows = []
    costs: dict[str, float] = {}
    for what, ask, aim in (
        (
            "head, an agent's question",
            lambda: agent.get("/api/agent/head"),
            "2 ms, or out of the way",
        ),
        ("roll call", lambda: maren.get(f"{at}/roll-call"), "15 ms"),
        ("draft of 120 lines", lambda: maren.get(f"{at}/draft"), "25 ms"),
        ("search", lambda: maren.get(f"{at}/catalogue", params={"text": "lock"}), "15 ms"),
    ):
        costs[what] = _cost(ask, site)
        rows.append((f"processor per request: {what}", f"{costs[what]:.1f} ms", f"aim: {aim}"))
    seconds, count = _storm(word, etag)
    spent = _spent(front)
    seconds, count = _storm(word, etag)
    each = (_spent(front) - spent) / count
    rows.append(("processor per request: a pack's word, unchanged, from the front", f"{each * 1000:.3f} ms", ""))
    rows.append(("words a second, one core for asking, one for answering", f"{count / seconds:.0f}", ""))
    watchers = 1 / (each / POLL_SECONDS + costs["head, an agent's question"] / 1000 / ASK_SECONDS)
    rows.append(("watching machines that one core serves, by these figures", f"{watchers:,.0f}", "aim: 20,000 a site"))
    found = Counter(_burst(maren, at))
    refused = sum(count for status, count in found.items() if status != 200)
    rows.append((f"{BURST} drafts, {AT_ONCE} at once, 16 threads, 16 connections", f"{refused} failed", "aim: none"))
    return rows


def agent_of(pack: Pack) -> tuple[httpx.Client, Installation]:
    """A new installation of a pack, and what its agent asks the site with."""
    owner, member = User.objects.get(username="maren"), User.objects.get(username="perrin")
    made = join(member, make_join_code(owner, pack.pk, None).code, f"Bench {time.time():.0f}", "player")
    _, token = pair(pairing_command(member, made.pk).code, "127.0.0.1")
    headers = {"Authorization": f"Bearer {token}"}
    return httpx.Client(base_url=os.environ["CONVOY_ADDRESS"], headers=headers, timeout=60), made


def processes(name: str) -> list[psutil.Process]:
    """Those of this very site: they share what this process was told."""
    found = []
    for one in psutil.process_iter():
        try:
            # What loads the front's cache ends by itself.
            told = " ".join(one.cmdline())
            if name in told and "cache loader" not in told and _is_of_this_site(one):
                found.append(one)
        except (psutil.Error, OSError):
            continue
    assert found, f"no {name} of this site runs"
    return found


def _is_of_this_site(one: psutil.Process) -> bool:
    parents = [one, *one.parents()[:1]]
    return any(each.environ().get("CONVOY_DATA") == os.environ["CONVOY_DATA"] for each in parents) or any(
        os.environ["CONVOY_DATA"] in " ".join(each.cmdline()) for each in parents
    )


def _spent(processes: Iterable[psutil.Process]) -> float:
    times = [one.cpu_times() for one in processes]
    return sum(one.user + one.system for one in times)


def _cost(ask: Callable[[], httpx.Response], site: list[psutil.Process]) -> float:
    """Milliseconds of the site's processors for one request: the median of three rounds."""
    for _ in range(10):
        ask().raise_for_status()
    rounds = []
    for _ in range(3):
        before = _spent(site)
        for _ in range(REQUESTS // 3):
            ask()
        rounds.append((_spent(site) - before) / (REQUESTS // 3) * 1000)
    return statistics.median(rounds)


def _storm(word: str, etag: str) -> tuple[float, int]:
    """As many agents as this machine can play ask for a word that has not changed; seconds, and how many were
    answered.
    """
    until = time.monotonic() + STORM_SECONDS

    def ask(_: int) -> int:
        count = 0
        with httpx.Client(base_url=os.environ["CONVOY_ADDRESS"], headers={"If-None-Match": etag}) as client:
            while time.monotonic() < until:
                assert client.get(word).status_code in (200, 304)
                count += 1
        return count

    began = time.monotonic()
    with ThreadPoolExecutor(8) as pool:
        count = sum(pool.map(ask, range(8)))
    return time.monotonic() - began, count


def _burst(signed: httpx.Client, at: str) -> list[int]:
    def ask(_: int) -> int:
        try:
            return signed.get(f"{at}/draft").status_code
        except httpx.HTTPError:
            return 0

    with ThreadPoolExecutor(AT_ONCE) as pool:
        return list(pool.map(ask, range(BURST)))
