"""Ways in beside the catalogue: dropped files, crews' own builds, and folders that somebody filled by hand."""

import hashlib
import io
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from django.core.files.storage import default_storage
from django.db import connection
from django.utils import timezone
from PIL import Image

from convoy_io import archives
from convoy_site.catalogue import after, dropping, own, pictures
from convoy_site.catalogue.models import Build, Mod, OwnFile
from convoy_site.catalogue.tasks import look_through_file
from convoy_site.packs import draft_layers, edits
from convoy_site.packs.models import Draft, Line
from convoy_site.people.models import SiteRules
from convoy_site.people.services import start_crew
from convoy_site.releases.services import publish

from .conftest import Api, World, new_pack
from .test_drafts import edit, lines


def zipped(files: dict[str, str]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, content in files.items():
            packed.writestr(zipfile.ZipInfo(path, (2026, 1, 1, 0, 0, 0)), content)
    return out.getvalue()


FOG_BELL = zipped({
    "Fog Bell/waybill.toml": 'id = "fog-bell"\nname = "Fog Bell"\nversion = "0.3"\n',
    "Fog Bell/data/bell.dat": "ding" * 100,
})  # fmt: skip
SAID = {"name": "Fog Bell", "version": "0.3", "kind": "mod", "licence": "MIT", "games": ">=2.0"}


def send(who: Api, path: str, data: bytes) -> tuple[int, dict]:
    return who._told(who.client.generic("POST", path, data, content_type="application/octet-stream"))


def drop(world: World, data: bytes = FOG_BELL, name: str = "fog bell.zip") -> dict:
    status, told = send(world.as_("curator"), f"{world.at}/files?name={name}", data)
    assert status == 200, told
    return told


def make(world: World, dropped: dict, **said: object) -> tuple[int, dict]:
    return world.as_("curator").post(f"{world.at}/own-builds", {**SAID, "sha256": dropped["sha256"], **said})


def test_a_known_archive_is_recognised_by_its_hash_and_not_kept(world: World, sources: Path) -> None:
    data = (sources / "harbour-shelf/files/rivet-1.0.1.zip").read_bytes()
    told = drop(world, data, "whatever.bin")
    assert (told["known"]["mod"], told["known"]["version"], told["known"]["already"]) == ("rivet", "1.0.1", False)
    assert not OwnFile.objects.exists()
    hashes = {"hashes": [hashlib.sha256(data).hexdigest(), "0" * 64]}
    assert [one["mod"] for one in world.as_("member").post(f"{world.at}/known", hashes)[1]] == ["rivet"]


def test_an_unknown_archive_becomes_the_crews_own_build_and_reaches_its_members_alone(world: World) -> None:
    told = drop(world)
    assert (told["says_id"], told["says_name"], told["says_version"]) == ("fog-bell", "Fog Bell", "0.3")
    fits = {kind["kind"]: kind["root"] for kind in told["kinds"] if kind["fits"]}
    assert fits["mod"] == "Fog Bell"
    status, made = make(world, told, needs="ropework >=1.0\n")
    assert status == 200, made
    mod = Mod.objects.get(slug=made["mod"])
    assert (mod.source.pickup, mod.provides, mod.category) == ("ours", ["fog-bell"], "Our own")
    _, outcome = edit(world, {"do": "add", "mod": mod.slug})
    assert {change["mod"] for change in outcome["changes"]} == {mod.slug, "ropework"}
    publish(world.users["owner"], world.pack.id, world.revision(), "1.1.0", "stable", "")
    head = world.agent().get("/api/agent/head")[1]
    place = f"{head['sources'][mod.source_id]}/{told['sha256']}"
    reply = world.agent().client.get(place)
    assert b"".join(reply.streaming_content) == FOG_BELL
    rest = world.agent().client.get(place, headers={"Range": "bytes=50-"})
    assert (rest.status_code, b"".join(rest.streaming_content)) == (206, FOG_BELL[50:])
    assert world.agent().client.get(place, headers={"Range": "bytes=999999-"}).status_code == 416
    assert world.agent("wrong").client.get(place).status_code == 401


def test_a_large_archive_is_looked_through_by_the_worker(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    large = zipped({"waybill.toml": 'id = "x"\n', "a.dat": "a" * 70_000, "b.dat": "b" * 70_000})
    monkeypatch.setattr(dropping.drop, "__defaults__", (100_000,))
    told = drop(world, large)
    at = f"{world.at}/files/{told['sha256']}"
    assert told["reading"]
    assert make(world, told)[1]["code"] == "still-reading"
    assert world.as_("curator").get(at)[1] == {"ready": False, "done": 0, "total": 140_009, "trouble": ""}
    with connection.cursor() as cursor:
        cursor.execute("update procrastinate_jobs set status = 'failed'")
    assert world.as_("curator").get(at)[1]["code"] == "not-looked-through"
    assert drop(world, large)["reading"]
    assert not world.as_("curator").get(at)[1]["ready"]
    steps: list[int] = []
    real = archives.hashes

    def watched(*given: Any) -> Iterator[tuple[str, str]]:
        for one in real(*given):
            yield one
            steps.append(world.as_("curator").get(at)[1]["done"])

    monkeypatch.setattr(archives, "hashes", watched)
    monkeypatch.setattr(dropping, "TELL_SECONDS", -1)
    look_through_file(OwnFile.objects.get().pk)
    assert steps == sorted(steps) and steps[-1] > 70_000
    assert world.as_("curator").get(at)[1]["ready"]
    assert make(world, told)[0] == 200
    assert len(Build.objects.get(archive_sha256=told["sha256"]).files) == 3


def test_a_member_that_cannot_be_read_is_told_and_makes_no_build(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[int] = []
    monkeypatch.setattr(after, "look_through_soon", asked.append)
    monkeypatch.setattr(dropping.drop, "__defaults__", (10,))
    packed = bytearray(zipped({"waybill.toml": 'id = "x"\n', "a.dat": "".join(map(str, range(30_000)))}))
    packed[200] ^= 255
    told = drop(world, bytes(packed))
    look_through_file(*asked)
    state = world.as_("curator").get(f"{world.at}/files/{told['sha256']}")[1]
    assert state["ready"] and "a.dat" in state["trouble"]
    assert make(world, told)[1]["code"] == "cannot-be-used"


def test_another_crew_neither_sees_nor_takes_it(world: World) -> None:
    slug = make(world, drop(world))[1]["mod"]
    other = start_crew(world.users["stranger"], "Other Wharf")
    status, pack = world.as_("stranger").post("/api/packs", {**new_pack(other).__dict__, "crew": str(other.id)})
    assert status == 200
    at = f"/api/packs/{pack['id']}"
    stranger = world.as_("stranger")
    assert stranger.get(f"{at}/catalogue?text=fog+bell")[1]["rows"] == [] or all(
        row["slug"] != slug for row in stranger.get(f"{at}/catalogue?text=fog+bell")[1]["rows"]
    )
    assert stranger.get(f"{at}/mods/{slug}")[0] == 404
    assert stranger.post(f"{at}/draft/edits", {"revision": 0, "edits": [{"do": "add", "mod": slug}]})[0] == 422
    assert stranger.post(f"{at}/known", {"hashes": [hashlib.sha256(FOG_BELL).hexdigest()]})[1] == []
    with pytest.raises(dropping.NoSuchFile):
        own.own_file([other], hashlib.sha256(FOG_BELL).hexdigest())
    edit(world, {"do": "add", "mod": slug})
    world.as_("stranger")
    own_line = Line.objects.get(mod=slug)
    assert own_line.draft.pack_id == world.pack.id
    row = next(row for row in world.as_("member").get(f"{world.at}/catalogue?text=fog+bell")[1]["rows"])
    assert (row["slug"], row["pickup"]) == (slug, "ours")


def test_what_may_not_be_passed_on_is_not_kept_and_becomes_an_errand(world: World) -> None:
    told = drop(world)
    status, refused = make(world, told, licence="LicenseRef-No-Passing-On")
    assert (status, refused["data"]["field"]) == (422, "page")
    slug = make(world, told, licence="LicenseRef-No-Passing-On", page="https://bells.example/fog")[1]["mod"]
    assert Mod.objects.get(slug=slug).source.pickup == "by hand"
    assert not OwnFile.objects.exists()
    assert not default_storage.exists(f"own/{world.crew.id}/{told['sha256']}")


def test_a_newer_build_joins_the_one_that_is_there(world: World) -> None:
    slug = make(world, drop(world))[1]["mod"]
    edit(world, {"do": "add", "mod": slug})
    newer = zipped({"waybill.toml": 'id = "fog-bell"\nversion = "0.4"\n', "data/bell.dat": "dong"})
    told = drop(world, newer)
    assert [(one["mod"], one["version"]) for one in told["own"]] == [(slug, "0.3")]
    assert make(world, told, of=slug, version="0.3")[1]["data"]["field"] == "version"
    assert make(world, told, of=slug, version="0.4")[0] == 200
    assert {line["mod"]: line["newer"] for line in lines(world).values()}[slug] == "0.4"
    assert make(world, told, of="rivet", version="9")[0] == 404


def test_the_same_name_again_is_the_same_mod_and_its_earlier_builds_stay(world: World) -> None:
    slug = make(world, drop(world))[1]["mod"]
    Mod.objects.filter(slug=slug).update(added="2026-01-01")
    newer = drop(world, zipped({"waybill.toml": 'id = "fog-bell"\n', "data/bell.dat": "dong"}))
    assert make(world, newer, version="0.5")[1]["mod"] == slug
    assert set(Build.objects.filter(mod__slug=slug, gone=False).values_list("version", flat=True)) == {"0.3", "0.5"}
    assert str(Mod.objects.get(slug=slug).added) == "2026-01-01"


REFUSED = [
    ({"version": "1", "needs": "rivet ~>1"}, "range"),
    ({"kind": "tool"}, "no place for a tool"),
    ({"sha256": "0" * 64}, "not here any more"),
    ({"page": "javascript:alert(1)"}, "cannot be read"),
    ({"games": "newest"}, "no version range"),
]


@pytest.mark.parametrize(("said", "why"), REFUSED, ids=[one[1] for one in REFUSED])
def test_what_is_said_wrongly_is_refused_and_nothing_is_kept(world: World, said: dict, why: str) -> None:
    status, told = make(world, drop(world), **said)
    assert status in (404, 422)
    assert why in json.dumps(told)
    assert not Mod.objects.filter(crew=world.crew).exists()


HOSTILE = [
    (zipped({"../../outside.txt": "x"}), "climbs"),
    (zipped({f"a{'/a' * 30}": "x"}), "folders deep"),
    (zipped({"Data/x": "1", "data/x": "2"}), "case"),
]


@pytest.mark.parametrize(("data", "why"), HOSTILE, ids=[one[1] for one in HOSTILE])
def test_hostile_archives_are_named_and_not_kept(world: World, data: bytes, why: str) -> None:
    told = drop(world, data)
    assert why in json.dumps(told["refused"])
    assert not OwnFile.objects.exists()
    assert make(world, told)[0] == 404


@pytest.mark.parametrize("data", [b"", b"PK\x05\x06", FOG_BELL[: len(FOG_BELL) // 2], b"\x00" * 5000])
def test_what_is_no_archive_is_told_so(world: World, data: bytes) -> None:
    assert "ZIP" in drop(world, data)["trouble"]


def test_files_nobody_made_a_build_of_are_forgotten_after_a_day_and_crews_have_a_limit(
    world: World, monkeypatch
) -> None:
    told = drop(world)
    assert dropping.tidy() == 0
    OwnFile.objects.update(at=timezone.now() - dropping.KEPT_UNUSED * 2)
    assert dropping.tidy() == 1
    assert not default_storage.exists(f"own/{world.crew.id}/{told['sha256']}")
    make(world, drop(world))
    OwnFile.objects.update(at=timezone.now() - dropping.KEPT_UNUSED * 2)
    assert dropping.tidy() == 0
    SiteRules.objects.create(pk=1, crew_mb=0)
    status, refused = send(world.as_("curator"), f"{world.at}/files?name=x", zipped({"waybill.toml": "x=1"}))
    assert (status, refused["code"]) == (422, "too-large")


def read_folder(world: World, data: bytes) -> dict:
    status, told = send(world.as_("curator"), f"{world.at}/draft/folder", data)
    assert status == 200, told
    return told


def laid(slug: str, version: str, folder: str) -> list[list]:
    return [[f"{folder}/{path}", size, sha256] for path, size, sha256 in Build.objects.get(
        mod__slug=slug, version=version).files]  # fmt: skip


def listing(*parts: list[list]) -> bytes:
    return json.dumps({"format": "convoy-listing/1", "files": [row for part in parts for row in part]}).encode()


def test_a_folder_is_taken_over_in_the_builds_that_it_has(world: World) -> None:
    data = listing(
        laid("lock-ledger", "3.4.1", "mods/Ledger"),
        laid("butty-line", "2.0.0", "mods/flags"),
        laid("sluice-books", "1.8.0", "mods/books"),
        laid("weir-core", "1.4.1", "mods/weir"),
        [["mods/strange/waybill.toml", 3, "c" * 64], ["saves/w", 1, "d" * 64]],
    )
    told = read_folder(world, data)
    rows = {one["mod"]: one for one in told["found"]}
    assert rows["lock-ledger"]["already"]
    assert rows["weir-core"]["comes_along"]
    assert "Capstan" in rows["sluice-books"]["reason"]
    assert [one["place"] for one in told["strangers"]] == ["mods/strange"]
    assert told["others"] == 1
    builds = [{"mod": one["mod"], "version": one["version"]} for one in told["found"] if not one["comes_along"]]
    _, outcome = edit(world, {"do": "take over", "builds": builds})
    assert [one["mod"] for one in outcome["left_out"]] == ["sluice-books"]
    assert lines(world)["butty-line"]["version"] == "2.0.0"
    assert "sluice-books" not in lines(world)
    held = [{"mod": "fly-boat", "version": Build.objects.filter(mod__slug="fly-boat").first().version}]
    edit(world, {"do": "take over", "builds": held, "hold": True})
    assert lines(world)["fly-boat"]["held"]


def test_a_zip_of_the_folder_does_as_well_and_a_hostile_one_does_not(world: World, sources: Path) -> None:
    with zipfile.ZipFile(sources / "harbour-shelf/files/butty-line-2.0.0.zip") as packed:
        files = {f"Tillerway/mods/sf/{name}": packed.read(name) for name in packed.namelist()}
    assert [(one["mod"], one["version"]) for one in read_folder(world, zipped(files))["found"]] == [
        ("butty-line", "2.0.0")]  # fmt: skip
    status, told = send(world.as_("curator"), f"{world.at}/draft/folder", zipped({"../x": "y"}))
    assert (status, "climbs" in told["why"]) == (422, True)
    assert send(world.as_("curator"), f"{world.at}/draft/folder", b"what is this")[0] == 422
    assert send(world.as_("member"), f"{world.at}/draft/folder", b"")[0] == 403


def test_what_is_no_build_of_the_shelf_is_not_taken_over(world: World) -> None:
    body = {"revision": world.revision(), "edits": [{"do": "take over", "builds": [{"mod": "rivet", "version": "66"}]}]}
    status, told = world.as_("owner").post(f"{world.at}/draft/edits", body)
    assert (status, told["code"]) == (422, "no-such-mod")


def test_a_listing_of_two_hundred_thousand_files_is_read(world: World) -> None:
    rows = [[f"saves/{number}", 1, hashlib.sha256(str(number).encode()).hexdigest()] for number in range(199_980)]
    told = read_folder(world, listing(rows, laid("butty-line", "2.0.0", "mods/sf")))
    assert [one["mod"] for one in told["found"]] == ["butty-line"]
    assert told["others"] == 199_980


def test_a_mods_page_tells_what_the_inspector_does_not(world: World, django_assert_max_num_queries) -> None:
    with django_assert_max_num_queries(26):
        status, told = world.as_("member").get(f"{world.at}/mods/lock-ledger/more")
    assert status == 200
    assert (told["counterpart"], told["passing_on"]) == (None, "allowed")
    assert "before" in told["on_removal"].lower()
    assert [(one["name"], one["version"]) for one in told["in_packs"]] == [("Night Freight", told["version"])]
    assert "dry-dock-days" in {one["mod"] for one in told["needed_by"]}
    assert any(one["path"] == "waybill.toml" for one in told["carries"])
    assert world.as_("member").get(f"{world.at}/mods/sluice-books/more")[1]["counterpart"]["mod"] == "lock-ledger"


def png(size: tuple[int, int]) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#0d5c6d").save(out, "PNG")
    return out.getvalue()


def test_pictures_are_drawn_anew_and_nothing_else_is_shown(world: World, monkeypatch) -> None:
    at = f"{world.at}/mods/lock-ledger/pictures"
    asked: list[str] = []

    def fetched(address: str) -> bytes:
        asked.append(address)
        return png((1000, 200))

    monkeypatch.setattr(pictures, "_fetched", fetched)
    for _ in range(2):
        status, data = world.as_("member").get(f"{at}/0")
        assert status == 200
        with Image.open(io.BytesIO(data)) as shown:
            assert (shown.format, shown.size) == ("WEBP", pictures.PICTURE_SIZE)
    assert len(asked) == 1
    assert world.as_("member").get(f"{at}/9")[0] == 404
    for bad in (b"<svg onload='alert(1)'/>", b"", png((9000, 9000))):
        monkeypatch.setattr(pictures, "_fetched", lambda address, bad=bad: bad)
        assert world.as_("member").get(f"{at}/1")[0] == 404
    monkeypatch.setattr(pictures, "_fetched", lambda address: (_ for _ in ()).throw(httpx.ConnectError("away")))
    assert world.as_("member").get(f"{at}/1")[0] == 404


def test_no_way_in_goes_beyond_the_most_lines(world: World, monkeypatch) -> None:
    full = world.as_("owner").post("/api/packs", {**new_pack(world.crew, "Full").__dict__, "crew": str(world.crew.id)})[
        1
    ]
    monkeypatch.setattr(edits, "MAX_LINES", 1)
    version = Build.objects.filter(mod__slug="fly-boat").latest("pk").version
    for wanted in (
        {"do": "add many", "mods": ["fly-boat", "butty-line"]},
        {"do": "copy lines", "pack": str(world.pack.id)},
        {
            "do": "take over",
            "builds": [{"mod": "fly-boat", "version": version}, {"mod": "butty-line", "version": "2.0.0"}],
        },
    ):
        body = {"revision": 0, "edits": [wanted]}
        status, told = world.as_("owner").post(f"/api/packs/{full['id']}/draft/edits", body)
        assert (status, told["code"]) == (422, "too-many-lines")
    assert not Line.objects.filter(draft__pack=full["id"]).exists()


def test_a_hash_that_lies_everywhere_keeps_nobody_busy(world: World) -> None:
    path, size, sha256 = max(Build.objects.get(mod__slug="butty-line", version="2.0.0").files, key=lambda row: row[1])
    rows = [[f"mods/{number}/{path}", size, sha256] for number in range(20_000)]
    told = read_folder(world, listing(rows))
    assert told["found"] == []
    assert told["left_over_in_all"] > 19_000
    assert len(told["left_over"]) == 200


def test_an_archive_that_does_not_say_what_it_is_is_asked_about(world: World) -> None:
    plain = {"pictures/plank.png": "p" * 40, "pictures/more/deck.png": "d" * 40, "read me.txt": "hello"}
    told = drop(world, zipped(plain), "planks.zip")
    assert told["doubt"].startswith("It holds no waybill.toml, so nothing in it says what it is.")
    assert [(one["path"], one["files"]) for one in told["folders"]] == [("pictures", 2), ("pictures/more", 1)]
    said = {"name": "Planks", "kind": "texture pack", "licence": "MIT"}
    assert make(world, told, **said, root="nowhere")[1]["what"] == "The archive cannot be used."
    status, made = make(world, told, **said, root="pictures")
    assert status == 200, made
    edit(world, {"do": "add", "mod": made["mod"]})
    placed = [file.path for _, files in draft_layers.layers(Draft.objects.get(pack=world.pack)) for file in files]
    assert [path.split("/")[-1] for path in placed if made["mod"] in path] == ["plank.png", "deck.png"]
    assert not any("pictures" in path for path in placed)


def test_of_two_folders_that_could_be_the_mod_one_is_chosen(world: World) -> None:
    marker = 'id = "bell"\nname = "Bell"\nversion = "1"\n'
    two = zipped({"one/waybill.toml": marker, "two/waybill.toml": marker, "two/a.dat": "a"})
    told = drop(world, two, "two.zip")
    assert "2 folders could be meant: one/, two/. Say which one is meant." in told["doubt"]
    assert next(kind["roots"] for kind in told["kinds"] if kind["kind"] == "mod") == ["one", "two"]
    assert make(world, told)[0] == 422
    assert make(world, told, root="two")[0] == 200
    assert drop(world)["doubt"] == ""
