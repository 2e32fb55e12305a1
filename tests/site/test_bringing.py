"""What people bring: games and sources. Whose they are, what a change may not take away, and sources that lie."""

import json
import os
import socket
import threading
import zipfile
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import httpx
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from convoy_agent.sourcing.make import make_source
from convoy_core.words.errors import MalformedInput
from convoy_site.catalogue import keeping_sources, reaching, reading_sources
from convoy_site.catalogue.games import add_game, keep_lists
from convoy_site.catalogue.models import Build, BuildPlace, Game, Mod, OwnFile, Source, SourcePage
from convoy_site.catalogue.reading_sources import read_source
from convoy_site.catalogue.refitting import refit
from convoy_site.catalogue.services import shelf
from convoy_site.packs import draft_layers
from convoy_site.packs.services import edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMod
from convoy_site.people.models import SiteRules
from convoy_site.people.services import start_crew
from convoy_site.releases.lookup import recipe_of, releases_of
from convoy_site.releases.services import publish
from convoy_standins.generate import read_listed
from tests.third_game import block, marker, write_archive, write_folder

from .conftest import World, new_pack, serving

FELLWRIGHT = block("fellwright.toml")
HUTS = "http://huts.example/shelf"


@pytest.fixture
def shelf_folder(tmp_path: Path) -> Path:
    folder = write_folder(tmp_path / "in")
    make_source(folder, tmp_path / "out" / "shelf", tmp_path / "key")
    return folder


@pytest.fixture
def net(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[dict[str, Any]]:
    """What lies at an address; a test may put something else there. Every client of the site's goes through it."""
    answers: dict[str, Any] = {}

    def answer(request: httpx.Request) -> httpx.Response:
        found = answers.get(request.url.path)
        if isinstance(found, httpx.Response):
            return found
        place = tmp_path / "out" / request.url.path.lstrip("/")
        return httpx.Response(200, content=place.read_bytes()) if place.is_file() else httpx.Response(404)

    monkeypatch.setattr(reaching, "client", lambda: httpx.Client(transport=httpx.MockTransport(answer)))
    yield answers


def bring(world: World, who: str = "owner", **changed: Any) -> tuple[int, Any]:
    return world.as_(who).post("/api/games", {"text": FELLWRIGHT, "crew": str(world.crew.id), **changed})


def add(world: World, who: str = "owner", **changed: Any) -> tuple[int, Any]:
    at = f"/api/crews/{world.crew.id}/sources"
    status, look = world.as_(who).post(f"{at}/look", {"address": HUTS})
    if status != 200:
        return status, look
    game = changed.get("game") or bring(world)[1]["id"]
    given = {"address": HUTS, "game": game, "name": look["name"], "key": look["key"], "follow": True}
    return world.as_(who).post(at, {**given, **changed})


def read(source_id: str) -> Source:
    read_source(Source.objects.select_related("game").get(pk=source_id), sleep=lambda seconds: None)
    return Source.objects.get(pk=source_id)


def test_a_crews_game_is_the_crews(world: World) -> None:
    assert bring(world, "curator")[0] == 403
    assert bring(world, crew=None)[0] == 403
    status, game = bring(world)
    assert (status, game["name"], game["crew_name"]) == (200, "Fellwright", "Kestrel Wharf")
    assert game["id"] in {one["id"] for one in world.as_("member").get("/api/games")[1]}
    assert game["id"] not in {one["id"] for one in world.as_("stranger").get("/api/games")[1]}
    assert world.as_("stranger").get(f"/api/games/{game['id']}")[0] == 404
    # The same game once more for another crew; and a pack of a crew's game is no other crew's to start.
    theirs = start_crew(world.users["stranger"], "Other")
    assert world.as_("stranger").post("/api/games", {"text": FELLWRIGHT, "crew": str(theirs.id)})[0] == 200
    begin = {"crew": str(theirs.id), "game": game["id"], "name": "High", "game_version": "1.4"}
    assert world.as_("stranger").post("/api/packs", begin)[0] == 404
    assert bring(world)[0] == 409
    world.users["owner"].is_staff = True
    world.users["owner"].save()
    assert bring(world, crew=None)[1]["id"] == "fellwright"


def test_a_change_is_shown_kept_refused_and_taken_back(world: World) -> None:
    game = bring(world)[1]["id"]
    owner = world.as_("owner")
    at = f"/api/games/{game}"
    start_pack(world.users["owner"], new_pack(world.crew, "High", game=game, game_version="1.3", loader="hitch",
                                              loader_version="2.0"))  # fmt: skip
    less = FELLWRIGHT.replace('[[versions]]\nversion = "1.3"\nruntime = "3"\n', "")
    _, told = owner.post("/api/games/rehearsal", {"text": less, "game": game})
    assert ("removed", "version 1.3") in {(one["what"], one["subject"]) for one in told["changes"]}
    assert told["stops"] == ["The draft of High is on version 1.3."]
    status, refused = owner.send("PUT", at, {"text": less, "revision": 1})
    assert (status, refused["code"]) == (409, "in-use")
    status, page = owner.post(f"{at}/versions", {"version": "1.5", "revision": 1})
    assert (status, page["versions"][0]["label"], page["revision"]) == (200, "1.5", 2)
    assert page["history"][0]["changes"][0]["subject"] == "version 1.5"
    # Written against what it was before: told, not overwritten.
    assert owner.send("PUT", at, {"text": FELLWRIGHT, "revision": 1})[1]["code"] == "profile-changed"
    assert owner.send("PUT", at, {"text": "id = ", "revision": 2})[0] == 422
    assert world.as_("curator").post(f"{at}/versions", {"version": "1.6", "revision": 2})[0] == 403
    _, page = owner.post(f"{at}/taking-back", {"number": 1})
    assert (page["text"], page["revision"]) == (FELLWRIGHT, 3)
    assert owner.send("DELETE", at)[1]["code"] == "in-use"


def test_a_form_and_a_text_are_one_profile(world: World) -> None:
    owner = world.as_("owner")
    _, told = owner.post("/api/games/rehearsal", {"text": FELLWRIGHT})
    document = {**told["document"], "name": "Fellwright Two", "versions": []}
    _, told = owner.post("/api/games/rehearsal", {"text": FELLWRIGHT, "document": document})
    assert 'name = "Fellwright Two"' in told["text"]
    assert told["faults"][0]["sentence"] == "It has no version of the game, so no pack can begin."
    files = [["packs/knots/hitch.toml", 4], ["valleys/a", 2]]
    _, tried = owner.post("/api/games/tries/folder", {"text": FELLWRIGHT, "files": files})
    assert tried["loaded"] == [{"folder": "packs/knots", "kinds": ["mod", "library"]}]


def test_a_changed_profile_is_brought_home_to_the_catalogue(world: World) -> None:
    game = Game.objects.get(pk="tillerway")
    game.profile_text = game.profile_text.replace('version = "2.0.1"', 'version = "2.1.5"', 1)
    refit(game)
    assert {"2.1.5/bosun", "2.1.0/bosun"} <= set(Mod.objects.get(slug="rivet").fits)
    game.profile_text = game.profile_text.replace(
        'place = "mods/{mod}"\nmarker = "waybill.toml"', 'place = "a"\nmarker = "b"'
    )
    refit(game)
    assert "holds no b" in Build.objects.filter(mod__slug="rivet")[0].refused
    game.refresh_from_db()
    refit(game)
    assert not Build.objects.filter(mod__slug="rivet").exclude(refused="").exists()


def test_a_source_is_looked_at_added_pinned_and_read(world: World, shelf_folder: Path, net: dict[str, Any]) -> None:
    assert add(world, "member")[0] == 403
    status, row = add(world)
    assert status == 200, row
    assert (row["name"], len(row["fingerprint"])) == ("Hut Shelf", 19)
    source = read(row["id"])
    assert source.trouble == ""
    pack = start_pack(world.users["owner"], new_pack(world.crew, "High", game=source.game_id, game_version="1.4",
                                                     loader="hitch", loader_version="2.1"))  # fmt: skip
    edit_draft(world.users["owner"], pack.id, 0, [AddMod(do="add", mod="rope-bridges")])
    publish(world.users["owner"], pack.id, 1, "1.0.0", "stable", "")
    _, page = world.as_("curator").get(f"/api/sources/{row['id']}")
    assert (page["mods"], page["builds"], page["using"]) == (4, 5, [{"name": "High", "builds": 2}])
    assert world.as_("member").get(f"/api/sources/{row['id']}")[1]["using"] == []
    assert world.as_("stranger").get(f"/api/sources/{row['id']}")[0] == 404
    # Removed: offered no longer, and what is published stands, with the address from which it is fetched.
    assert world.as_("curator").send("DELETE", f"/api/sources/{row['id']}")[0] == 200
    assert not Build.objects.filter(mod__source=source, gone=False).exists()
    locked = recipe_of(releases_of(pack)[0].pk).lock.builds
    assert {one.mod for one in locked} == {"rope-bridges", "knots"}
    assert Source.objects.get(pk=row["id"]).address == HUTS
    # The same shelf elsewhere takes its mods over, with addresses of its own.
    status, again = add(world, game=source.game_id)
    read(again["id"])
    assert Mod.objects.get(slug="knots", crew=world.crew).source_id == again["id"]
    assert Build.objects.filter(mod__source=again["id"], gone=False).count() == 5


def test_only_what_the_pinned_key_signed_is_read(
    world: World, shelf_folder: Path, net: dict[str, Any], tmp_path: Path
) -> None:
    source = read(add(world)[1]["id"])
    index = json.loads((tmp_path / "out/shelf/catalogue.json").read_text())
    before = list(Build.objects.filter(mod__source=source).values_list("pk", "gone"))
    forged = json.dumps({**index, "pages": []}).encode()
    for name, answers in {
        "changed": {"/shelf/catalogue.json": httpx.Response(200, content=forged)},
        "unsigned": {"/shelf/catalogue.json": httpx.Response(200, json={"mods": []})},
    }.items():
        net.update(answers)
        assert "Not read" in read(source.pk).trouble, name
        assert list(Build.objects.filter(mod__source=source).values_list("pk", "gone")) == before
    # Signed by somebody else, correctly: still not the key that was seen.
    net.clear()
    make_source(shelf_folder, tmp_path / "out" / "shelf", tmp_path / "other-key", new=True)
    assert "not signed by the key that was seen" in read(source.pk).trouble
    # And one whose pages are not those that the index names.
    make_source(shelf_folder, tmp_path / "out" / "shelf", tmp_path / "key", new=True)
    Source.objects.filter(pk=source.pk).update(etag="")
    source.pages.all().delete()
    net[f"/shelf/{index['pages'][0]['name']}"] = httpx.Response(200, json={"mods": []})
    assert "not the page that the index names" in read(source.pk).trouble


CLOSED = [
    "http://127.0.0.1:8480", "http://localhost/x", "http://10.1.2.3/", "http://[::1]/", "http://169.254.169.254/latest",
    "http://[::ffff:192.168.0.1]/", "http://0.0.0.0/", "http://2130706433/",
]  # fmt: skip


@pytest.mark.parametrize("address", CLOSED)
def test_the_sites_own_network_is_closed(world: World, address: str) -> None:
    status, told = world.as_("owner").post(f"/api/crews/{world.crew.id}/sources/look", {"address": address})
    assert (status, told["code"]) == (422, "closed-address"), told


@pytest.mark.parametrize(
    "address", ["ftp://a.example", "file:///etc/passwd", "http://u:p@a.example", "x", "http://a/?q"]
)
def test_what_is_no_address_is_refused(world: World, address: str) -> None:
    status, told = world.as_("owner").post(f"/api/crews/{world.crew.id}/sources/look", {"address": address})
    assert (status, told["code"]) == (422, "closed-address"), told


def test_a_redirect_into_the_sites_own_network_is_closed(monkeypatch: pytest.MonkeyPatch, settings: Any) -> None:
    """The whole way of a real client: the first connection is allowed, the one that it is sent on to is not."""

    class SendsOn(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(302)
            self.send_header("Location", "http://127.0.0.2:9/inside")
            self.end_headers()

        def log_message(self, *_: object) -> None: ...

    server = HTTPServer(("127.0.0.1", 0), SendsOn)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    settings.PRIVATE_SOURCES = ["127.0.0.1/32"]
    try:
        with pytest.raises(reaching.ClosedAddress, match=r"127\.0\.0\.2"):
            keeping_sources.look_at(f"http://127.0.0.1:{server.server_port}")
        # A name that says one thing when it is judged cannot say another when it is connected to: it is asked once.
        real, says = socket.getaddrinfo, iter(("127.0.0.1", "127.0.0.3"))

        def asked(host: str, *more: Any, **given: Any) -> Any:
            return real(next(says) if host == "two-faced.example" else host, *more, **given)

        monkeypatch.setattr(socket, "getaddrinfo", asked)
        with pytest.raises(reaching.ClosedAddress, match=r"127\.0\.0\.2"):
            keeping_sources.look_at(f"http://two-faced.example:{server.server_port}")
        assert next(says) == "127.0.0.3"
    finally:
        server.shutdown()


def test_a_source_without_end_is_left(world: World, shelf_folder: Path, net: dict[str, Any], monkeypatch) -> None:
    source = read(add(world)[1]["id"])
    monkeypatch.setattr(reading_sources, "MODS_OF_A_CREWS", 3)
    source.pages.all().delete()
    Source.objects.filter(pk=source.pk).update(etag="")
    assert "may list 3 mods" in read(source.pk).trouble
    monkeypatch.setattr(reading_sources, "MODS_OF_A_CREWS", 4)
    SourcePage.objects.filter(source=read(source.pk)).update(sha256="0" * 64)
    Source.objects.filter(pk=source.pk).update(etag="")
    assert read(source.pk).trouble == ""  # a page that is read again counts once
    monkeypatch.setattr(reading_sources, "READING_SECONDS", 0)
    assert "took longer than" in read(source.pk).trouble
    monkeypatch.setattr(reading_sources, "MAX_READING_BYTES", 100)
    monkeypatch.setattr(reading_sources, "READING_SECONDS", 60)
    assert "is larger than" in read(source.pk).trouble


def test_an_older_index_is_not_read_again(
    world: World, shelf_folder: Path, net: dict[str, Any], tmp_path: Path
) -> None:
    source = read(add(world)[1]["id"])
    old = {f"/shelf/{one}": (tmp_path / "out/shelf" / one).read_bytes() for one in ("catalogue.json",)}
    old |= {f"/shelf/signatures/{one.name}": one.read_bytes() for one in (tmp_path / "out/shelf/signatures").iterdir()}
    write_archive(shelf_folder / "knots-7.zip", {"hitch.toml": marker("knots", "7"), "x": "y"})
    make_source(shelf_folder, tmp_path / "out" / "shelf", tmp_path / "key")
    assert read(source.pk).serial == 2
    assert Build.objects.filter(mod__slug="knots", version="7", gone=False).exists()
    net.update({path: httpx.Response(200, content=content) for path, content in old.items()})
    assert "number 1, and number 2 was read before" in read(source.pk).trouble
    assert Build.objects.filter(mod__slug="knots", version="7", gone=False).exists()


def test_a_list_of_versions_that_makes_no_sense_keeps_no_mod_back(
    world: World, shelf_folder: Path, net: dict[str, Any]
) -> None:
    source = Source.objects.get(pk=add(world)[1]["id"])
    Source.objects.filter(pk=source.pk).update(key="")
    index = reaching.client().get(f"{HUTS}/catalogue.json").json()
    index["versions"] = {"games": [{"version": "soon"}]}
    net["/shelf/catalogue.json"] = httpx.Response(200, json=index)
    after = read(source.pk)
    assert "Its list of versions" in after.trouble
    assert after.mods.count() == 4


def test_versions_follow_a_source(world: World, shelf_folder: Path, net: dict[str, Any], tmp_path: Path) -> None:
    row = add(world)[1]
    source = read(row["id"])
    assert source.game.follows_id == source.pk
    text = FELLWRIGHT.replace(
        '[[versions]]\nversion = "1.4"', '[[versions]]\nversion = "1.5"\nruntime = "3"\n\n[[versions]]\nversion = "1.4"'
    )
    (shelf_folder / "fellwright.toml").write_text(text)
    make_source(shelf_folder, tmp_path / "out" / "shelf", tmp_path / "key")
    read(source.pk)
    game = Game.objects.get(pk=source.game_id)
    assert [one.label for one in game.profile.versions] == ["1.5", "1.4", "1.3"]
    assert (game.revisions.first().by, game.profile_text) == (None, FELLWRIGHT)
    # What was listed once stays; what makes no sense changes nothing.
    keep_lists(game, {"games": []})
    assert len(game.profile.versions) == 3
    with pytest.raises(MalformedInput):
        keep_lists(game, {"games": [{"version": "soon"}]})


def test_one_mod_in_several_sources_is_one_mod_with_several_places(world: World, sources: Path) -> None:
    ledger = next(mod for mod in read_listed(sources / "harbour-shelf") if mod["id"] == "lock-ledger")
    other = Source.objects.select_related("game").get(pk="chandlers-row")
    alien = {
        **ledger["builds"][0],
        "version": "99.0",
        "archive": {**ledger["builds"][0]["archive"], "sha256": "e" * 64},
    }
    second = {"mods": [{**ledger, "builds": [*ledger["builds"], alien]}]}
    with serving(sources, lambda request: httpx.Response(200, json=second)) as client:
        read_source(other, client)
    assert "lock-ledger: Harbour Shelf has it already, without this build: 99.0" in other.pages.get().troubles[0]
    assert Mod.objects.get(slug="lock-ledger").source_id == "harbour-shelf"
    assert not Build.objects.filter(version="99.0").exists()
    places = BuildPlace.objects.filter(source=other)
    assert places.count() == len(ledger["builds"])
    world.revision()
    lock = draft_layers.lock_of(world.pack.draft)
    urls = next(one for one in lock.builds if one.mod == "lock-ledger").urls
    assert urls[-1].startswith(other.address)
    # It lists the mod no longer: the place is gone, the mod stays.
    with serving(sources, lambda request: httpx.Response(200, json={"mods": []})) as client:
        read_source(other, client)
    assert not places.exists()
    assert Build.objects.filter(mod__slug="lock-ledger", gone=False).exists()


def test_a_crews_mod_stands_before_everybodys_of_the_same_name(
    world: World, tmp_path: Path, net: dict[str, Any]
) -> None:
    """First the crew's, then one that everybody sees: each crew goes on seeing one mod of that name."""
    game = add_game(_keeper(world), FELLWRIGHT, None)
    folder = write_folder(tmp_path / "in")
    make_source(folder, tmp_path / "out" / "shelf", tmp_path / "key")
    theirs = read(add(world, game=game.pk)[1]["id"])
    write_archive(folder / "knots-7.zip", {"hitch.toml": marker("knots", "7"), "x": "y"})
    make_source(folder, tmp_path / "out" / "shelf", tmp_path / "key")
    everybodys = Source.objects.create(pk="all", name="All", game=game, address=HUTS, pickup="direct")
    read(everybodys.pk)
    assert everybodys.mods.count() == 4
    pack = start_pack(world.users["owner"], new_pack(world.crew, "High", game=game.pk, game_version="1.4",
                                                     loader="hitch", loader_version="2.1"))  # fmt: skip
    assert [one.source_id for one in shelf(pack).filter(slug="knots")] == [theirs.pk]
    edit_draft(world.users["owner"], pack.id, 0, [AddMod(do="add", mod="rope-bridges")])
    pack.draft.refresh_from_db()
    assert pack.draft.picks["knots"] == "1.1"
    assert len(draft_layers.lock_of(pack.draft).builds) == 2
    # The crew's source goes on bringing builds of its own mod.
    read(theirs.pk)
    assert Build.objects.filter(mod__source=theirs, mod__slug="knots", version="7").exists()


def _keeper(world: World) -> Any:
    world.users["owner"].is_staff = True
    world.users["owner"].save()
    return world.users["owner"]


def test_a_pack_begins_with_what_one_wants_to_play(world: World) -> None:
    owner = world.as_("owner")
    asked = {"text": "Lock Ledger\nnight lanterns\nNo Such Thing\n", "crew": str(world.crew.id)}
    status, told = owner.post("/api/games/tillerway/beginning", asked)
    assert status == 200, told
    assert [one["mod"] for one in told["mods"]] == ["lock-ledger", "night-lanterns"]
    assert told["unknown"] == ["No Such Thing"]
    best = told["bases"][0]
    assert (best["fits"], best["missing"], best["mods"]) == (2, [], ["lock-ledger", "night-lanterns"])
    assert [one["fits"] for one in told["bases"]] == sorted((one["fits"] for one in told["bases"]), reverse=True)
    assert all("preview" not in one["label"] for one in told["bases"])
    archive = Build.objects.filter(mod__slug="rivet")[0]
    listing = {"format": "convoy-listing/1", "files": [["old/rivet.zip", archive.archive_size, archive.archive_sha256]]}
    status, told = owner.send("POST", f"/api/games/tillerway/beginning/folder?crew={world.crew.id}", listing)
    assert (status, [one["mod"] for one in told["mods"]]) == (200, ["rivet"])


def test_an_archive_is_tried_and_nothing_of_it_is_kept(world: World, tmp_path: Path) -> None:
    folder = write_folder(tmp_path / "in")
    client = world.as_("member").client

    def tried(data: bytes) -> tuple[int, Any]:
        file = SimpleUploadedFile("x.zip", data)
        reply = client.post("/api/games/tries/archive", {"text": FELLWRIGHT, "archive": file})
        return reply.status_code, reply.json()

    status, told = tried((folder / "rope-bridges-1.2.zip").read_bytes())
    assert status == 200
    assert [(one["kind"], one["recognised"]) for one in told["kinds"]][:2] == [("mod", True), ("library", True)]
    settings_file = next(one for one in told["kinds"][0]["placed"] if one["is_settings"])
    assert settings_file["path"] == "packs/example-mod/settings.toml"
    assert "ZIP" in tried(b"no archive at all")[1]["trouble"]
    write_archive(tmp_path / "evil.zip", {"../../x": "y"})
    assert "climbs" in tried((tmp_path / "evil.zip").read_bytes())[1]["refused"][0]
    SiteRules.objects.create(pk=1, upload_mb=1)
    assert tried(b"0" * (2**20 + 1))[1]["code"] == "too-large"
    assert not OwnFile.objects.exists()


def test_a_zip_of_archives_becomes_own_builds_in_one_go(world: World, tmp_path: Path) -> None:
    for number in range(3):
        text = f'id = "many-{number}"\nname = "Many {number}"\nversion = "1"\n'
        write_archive(tmp_path / f"many-{number}.zip", {"waybill.toml": text, "a": str(number)})
    write_archive(tmp_path / "evil.zip", {"../x": "y"})
    with zipfile.ZipFile(tmp_path / "all.zip", "w") as packed:
        for place in sorted(tmp_path.glob("*.zip")):
            if place.name != "all.zip":
                packed.write(place, f"shelf/{place.name}")
    curator = world.as_("curator")
    status, told = curator.send("POST", f"{world.at}/files/many", (tmp_path / "all.zip").read_bytes())
    assert status == 200, told
    assert [one["name"] for one in told] == ["evil.zip", "many-0.zip", "many-1.zip", "many-2.zip"]
    assert told[0]["refused"]
    rows = [
        {"sha256": one["sha256"], "name": one["says_name"], "version": "1", "kind": "mod", "licence": "MIT"}
        for one in told[1:]
    ]
    rows[1]["licence"] = "LicenseRef-Mine"
    status, made = curator.post(f"{world.at}/own-builds/many", {"builds": rows})
    assert status == 200, made
    assert [bool(one["mod"]) for one in made] == [True, False, True]
    assert "page" in made[1]["trouble"].lower() or "Where members get it" in made[1]["trouble"]
    assert Mod.objects.filter(crew=world.crew, source__is_own=True).count() == 2
    # One that there is no room for is told in its row, and keeps none of the others back.
    SiteRules.objects.create(pk=1, crew_mb=1)
    write_archive(tmp_path / "big.zip", {"waybill.toml": 'id = "big"', "a": "x"})
    with zipfile.ZipFile(tmp_path / "more.zip", "w") as packed, zipfile.ZipFile(tmp_path / "big.zip", "a") as big:
        big.writestr("noise.bin", os.urandom(2**20))
        big.close()
        packed.write(tmp_path / "big.zip", "big.zip", zipfile.ZIP_DEFLATED)
        packed.write(tmp_path / "many-1.zip", "many-1.zip")
    SiteRules.objects.update(crew_mb=1)
    status, told = curator.send("POST", f"{world.at}/files/many", (tmp_path / "more.zip").read_bytes())
    assert status == 422 and told["code"] == "too-large"
    SiteRules.objects.update(crew_mb=4, upload_mb=1)
    status, told = curator.send("POST", f"{world.at}/files/many", (tmp_path / "more.zip").read_bytes())
    assert status == 200 and [bool(one["trouble"]) for one in told] == [True, False]
