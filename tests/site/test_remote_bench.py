"""A keeper's own bench: the real command against the site's real doors, and what a hostile or dead one can do."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urljoin

import httpx
import pytest
from django.test import Client
from django.utils import timezone

from convoy_agent import benching
from convoy_agent.benching import Bench as RealBench
from convoy_agent.errors import SiteRefused
from convoy_agent.site import connection
from convoy_agent.storage.store import Store
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import LockedBuild
from convoy_io.sandbox import why_no_sandbox
from convoy_site.keeping.accounts import make_keeper
from convoy_site.packs import own_files
from convoy_site.packs.shapes.edits import AddMod, AddMods, PlaceOwn, RemoveMod
from convoy_site.releases.as_files.packing import subject_of
from convoy_site.trials.models import Bench, Trial
from convoy_site.trials.remote import give_up_waiting
from convoy_standins.game import bench_file

from .conftest import Api, World
from .test_trials import ROOT, change, shown

SITE = "http://testserver"


class Wire(httpx.BaseTransport):
    """The site's own doors, and sources that answer out of their folder."""

    def __init__(self, sources: Path) -> None:
        self.sources = sources
        self.fetched = lambda: None
        """Called at each archive that a source is asked for."""

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        if request.url.host != "testserver":
            self.fetched()
            place = self.sources / request.url.path.lstrip("/")
            return (
                httpx.Response(200, stream=httpx.ByteStream(place.read_bytes()))
                if place.is_file()
                else httpx.Response(404)
            )
        token = {"Authorization": request.headers.get("authorization", "")}
        kind = request.headers.get("content-type", "")
        reply = Client(headers=token).generic(request.method, request.url.raw_path.decode(), request.read(), kind)
        return httpx.Response(reply.status_code, stream=httpx.ByteStream(reply.getvalue()))


@pytest.fixture
def elsewhere(
    world: World, sources: Path, tmp_path: Path, settings: Any, monkeypatch: pytest.MonkeyPatch
) -> Iterator[tuple[RealBench, Wire, Store]]:
    """A bench elsewhere that the keeper let in; the site has none of its own."""
    assert not why_no_sandbox()
    settings.BENCH = ""
    settings.ALLOWED_HOSTS = ["testserver"]
    wire = Wire(sources)
    monkeypatch.setattr(connection, "TRANSPORT", wire)
    monkeypatch.setattr(benching, "Fetcher", lambda *where, wait, **_: InTurn(wire, *where, wait))
    make_keeper(None, "owner", True)
    status, made = world.as_("owner").post("/api/keeper/benches", {"name": "Shed"})
    assert status == 200, made
    store = Store(tmp_path / "store")
    games = bench_file(tmp_path / "elsewhere", ROOT / "demo/games")
    yield RealBench(SITE, made["token"], games, store, lambda text: None), wire, store


def asked(world: World) -> tuple[int, Any]:
    return world.as_("owner").post(f"{world.at}/trials", {})


def test_a_bench_elsewhere_tries_a_draft_and_tells_how_it_went(
    world: World, elsewhere: tuple[RealBench, Wire, Store]
) -> None:
    bench, wire, store = elsewhere
    owner = world.as_("owner")
    assert asked(world)[1]["code"] == "no-bench" and not owner.get(f"{world.at}/trials")[1]["has_bench"]
    bench.run(once=True)
    assert owner.get(f"{world.at}/trials")[1]["has_bench"] and owner.get("/api/keeper/benches")[1][0]["games"]
    trial = asked(world)[1]
    assert trial["state"] == "waits"
    bench.run(once=True)
    told = shown(owner, world, trial["id"])
    assert (told["state"], told["outcome"]["came_up"]) == ("done", True) and told["outcome"]["loaded"] > 1
    change(world, AddMods(do="add many", mods=["ghost-barge", "moon-tables", "deep-holds"]))
    trial = asked(world)[1]
    bench.run(once=True)
    told = shown(owner, world, trial["id"])
    assert told["outcome"]["cause"]["sentence"].startswith("Ghost Barge and Moon Tables fail together")
    assert told["outcome"]["new"] > 2 and told["reports"] and told["ways"]
    assert [one["mod"] for one in told["without"]] == ["deep-holds"]
    assert owner.get(f"{world.at}/trials/{trial['id']}/log?severity=error")[1]["found"] > 1
    # What only a person may fetch is tried where its keeper has brought it.
    world.pack.draft.refresh_from_db()
    builds = subject_of(world.pack, "").recipe.lock.builds
    build = next(one for one in builds if one.mod == "deep-holds")
    archive = _archive(wire, build.archive.sha256)
    assert store.copy_in(archive, build.archive.sha256)
    trial = asked(world)[1]
    bench.run(once=True)
    assert shown(owner, world, trial["id"])["without"] == []
    # What only the site has comes by its own door, to the bench that tries it.
    path = "mods/own-lamp/waybill.toml"
    own = own_files.keep(world.users["owner"], world.pack, b'id = "own-lamp"\nversion = "7"\n', path)
    change(world, RemoveMod(do="remove", mod="ghost-barge"), PlaceOwn(do="own files", add={path: own}))
    trial = asked(world)[1]
    bench.run(once=True)
    told = shown(owner, world, trial["id"])
    assert told["without"] == [] and told["outcome"]["came_up"]
    log = owner.get(f"{world.at}/trials/{trial['id']}/log?text=own-lamp")[1]
    assert log["entries"][0]["text"] == "Stowed own-lamp 7"
    assert [path.name for path in (store.root / "bench").iterdir()] == []


def _archive(wire: Wire, sha256: str) -> Path:
    return next(one for one in wire.sources.rglob("*.zip") if sha256_hex(one.read_bytes()) == sha256)


def test_one_that_dies_loses_its_trial_to_another_and_a_stopped_one_ends(
    world: World, elsewhere: tuple[RealBench, Wire, Store]
) -> None:
    bench, _, _ = elsewhere
    bench.run(once=True)
    trial = asked(world)[1]["id"]
    token, other = (_token(world, name) for name in ("Barn", "Attic"))
    first = token.post("/api/bench/next", {"games": ["tillerway"]})[1]
    assert first["trial"] == trial and other.post("/api/bench/next", {"games": ["tillerway"]})[1] is None
    assert other.post(f"/api/bench/trials/{trial}/progress", {})[0] == 404
    Trial.objects.update(heard_at=timezone.now() - timedelta(minutes=4))
    assert other.post("/api/bench/next", {"games": ["tillerway"]})[1]["trial"] == trial
    # The first comes back: it is not its own any more, and what it says counts for nothing.
    assert token.post(f"/api/bench/trials/{trial}/result", {"failed": "late"})[0] == 404
    assert world.as_("owner").send("DELETE", f"{world.at}/trials/{trial}")[0] == 200
    assert other.post(f"/api/bench/trials/{trial}/progress", {"done": 5})[1] == {"stop": True}
    assert other.post(f"/api/bench/trials/{trial}/result", {"failed": "ended"})[0] == 200
    assert shown(world.as_("owner"), world, trial)["state"] == "stopped"
    # One whose draft was changed meanwhile is not tried at all; and a bench that is removed is let in no more.
    trial = asked(world)[1]["id"]
    change(world, AddMod(do="add", mod="fog-over-fen"))
    assert other.post("/api/bench/next", {"games": ["tillerway"]})[1] is None
    assert "changed before its turn" in shown(world.as_("owner"), world, trial)["told"]
    # What nobody takes for a day has ended.
    trial = asked(world)[1]["id"]
    assert give_up_waiting() == 0
    Trial.objects.filter(pk=trial).update(at=timezone.now() - timedelta(days=2))
    assert give_up_waiting() == 1 and "No bench took it" in shown(world.as_("owner"), world, trial)["told"]
    world.as_("owner").send("DELETE", f"/api/keeper/benches/{Bench.objects.get(name='Attic').pk}")
    assert other.post("/api/bench/next", {"games": ["tillerway"]})[0] == 401
    assert token.post("/api/bench/next", {"games": ["gauge-hollow"]})[1] is None


def test_a_bench_says_how_far_it_is_while_it_fetches_and_hears_that_it_is_to_stop(
    world: World, elsewhere: tuple[RealBench, Wire, Store], monkeypatch: pytest.MonkeyPatch
) -> None:
    bench, wire, _ = elsewhere
    monkeypatch.setattr(benching, "HEAR_EVERY", 0)
    bench.run(once=True)
    trial = asked(world)[1]["id"]
    done: list[int] = []

    def fetched() -> None:
        done.append(Trial.objects.get(pk=trial).done)
        if len(done) == 3:
            Trial.objects.filter(pk=trial).update(stop=True)

    wire.fetched = fetched
    bench.run(once=True)
    assert done == sorted(done) and done[0] == 0 < done[2] and len(done) == 3
    assert shown(world.as_("owner"), world, trial)["state"] == "stopped"


class InTurn:
    """Fetches in the very thread that holds the test's transaction: what it tells the site is seen there."""

    def __init__(self, wire: Wire, store: Store, sources: dict[str, str], wait: Callable[[], None]) -> None:
        self._wire, self._store, self._sources, self._wait = wire, store, sources, wait

    def fetch_all(self, builds: list[LockedBuild]) -> None:
        for build in builds:
            url = urljoin(self._sources[build.source].rstrip("/") + "/", build.urls[0])
            data = self._wire.handle_request(httpx.Request("GET", url)).read()
            self._wait()
            place = self._store.partial / build.archive.sha256
            place.write_bytes(data)
            assert self._store.take_in(place, build.archive.sha256)


def _token(world: World, name: str) -> Api:
    made = world.as_("owner").post("/api/keeper/benches", {"name": name})[1]
    return world.agent(made["token"])


def test_a_bench_sees_what_it_tries_and_nothing_else_and_what_it_says_is_held_to_its_form(
    world: World, elsewhere: tuple[RealBench, Wire, Store]
) -> None:
    bench, _, _ = elsewhere
    bench.run(once=True)
    trial = asked(world)[1]["id"]
    token = _token(world, "Barn")
    for method, path in (("GET", "/api/packs"), ("GET", "/api/agent/head"), ("GET", f"{world.at}/trials")):
        assert token.send(method, path)[0] == 401
    assert world.agent().post("/api/bench/next", {"games": []})[0] == 401
    assert world.as_("owner").post("/api/bench/next", {"games": []})[0] == 401
    assert token.post("/api/bench/next", {"games": ["tillerway"]})[1]["trial"] == trial
    assert token.get(f"/api/bench/trials/{trial}/own/{'0' * 64}")[0] == 404
    for odd in (
        {}, {"outcome": {"came_up": True}}, {"failed": "x" * 601}, {"entries": [{"text": "x"}]},
        {"outcome": {"seconds": float("1e300")}},
    ):  # fmt: skip
        assert token.post(f"/api/bench/trials/{trial}/result", odd)[0] == 422, odd
    assert Trial.objects.get(pk=trial).state == "working"
    with pytest.raises(SiteRefused):
        RealBench(SITE, "wrong", bench._games, bench._store, lambda text: None).run(once=True)
