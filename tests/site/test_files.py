"""Packs as files on the site: made with what may travel, stopped, fetched by their crew alone; and opened in another
crew, on a site that knows nothing of what is in them.
"""

import io
import os
import zipfile
from pathlib import Path
from typing import Any

import httpx
import pytest
from django.conf import settings

from convoy_core.handing_out.bag import GAME, LEFT_OUT, MANIFEST, RECIPE
from convoy_core.lock.recipe import read_recipe
from convoy_site import kept_files, receiving
from convoy_site.catalogue import reaching
from convoy_site.catalogue.models import Build, Game, Mod, OwnFile, Source
from convoy_site.packs.models import Pack
from convoy_site.people.models import Role, SiteRules
from convoy_site.people.services import bring_aboard, start_crew
from convoy_site.releases import tasks
from convoy_site.releases.as_files import making, packing
from convoy_site.releases.lookup import recipe_of
from convoy_site.releases.models import FAILED, Opening, Packing
from convoy_site.releases.services import publish

from .conftest import World, serving
from .test_drafts import edit
from .test_ways_in import drop, make, send


@pytest.fixture
def net(sources: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, httpx.Response]:
    """The sources, as the worker reaches them; a test may put another answer in the place of one."""
    answers: dict[str, httpx.Response] = {}

    def answer(request: httpx.Request) -> httpx.Response:
        found = sources / request.url.path.lstrip("/")
        return answers.get(found.name) or httpx.Response(200, content=found.read_bytes())

    monkeypatch.setattr(reaching, "client", lambda: serving(sources, answer))
    return answers


@pytest.fixture
def rich(world: World) -> World:
    """A pack with own builds, own files, settings, steps, parts of a build left out, and a word on a build's side."""
    own = make(world, drop(world))[1]["mod"]
    place = f"{world.at}/own-files?name=notes.txt&revision={world.revision()}"
    kept = send(world.as_("curator"), place, b"Keep to the left.\n")
    assert kept[0] == 200, kept
    edit(world, {"do": "add", "mod": own})
    edit(world, {"do": "steps", "steps": [{"id": "read", "text": "Read the rules."}]})
    publish(world.users["owner"], world.pack.id, world.revision(), "1.1.0", "stable", "Mind the lock.", "tried")
    return world


def asked(world: World, who: str = "member", **more: Any) -> tuple[int, Any]:
    return world.as_(who).post(f"{world.at}/packings", {"number": "1.1.0", **more})


def made(world: World, who: str = "curator", **more: Any) -> bytes:
    told = asked(world, who, **more)[1]
    tasks.pack_up(told["id"])
    (row,) = [one for one in world.as_(who).get(f"{world.at}/packings")[1] if one["id"] == told["id"]]
    assert row["state"] == "done", row
    return world.as_(who).get(f"{world.at}/packings/{told['id']}/file")[1]


def members(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        return {name.partition("/")[2]: packed.read(name) for name in packed.namelist()}


def test_a_file_holds_what_was_said_while_choosing_and_the_same_twice(rich: World, net: dict[str, Any]) -> None:
    plan = rich.as_("member").get(f"{rich.at}/packing-plan?number=1.1.0")[1]
    data = made(rich)
    assert made(rich) == data, "the same input gives the same bytes"
    inside = members(data)
    archives = [content for name, content in inside.items() if name.startswith("data/archives/")]
    assert sum(map(len, archives)) == plan["inside"] and plan["builds"] < len(archives) + 1
    lock = recipe_of(rich.pack.releases.get(number="1.1.0").pk).lock
    assert inside[RECIPE] == bytes(rich.pack.releases.get(number="1.1.0").document)
    left = {one["name"] for one in plan["outside"]}
    assert all(name in inside.get(LEFT_OUT, b"").decode() for name in left)
    assert {one.name for one in lock.builds} - left >= {"Fog Bell", "Own files"}
    slim = rich.as_("member").get(f"{rich.at}/packing-plan?number=1.1.0&builds=false&own=false")[1]
    assert slim["inside"] == 0 and len(members(made(rich, builds=False, own=False))[MANIFEST].splitlines()) >= 1


def test_a_source_that_is_away_or_lies_keeps_only_its_own_builds_out(rich: World, net: dict[str, Any]) -> None:
    whole = members(made(rich))
    lock = recipe_of(rich.pack.releases.get(number="1.1.0").pk).lock
    ledger, almanac = lock.by_mod["lock-ledger"], lock.by_mod["heron-almanac"]
    net[ledger.archive.name] = httpx.Response(503)
    net[almanac.archive.name] = httpx.Response(200, content=b"x" * almanac.archive.size)
    fewer = members(made(rich))
    gone = {name for name in whole if name.startswith("data/")} - {name for name in fewer if name.startswith("data/")}
    assert gone and all("lock-ledger" in name or "heron-almanac" in name for name in gone)
    for one in (ledger, almanac):
        if any(one.mod in name for name in gone):
            assert f"{one.name} {one.version}: It does not lie where this was made." in fewer[LEFT_OUT].decode()


def test_making_a_file_is_stopped_bounded_and_its_crews_own(
    rich: World, net: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    told = asked(rich)[1]
    at = f"{rich.at}/packings/{told['id']}"
    assert rich.as_("member").get(f"{at}/file")[0] == 404, "not before it is made"
    assert rich.as_("member").send("DELETE", at)[0] == 200
    tasks.pack_up(told["id"])
    assert Packing.objects.get(pk=told["id"]).state == "stopped"
    # Stopped while it is under way: nothing is left of it.
    told = asked(rich)[1]
    monkeypatch.setattr(making, "LOOK_SECONDS", 0.0)
    fetch = making.fetch_archive

    def stopping(*given: Any) -> None:
        rich.as_("member").send("DELETE", f"{rich.at}/packings/{told['id']}")
        fetch(*given)

    monkeypatch.setattr(making, "fetch_archive", stopping)
    tasks.pack_up(told["id"])
    one = Packing.objects.get(pk=told["id"])
    assert one.state == "stopped" and not kept_files.is_kept(one.place)
    monkeypatch.setattr(making, "fetch_archive", fetch)
    data = made(rich)
    at = f"{rich.at}/packings/{Packing.objects.filter(state='done').first().pk}/file"
    assert rich.as_("stranger").get(at)[0] == 404 and rich.as_("nobody").get(at)[0] == 401
    tail = rich.as_("member").client.get(at, headers={"Range": "bytes=100-"})
    assert tail.status_code == 206 and tail.getvalue() == data[100:]
    # A draft is for those who work on it.
    draft = asked(rich, "curator", number="")[1]
    tasks.pack_up(draft["id"])
    assert rich.as_("member").get(f"{rich.at}/packings/{draft['id']}/file")[0] == 403
    document = members(rich.as_("curator").get(f"{rich.at}/packings/{draft['id']}/file")[1])[RECIPE]
    assert read_recipe(document).number.startswith("0.0.0-draft.")
    for _ in range(packing.MOST_KEPT + 2):
        asked(rich)
    assert Packing.objects.count() == packing.MOST_KEPT
    SiteRules.objects.create(pk=1, crew_mb=0)
    assert asked(rich)[1]["code"] == "too-large"
    Packing.objects.update(at="2020-01-01T00:00:00Z")
    tasks.forget_files_of_packs()
    assert not Packing.objects.exists() and not kept_files.is_kept(one.place)


def brought(world: World, crew: Any, data: bytes, who: str = "stranger") -> tuple[int, Any]:
    return send(world.as_(who), f"/api/crews/{crew.pk}/openings", data)


def opened(world: World, crew: Any, data: bytes, name: str = "Brought along") -> dict[str, Any]:
    told = brought(world, crew, data)[1]
    assert world.as_("stranger").post(f"/api/openings/{told['id']}", {"name": name})[0] == 200
    tasks.open_up(told["id"])
    return world.as_("stranger").get(f"/api/openings/{told['id']}")[1]


def forget_the_catalogue() -> None:
    """What an empty site has: the game, and nothing to choose from."""
    Build.objects.all().delete()
    Mod.objects.all().delete()
    Source.objects.filter(crew=None).delete()


def test_a_pack_goes_out_and_into_a_site_that_knows_nothing_of_it(rich: World, net: dict[str, Any]) -> None:
    data = made(rich)
    release = rich.pack.releases.get(number="1.1.0")
    lock = recipe_of(release.pk).lock
    travels = sum(name.startswith("data/archives/") for name in members(data))
    crew = start_crew(rich.users["stranger"], "Amber Quay")
    OwnFile.objects.all().delete()
    forget_the_catalogue()
    looked = brought(rich, crew, data)[1]
    assert (looked["pack_name"], looked["number"], looked["doubt"]) == ("Night Freight", "1.1.0", "")
    assert looked["mark"] == rich.as_("owner").get(f"/api/crews/{rich.crew.id}/charter")[1]["mark"]
    assert looked["known"] == [] and len(looked["comes"]) == travels - 1 and looked["own_files"] == 1
    told = opened(rich, crew, data)
    assert told["state"] == "done", told
    at = f"/api/packs/{told['pack']}"
    draft = rich.as_("stranger").get(f"{at}/draft")[1]
    assert release.fingerprint in told["told"] and looked["missing"] == []
    publishing = {"revision": draft["revision"], "number": "1.0.0", "despite": "as it came"}
    assert rich.as_("stranger").post(f"{at}/releases", publishing)[0] == 200
    again = Pack.objects.get(pk=told["pack"]).releases.get()
    mine = recipe_of(again.pk).lock
    assert again.fingerprint == release.fingerprint and mine.terms == lock.terms
    assert {(one.path, one.sha256) for one in mine.files} == {(one.path, one.sha256) for one in lock.files}
    edits = rich.as_("stranger").get(f"{at}/draft/edits")[1]
    assert "opened from the file of Night Freight 1.1.0, signed by" in edits[-1]["sentence"]
    # Once only; and nobody else looks into it.
    assert rich.as_("stranger").post(f"/api/openings/{told['id']}", {"name": "Again"})[0] == 422
    assert rich.as_("member").get(f"/api/openings/{told['id']}")[0] == 404


def test_what_a_site_has_is_taken_from_its_sources(rich: World, net: dict[str, Any]) -> None:
    data = made(rich, builds=False)
    crew = start_crew(rich.users["stranger"], "Amber Quay")
    looked = brought(rich, crew, data)[1]
    assert [one["name"] for one in looked["missing"]] == ["Fog Bell"]
    told = opened(rich, crew, data)
    draft = rich.as_("stranger").get(f"/api/packs/{told['pack']}/draft")[1]
    assert told["state"] == "done" and draft["unsettled"] == 1
    assert told["told"].startswith("1 line has no build here")


def test_an_end_that_nobody_foresaw_is_told_to_whoever_waits(
    rich: World, net: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    data = made(rich)
    crew = start_crew(rich.users["stranger"], "Amber Quay")
    looked, asking = brought(rich, crew, data)[1], asked(rich)[1]
    assert rich.as_("stranger").post(f"/api/openings/{looked['id']}", {"name": "Other"})[0] == 200
    kept_files.forget(Opening.objects.get().place)
    with pytest.raises(FileNotFoundError):
        tasks.open_up(looked["id"])
    monkeypatch.setattr(making, "write_bag", lambda *_: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        tasks.pack_up(asking["id"])
    for found in (Opening.objects.get(), Packing.objects.get(pk=asking["id"])):
        assert (found.state, found.told) == ("failed", FAILED)


def test_what_a_killed_worker_left_is_swept(world: World) -> None:
    left = receiving.folder() / "packing-killed"
    left.mkdir()
    (left / "half.zip").write_bytes(b"x")
    os.utime(left, (0, 0))
    assert receiving.sweep() == 1 and not left.exists()


HOSTILE: dict[str, Any] = {
    "no zip": lambda data: b"x" * 100,
    "empty": lambda data: b"",
    "cut": lambda data: data[: len(data) // 2],
    "another release": lambda data: altered(data, RECIPE, lambda old: old.replace(b"Night Freight", b"Night Freihgt")),
    "an archive swapped": lambda data: altered(data, "data/archives/", lambda old: bytes(len(old))),
    "a way out": lambda data: altered(data, RECIPE, lambda old: old, "../../evil"),
}


def altered(data: bytes, name: str, change: Any, more: str = "") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as packed, zipfile.ZipFile(out, "w") as again:
        for one in packed.namelist():
            content = packed.read(one)
            again.writestr(one, change(content) if one.partition("/")[2].startswith(name) else content)
        if more:
            again.writestr(more, b"x")
    return out.getvalue()


@pytest.mark.parametrize("what", HOSTILE)
def test_a_hostile_file_becomes_no_pack(rich: World, net: dict[str, Any], what: str) -> None:
    crew = start_crew(rich.users["stranger"], "Amber Quay")
    data = HOSTILE[what](made(rich))
    OwnFile.objects.all().delete()
    forget_the_catalogue()
    status, told = brought(rich, crew, data)
    if status == 200:
        told = opened(rich, crew, data)
        assert told["state"] == "failed" and told["told"], told
    else:
        assert status == 422 and told["what"]
    assert not Pack.objects.filter(crew=crew).exists() and not Mod.objects.exists()
    kept = Path(settings.MEDIA_ROOT) / "own" / str(crew.pk)
    assert not list(kept.glob("*")), "what was kept for a pack that came to nothing is forgotten"
    assert not Opening.objects.filter(pack__isnull=False).exists()


def test_a_game_that_is_not_here_comes_along_for_whoever_may_bring_one(rich: World, net: dict[str, Any]) -> None:
    data = made(rich)
    crew = start_crew(rich.users["stranger"], "Amber Quay")
    bring_aboard(rich.users["member"], crew, role=Role.CURATOR)
    OwnFile.objects.all().delete()
    forget_the_catalogue()
    # The game goes by another name from now on, so that nobody here knows the one that the file means.
    with_game = altered(data, GAME, lambda old: old.replace(b'id = "tillerway"', b'id = "elsewhere"'))
    Game.objects.filter(pk="tillerway").update(crew=rich.crew)
    assert brought(rich, crew, with_game)[0] == 422, "its game is listed with another hash"
    assert brought(rich, crew, data, "member")[0] == 403
    looked = brought(rich, crew, data)[1]
    assert looked["game"] == "Tillerway"
    told = opened(rich, crew, data)
    assert told["state"] == "done" and told["told"].startswith("The draft gives the very same files."), told
    pack = Pack.objects.get(pk=told["pack"])
    assert pack.game.crew == crew and pack.game_id != "tillerway"
    # A second file of that game finds it there.
    assert brought(rich, crew, data)[1]["game"] == ""
