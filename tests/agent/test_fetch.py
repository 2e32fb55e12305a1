"""Fetching from several sources: in turns, within each one's limit, from another place when the first has nothing."""

import threading
import time
from collections import Counter
from dataclasses import replace

import pytest

from convoy_agent.errors import FetchFailed
from convoy_agent.fetching import fetch
from convoy_agent.fetching.fetch import Fetcher
from convoy_agent.site.progress import NoListener
from convoy_agent.storage.store import Store
from convoy_core.lock.lock import LockedBuild

from .conftest import IMPATIENT, MODS, Member


def build_of(member: Member, mod: str, **changed: object) -> LockedBuild:
    lock = member.harbour.publish("1.0.0", MODS)
    return replace(lock.by_mod[mod], **changed)


def fetcher(member: Member, **given: object) -> Fetcher:
    sources = dict.fromkeys(("harbour", "other"), f"{member.harbour.address}/harbour")
    return Fetcher(member.store, sources, NoListener(), IMPATIENT, **given)


def test_another_place_is_tried_when_the_first_has_nothing(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    slept: list[float] = []
    monkeypatch.setattr(Fetcher, "_pause", lambda self, seconds, why: slept.append(seconds))
    good = build_of(member, "ledger").urls[0]
    build = build_of(member, "ledger", urls=("files/gone.zip", good))
    fetcher(member).fetch_all([build])
    assert build.archive.sha256 in member.store
    assert max(slept) == 0  # another place need not be waited for
    with pytest.raises(FetchFailed, match="no longer has the file"):
        fetcher(member).fetch_all([build_of(member, "lanterns", urls=("files/gone.zip",))])


def test_addresses_that_are_no_web_addresses_are_never_opened(member: Member) -> None:
    for url in ("file:///etc/passwd", "ftp://127.0.0.1/x", "//"):
        with pytest.raises(FetchFailed):
            fetcher(member).fetch_all([build_of(member, "ledger", urls=(url,))])
    assert list(member.store.archives()) == []


def test_sources_take_turns_and_none_is_asked_for_more_than_its_share(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    mods = {f"mod{n}": {"waybill.toml": f"{n}"} for n in range(16)}
    builds = list(member.harbour.publish("1.0.0", mods).builds)
    builds = [replace(one, source="harbour" if n < 12 else "other") for n, one in enumerate(builds)]
    now, most, guard = Counter(), Counter(), threading.Lock()

    def attempt(self: Fetcher, build: LockedBuild, address: str) -> None:
        with guard:
            now[build.source] += 1
            most[build.source] = max(most[build.source], now[build.source])
        time.sleep(0.01)
        with guard:
            now[build.source] -= 1

    monkeypatch.setattr(Fetcher, "_attempt", attempt)
    fetcher(member).fetch_all(builds)
    assert most["harbour"] <= IMPATIENT.per_source and most["other"] >= 1
    assert [one.source for one in fetch._mixed(builds)][:6] == ["harbour", "other"] * 3


def test_a_build_is_handed_on_as_soon_as_it_has_arrived_and_never_unverified(member: Member) -> None:
    builds = list(member.harbour.publish("1.0.0", MODS).builds)
    member.fault("lanterns", "wrong bytes")
    ready: list[str] = []
    with pytest.raises(FetchFailed, match="other bytes"):
        fetcher(member, ready=lambda build: ready.append(build.mod)).fetch_all(builds)
    assert ready == ["ledger"]
    assert {place.name for place in member.store.archives()} == {builds[0].archive.sha256}


def test_what_is_in_the_store_is_not_asked_for(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    builds = member.harbour.publish("1.0.0", MODS).builds
    fetcher(member).fetch_all(builds)
    monkeypatch.setattr(Fetcher, "_attempt", lambda *given: pytest.fail("the store has it"))
    fetcher(member).fetch_all(builds)


def test_the_line_is_shared_by_all_threads() -> None:
    line = fetch._Line(1_000_000)
    began = time.monotonic()
    threads = [threading.Thread(target=lambda: [line.take(10_000) for _ in range(5)]) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert time.monotonic() - began > 0.19  # 200 KB at 1 MB a second, however many ask


def test_the_store_of_one_machine_serves_all_its_installations(member: Member) -> None:
    member.store.remember(member.folder)
    member.store.remember(member.folder)
    member.store.remember(member.folder.with_name("gone"))
    assert member.store.installations() == [member.folder]
    place = member.store.root / "installations.json"
    place.write_text("{nonsense")
    assert member.store.installations() == [member.folder]
    for one in (place, place.with_name("installations.json.twin")):
        one.write_text("{nonsense")
    assert member.store.installations() == [] and "damaged" in member.store.remarks[0]
    member.store.keep_speed(10, 1)
    assert member.store.speed() == 0
    member.store.keep_speed(2_000_000, 2)
    assert member.store.speed() == 1_000_000 and Store(member.store.root).speed() == 1_000_000
