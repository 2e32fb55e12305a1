"""Reading sources and finding in what was read. A source that is away or talks nonsense hurts only its freshness."""

import hashlib
import json
from pathlib import Path
from urllib.parse import quote

import httpx
import pytest
from django.utils import timezone

from convoy_site.catalogue import search, vocabulary
from convoy_site.catalogue.models import Build, Mod, NameWord, Source
from convoy_site.catalogue.reading_sources import PATIENCE, read_source
from convoy_site.packs import draft_layers
from convoy_site.releases.lookup import recipe_of
from convoy_site.releases.services import publish
from convoy_standins.generate import read_listed

from .conftest import World, serving
from .test_drafts import edit


def source() -> Source:
    return Source.objects.select_related("game").get(pk="harbour-shelf")


def listing(sources: Path) -> dict:
    return {"mods": read_listed(sources / "harbour-shelf")}


def reading(sources: Path, answer) -> Source:
    with serving(sources, answer) as client:
        read_source(source(), client)
    return source()


def test_the_demos_sources_are_read_whole(catalogue: None) -> None:
    assert Mod.objects.filter(game="tillerway").count() == 139
    assert Mod.objects.filter(game="gauge-hollow").count() == 31
    assert set(Source.objects.values_list("trouble", flat=True)) == {""}
    assert "climbs" in Build.objects.get(mod__slug="false-bottom").refused
    assert Build.objects.exclude(mod__slug="false-bottom").exclude(refused="").count() == 0


TROUBLES = [
    ("away", lambda request: (_ for _ in ()).throw(httpx.ConnectError("refused")), "Not read"),
    ("404", lambda request: httpx.Response(404), "404"),
    ("500", lambda request: httpx.Response(500), "500"),
    ("no JSON", lambda request: httpx.Response(200, content=b'{"mods": [{"id"'), "Not read"),
    ("a list", lambda request: httpx.Response(200, json=[1, 2]), "named fields"),
    ("other JSON", lambda request: httpx.Response(200, json={"mods": 7}), "must be a list"),
]


@pytest.mark.parametrize(("name", "answer", "says"), TROUBLES, ids=[one[0] for one in TROUBLES])
def test_a_source_in_trouble_loses_nothing_but_freshness(
    catalogue, sources: Path, name: str, answer, says: str
) -> None:
    before, read_at = Build.objects.count(), source().read_at
    after = reading(sources, answer)
    assert says in after.trouble
    assert (Build.objects.filter(gone=False).count(), after.read_at) == (before, read_at)
    assert reading(sources, lambda request: httpx.Response(304)).trouble == ""


def test_an_unchanged_source_is_asked_and_not_read(catalogue, sources: Path) -> None:
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.headers.get("if-none-match", ""))
        return httpx.Response(304)

    before = source().read_at
    assert reading(sources, answer).read_at > before
    assert asked == ['"1"']


def test_new_builds_come_vanished_ones_go_and_changed_ones_are_named(catalogue, sources: Path) -> None:
    listed = listing(sources)
    ledger = next(mod for mod in listed["mods"] if mod["id"] == "lock-ledger")
    fresh = {**ledger["builds"][-1], "version": "3.5.0"}
    forged = {**ledger["builds"][1], "archive": {**ledger["builds"][1]["archive"], "sha256": "f" * 64}}
    ledger["builds"] = [forged, ledger["builds"][2], fresh]
    listed["mods"] = [mod for mod in listed["mods"] if mod["id"] != "rivet"]
    after = reading(sources, lambda request: httpx.Response(200, json=listed))
    builds = {build.version: build for build in Build.objects.filter(mod__slug="lock-ledger")}
    assert {version: build.gone for version, build in builds.items()} == {
        "2.9.0": True, "3.3.0": False, "3.4.1": False, "3.5.0": False}  # fmt: skip
    assert builds["3.3.0"].archive_sha256 != "f" * 64
    assert "lock-ledger 3.3.0: listed with another archive than before" in after.trouble
    assert set(Build.objects.filter(mod__slug="rivet").values_list("gone", flat=True)) == {True}
    reading(sources, lambda request: httpx.Response(200, json=listing(sources)))
    assert not Build.objects.filter(gone=True).exclude(version="3.5.0").exists()


def test_what_a_build_says_of_itself_reaches_the_release_and_may_be_said_later(
    world: World, catalogue, sources: Path
) -> None:
    """Its author may say it of a build that was listed before: nothing is placed otherwise for that."""
    edit(world, {"do": "add", "mod": "rivet"})
    listed = listing(sources)
    ledger = next(mod for mod in listed["mods"] if mod["id"] == "lock-ledger")
    for build in ledger["builds"]:
        build |= {"touches": ["economy.tolls"], "partners": ["fair-scales"]}
    reading(sources, lambda request: httpx.Response(200, json=listed))
    locked = draft_layers.lock_of(world.pack.draft).by_mod["lock-ledger"]
    assert (locked.claims.touches, locked.claims.partners) == (("economy.tolls",), ("fair-scales",))
    publish(world.users["owner"], world.pack.id, world.revision(), "7.0.0", "stable", "")
    kept = recipe_of(world.pack.releases.get(number="7.0.0").pk).lock.by_mod["lock-ledger"]
    assert kept.claims == locked.claims
    reading(sources, lambda request: httpx.Response(200, json=listing(sources)))
    assert not Build.objects.filter(mod__slug="lock-ledger").exclude(claims={}).exists()


def test_a_second_source_cannot_take_over_a_mod(catalogue, sources: Path) -> None:
    (rivet,) = [mod for mod in listing(sources)["mods"] if mod["id"] == "rivet"]
    theirs = {**rivet["builds"][0], "version": "9", "archive": {**rivet["builds"][0]["archive"], "sha256": "f" * 64}}
    stolen = {"mods": [{**rivet, "builds": [theirs]}]}
    other = Source.objects.select_related("game").get(pk="chandlers-row")
    with serving(sources, lambda request: httpx.Response(200, json=stolen)) as client:
        read_source(other, client)
    assert (
        "rivet: Harbour Shelf has it already, without this build: 9" in Source.objects.get(pk="chandlers-row").trouble
    )
    assert Mod.objects.get(slug="rivet").source_id == "harbour-shelf"


def found(world: World, query: str) -> dict[str, dict]:
    status, page = world.as_("member").get(f"{world.at}/catalogue?{query}")
    assert status == 200
    return {row["slug"]: row for row in page["rows"]}


def test_the_finder_forgives_typing_and_gives_reasons(world: World) -> None:
    assert "night-lanterns" in found(world, "text=lanters")
    assert "heron-almanac" in found(world, "text=herron")
    assert next(iter(found(world, "text=lock+ledger"))) == "lock-ledger"
    assert set(found(world, "text=herons")) >= {"heron-almanac"}
    assert "sluice-books" not in found(world, "")
    row = found(world, "text=sluice&fitting_only=false")["sluice-books"]
    assert (row["fit_version"], row["reason"]) == ("", "Its newest build, 1.8.0, is made for Capstan, not Bosun.")
    assert "climbs" in found(world, "text=false+bottom&fitting_only=false")["false-bottom"]["reason"]
    assert {row["kind"] for row in found(world, "kind=texture+pack").values()} == {"texture pack"}


@pytest.mark.parametrize("query", ["text=%25_%27%22%5C", "text=" + "x" * 200, "page=999", "page=-3", "kind=no+such"])
def test_odd_searches_are_answered(world: World, query: str) -> None:
    found(world, query)


def test_the_inspector_says_what_rules_a_build_out(world: World) -> None:
    _, page = world.as_("member").get(f"{world.at}/mods/weir-core")
    ruled_out = {build["version"]: build["ruled_out"] for build in page["builds"]}
    assert list(ruled_out) == ["2.0.0", "1.4.1", "1.3.0", "1.2.0"]
    assert "needs Weir Core 1.3 or newer, below 2" in ruled_out["2.0.0"]
    assert ruled_out["1.4.1"] == ruled_out["1.3.0"] == ""
    assert "game version" in ruled_out["1.2.0"]
    assert world.as_("member").get(f"{world.at}/mods/nothing")[0] == 404


def in_order(world: World, query: str) -> tuple[list[str], dict]:
    status, page = world.as_("member").get(f"{world.at}/catalogue?{query}")
    assert status == 200
    return [row["slug"] for row in page["rows"]], page


def test_filters_orders_and_counts(world: World) -> None:
    slugs, page = in_order(world, "category=Night&sort=name")
    assert slugs == sorted(slugs)
    assert "tunnel-lights" in slugs
    counts = {one["name"]: {value["value"]: value["count"] for value in one["values"]} for one in page["facets"]}
    assert counts["category"] == {"Night": page["total"]}
    assert sum(counts["kind"].values()) == page["total"]
    slugs, _ = in_order(world, "needs=reservoir-watch&fitting_only=false")
    assert slugs == ["pump-house"]
    slugs, _ = in_order(world, "reach=own&side=player&kind=texture%20pack&sort=downloads")
    assert slugs[0] in ("castle-panels", "tarred-planks")
    downloads = [row["downloads"] for row in in_order(world, "sort=downloads")[1]["rows"]]
    assert downloads == sorted(downloads, reverse=True)
    slugs, _ = in_order(world, "since=2026-08-01&sort=updated")
    assert all(slug not in slugs for slug in ("plank-walk", "wash-house"))
    assert "seasons-turn" in slugs


WORDS = [
    ("rope", "ropework"),
    ("weir cor", "weir-core"),
    ("carriers", "company-offices"),
    ("penhale tunnel", "tunnel-lights"),
    ("swing bridgs", "swing-bridges"),
    ("swingbridges", "swing-bridges"),
    ("swing brid ges", "swing-bridges"),
    ("cat' on & the | roof:*", "cat-on-the-roof"),
]


@pytest.mark.parametrize(("text", "first"), WORDS)
def test_words_their_beginnings_and_slips_find_a_mod(world: World, text: str, first: str) -> None:
    slugs, _ = in_order(world, f"text={quote(text)}")
    assert first in slugs[:3]


class Paged:
    """A source whose catalogue comes in pages; `stop_at` answers that page as a test wants."""

    def __init__(self, mods: list[dict]) -> None:
        self.mods, self.asked, self.waits = mods, [], []
        self.stop_at: dict[str, httpx.Response] = {}

    def read(self) -> Source:
        bodies = {f"catalogue/{at}.json": json.dumps({"mods": [mod]}).encode() for at, mod in enumerate(self.mods)}
        index = [{"name": name, "sha256": hashlib.sha256(body).hexdigest()} for name, body in bodies.items()]

        def answer(request: httpx.Request) -> httpx.Response:
            name = request.url.path.removeprefix("/harbour-shelf/")
            self.asked.append(name)
            if name in self.stop_at:
                return self.stop_at[name]
            if name == "catalogue.json":
                return httpx.Response(200, json={"pages": index}, headers={"ETag": '"paged"'})
            return httpx.Response(200, content=bodies[name])

        with httpx.Client(transport=httpx.MockTransport(answer)) as client:
            read_source(source(), client, self.waits.append)
        return source()


def test_only_changed_pages_are_read_and_a_stopped_reading_goes_on(catalogue, sources: Path) -> None:
    paged = Paged(listing(sources)["mods"][:4])
    paged.stop_at["catalogue/2.json"] = httpx.Response(500)
    stopped = paged.read()
    assert (stopped.pages_done, stopped.pages_changed, stopped.failures) == (2, 4, 1)
    assert stopped.rest_until > stopped.read_at
    assert stopped.etag == '"1"'
    paged.stop_at.clear()
    paged.asked.clear()
    after = paged.read()
    assert paged.asked == ["catalogue.json", "catalogue/2.json", "catalogue/3.json"]
    assert (after.etag, after.trouble, after.failures, after.rest_until) == ('"paged"', "", 0, None)
    listed_now = set(Mod.objects.filter(source=after, builds__gone=False).values_list("slug", flat=True))
    assert listed_now == {mod["id"] for mod in paged.mods}
    paged.mods[1] = {**paged.mods[1], "summary": "Newly told."}
    paged.asked.clear()
    paged.read()
    assert paged.asked == ["catalogue.json", "catalogue/1.json"]
    assert Mod.objects.get(slug=paged.mods[1]["id"]).summary == "Newly told."


def test_a_source_is_waited_for_as_it_asks_and_left_alone_when_it_asks_for_long(catalogue, sources: Path) -> None:
    paged = Paged(listing(sources)["mods"][:2])
    paged.stop_at["catalogue/1.json"] = httpx.Response(429, headers={"Retry-After": "7"})
    assert "later" in paged.read().trouble
    assert paged.waits.count(7) == PATIENCE - 1
    paged.stop_at["catalogue/1.json"] = httpx.Response(503, headers={"Retry-After": "5000"})
    paged.waits.clear()
    left = paged.read()
    assert 5000 not in paged.waits
    assert (left.rest_until - timezone.now()).total_seconds() > 3_900


def test_a_page_that_is_not_the_one_named_is_not_kept(catalogue, sources: Path) -> None:
    paged = Paged(listing(sources)["mods"][:2])
    paged.stop_at["catalogue/0.json"] = httpx.Response(200, json={"mods": []})
    before = Build.objects.filter(gone=False, mod__slug=paged.mods[0]["id"]).count()
    after = paged.read()
    assert "not the page that the index names" in after.trouble
    assert after.etag == ""
    assert Mod.objects.get(slug=paged.mods[1]["id"]).builds.filter(gone=False).exists()
    assert before > 0


@pytest.mark.parametrize(
    "index",
    [{"pages": [{"name": "../../secret", "sha256": "a" * 64}]}, {"pages": [{"name": "a"}]}, {"pages": 3},
     {"pages": [{"name": "a", "sha256": "a" * 64}] * 2}],
)  # fmt: skip
def test_an_index_that_cannot_be_used_changes_nothing(catalogue, sources: Path, index: dict) -> None:
    before = Build.objects.filter(gone=False).count()
    assert reading(sources, lambda request: httpx.Response(200, json=index)).trouble.startswith("Not read")
    assert Build.objects.filter(gone=False).count() == before


def test_ten_thousand_builds_of_one_mod_and_odd_versions_are_taken_as_they_are(catalogue, sources: Path) -> None:
    rivet = next(mod for mod in listing(sources)["mods"] if mod["id"] == "rivet")
    build = rivet["builds"][0]

    def version(text: str) -> dict:
        archive = {**build["archive"], "sha256": hashlib.sha256(text.encode()).hexdigest()}
        return {**build, "version": text, "archive": archive, "files": build["files"][:1]}

    odd = ["spring evening", "v3", "2.1-1.0.7", "0" * 100, "<b>1</b>", "版本 7"]
    many = {**rivet, "name": "Нитка <script>", "builds": [version(text) for text in odd] + [
        version(f"9.{number}") for number in range(10_000)]}  # fmt: skip
    self_needed = {
        **rivet,
        "id": "self-needed",
        "builds": [{**build, "needs": {"self-needed": ">=99", "nowhere": "*"}}],
    }
    bad_range = {**rivet, "id": "bad-range", "builds": [{**build, "needs": {"rivet": "~> 1.x"}}]}
    after = reading(sources, lambda request: httpx.Response(200, json={"mods": [many, self_needed, bad_range]}))
    assert after.trouble.startswith("bad-range:")
    assert len(after.trouble.splitlines()) == 1
    assert Build.objects.filter(mod__slug="rivet", gone=False).count() == 10_000 + len(odd)
    assert Build.objects.filter(mod__slug="self-needed").exists()


def test_made_for_another_game_version_or_loader(world: World) -> None:
    slugs, _ = in_order(world, "loader=capstan&fitting_only=false")
    assert "sluice-books" in slugs
    assert "lock-ledger" not in slugs
    slugs, _ = in_order(world, "game_version=1.9.0&loader=bosun&fitting_only=false")
    assert all("1.9.0/bosun" in Mod.objects.get(slug=slug).fits for slug in slugs)
    assert in_order(world, "game_version=7&fitting_only=false")[0] == []


@pytest.mark.parametrize(
    ("text", "slug"),
    [
        ("nite lanterns", "night-lanterns"),
        ("almanack", "heron-almanac"),
        ("wether", "heron-almanac"),
        ("https%3A%2F%2Fharbour.example%2Fmods%2Flock-ledger%3Ftab%3Dfiles", "lock-ledger"),
        ("market+bells+that+sing+loudly", "market-bells"),
    ],
)
def test_slips_links_and_descriptions_find_it(world: World, text: str, slug: str) -> None:
    if text.startswith("market"):
        Mod.objects.filter(slug=slug).update(summary="Bells that sing over the market.")
        Mod.objects.filter(slug=slug).update(words=search.WORDS)
    assert slug in found(world, f"text={text}&fitting_only=false")


def test_what_a_slip_meant_is_a_word_of_some_name_and_the_likest_comes_first(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Without comparing any name: by the words alone.
    monkeypatch.setattr(search, "_alike", lambda found, words, asked: [])
    assert vocabulary.meant(["lantrn", "sluise", "xyzzyx"]) == {
        "lantrn": ["lantern", "lanterns"],
        "sluise": ["sluice"],
        "xyzzyx": [],
    }
    slugs, _ = in_order(world, "text=nihgt%20lantrn&fitting_only=false")
    assert slugs == ["night-lanterns"]
    slugs, _ = in_order(world, "text=lantrn&fitting_only=false")
    named = [Mod.objects.get(slug=slug).name.casefold().split() for slug in slugs]
    behind = ["lantern" not in words for words in named]
    assert behind == sorted(behind) and {True, False} == set(behind)
    assert NameWord.objects.filter(word__regex=r"^\d*$").count() == 0


def test_what_is_called_so_comes_before_what_only_has_the_words(world: World) -> None:
    """However often others are taken, and wherever else they have it."""
    steps = [
        ("rivet", "Bellow"),
        ("lock-ledger", "Bellow Ledger"),
        ("heron-almanac", "Bellows Almanac"),
        ("night-lanterns", "Lanterns"),
        ("weir-core", "Weir"),
    ]
    for at, (slug, name) in enumerate(steps):
        author, summary = ("Bellow" if at == 3 else "Nobody"), ("With a bellow, a bellow." if at == 4 else "")
        Mod.objects.filter(slug=slug).update(name=name, author=author, summary=summary, downloads=at * 1_000_000)
        Mod.objects.filter(slug=slug).update(words=search.WORDS)
    expected = [slug for slug, _ in steps]
    assert in_order(world, "text=bellow&fitting_only=false")[0][:5] == expected
    assert in_order(world, "text=Bellow%20&fitting_only=false&sort=downloads")[0][:5] == expected[::-1]
    assert in_order(world, "text=bellow%20led&fitting_only=false")[0][0] == "lock-ledger"


def test_one_of_many_is_found_whatever_the_texts_hold(catalogue, django_assert_num_queries) -> None:
    odd = ['a"b', "c\\d", "e,f", "{g}", "null", "it's", "", " h ", "é"]
    for slug in odd[:-1]:
        Source.objects.create(pk=slug, name=slug, game_id="tillerway", address="http://127.0.0.1:9", pickup="direct")
    asked = Source.objects.filter(pk__any=odd)
    assert set(asked.values_list("pk", flat=True)) == set(odd[:-1])
    with django_assert_num_queries(0):
        assert list(asked.filter(pk__any=())) == []
    assert asked.filter(pk__any=["a", "b"]).count() == 0
    keys = set(Mod.objects.order_by("pk").values_list("pk", flat=True)[:3])
    assert set(Mod.objects.filter(pk__any=keys | {-1}).values_list("pk", flat=True)) == keys
    assert {mod for (mod,) in Build.objects.filter(mod__pk__any=keys).values_list("mod_id")} == keys


def test_the_finder_promises_what_comes(world: World) -> None:
    edit(world, {"do": "hold", "mod": "weir-core", "version": "1.3.0"})
    promised = {slug: row["fit_version"] for slug, row in found(world, "").items() if row["fit_version"]}
    at = world.revision()
    for slug, version in promised.items():
        body = {"revision": at, "edits": [{"do": "add", "mod": slug, "version": version}], "rehearse": True}
        status, told = world.as_("owner").post(f"{world.at}/draft/edits", body)
        if status == 200:
            came = next((one["after"] for one in told["changes"] if one["mod"] == slug), version)
            assert (came == version) is not bool(told["other_builds"]), (slug, told)
