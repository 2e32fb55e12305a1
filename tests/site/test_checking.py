"""Check on the site: findings with ways that are rehearsed and pressed, verdicts, what is laid down, set aside, own."""

import io
import random
import zipfile
from typing import Any
from urllib.parse import quote

import pytest
from django.db import transaction
from django.utils import timezone

from convoy_core.checks import Severity
from convoy_core.conflicts.set_aside import MAX_LINES
from convoy_core.lock.canonical import sha256_hex
from convoy_core.settings.readings import from_text
from convoy_site.catalogue import readings
from convoy_site.catalogue.models import Addition, Build, Mod, Reading, Source, Verdict
from convoy_site.catalogue.readings import Reported, read_all, take_reported, wanted_of
from convoy_site.packs import checking, draft_layers, mending
from convoy_site.packs.models import Pack
from convoy_site.releases.lookup import recipe_of

from .conftest import World, serving, set_edit
from .test_drafts import edit, lines

TOLLS = "config/tolls/rates.toml"
HOUSE_RULES = ("fair-tolls", "night-tolls", "old-salts-kit", "fen-charts")
HASH = "0" * 64


def add(world: World, *mods: str) -> None:
    for mod in mods:
        assert edit(world, {"do": "add", "mod": mod})[0] == 200


def pack_of(world: World) -> Pack:
    pack = Pack.objects.select_related("crew", "game", "draft").get(pk=world.pack.pk)
    pack.draft.pack = pack
    return pack


def read_all_files(world: World, sources: Any) -> list[str]:
    pack = pack_of(world)
    return read_all(wanted_of(pack, draft_layers.picked(pack.draft, with_files=True).rows), serving(sources))


def found(world: World, check: str = "") -> list[dict[str, Any]]:
    told = world.as_("owner").get(f"{world.at}/findings")[1]["findings"]
    return [one for one in told if one["check"] == check or not check]


def placed(world: World) -> dict[str, str]:
    return {path: file.mod for path, file in draft_layers.lock_of(pack_of(world).draft).by_path.items()}


def test_a_reading_is_made_once_and_kept_by_content(world: World, sources: Any) -> None:
    add(world, *HOUSE_RULES)
    assert found(world, "unread") and "1 file replaced" in found(world, "overlap")[0]["what"]
    assert read_all_files(world, sources) == []
    assert found(world, "unread") == []
    (tolls,) = [one for one in found(world, "overlap") if "Tolls" in one["what"]]
    assert tolls["what"] == "Night Tolls lies over Fair Tolls: 1 value overruled, 2 keys lost."
    assert not Reading.objects.exclude(crew=None).exists()
    pack = pack_of(world)
    assert wanted_of(pack, draft_layers.picked(pack.draft, with_files=True).rows) == []


def test_a_large_archive_is_read_in_portions_and_one_that_says_too_much_not_at_all(
    world: World, sources: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    add(world, *HOUSE_RULES)
    monkeypatch.setattr(readings, "MOST_TEXT", 10)
    assert all("MB of settings and data" in one for one in read_all_files(world, sources)) and not Reading.objects.all()
    monkeypatch.setattr(readings, "MOST_TEXT", 2**20)
    monkeypatch.setattr(readings, "PORTION", 1)
    assert read_all_files(world, sources) == [] == found(world, "unread")


def test_an_archive_that_is_not_what_its_source_says_is_not_read(world: World, sources: Any, tmp_path: Any) -> None:
    add(world, "fair-tolls")
    build = Build.objects.get(mod__slug="fair-tolls")
    Build.objects.filter(pk=build.pk).update(archive_sha256="e" * 64)
    (trouble,) = [one for one in read_all_files(world, sources) if "Fair Tolls" in one]
    assert "not the archive that its source lists" in trouble
    assert not Reading.objects.filter(sha256__in=[sha256 for _, _, sha256 in build.files]).exists()


def test_what_one_crew_may_not_know_its_readings_do_not_tell(world: World) -> None:
    Reading.objects.create(sha256=HASH, crew=world.crew, keys='[[["a"],1]]')

    class Stranger:
        crew_id, game_id = None, "tillerway"

    assert readings.known(pack_of(world), {HASH})[HASH].keys == {("a",): 1}
    assert readings.known(Stranger(), {HASH}) == {}  # type: ignore[arg-type]


def _by_hand(world: World) -> tuple[Build, str]:
    """A build that only a person may fetch, with the hash of its settings file."""
    build = Build.objects.filter(
        mod__source__pickup="by hand", mod__kind="mod", mod__game="tillerway", gone=False, refused=""
    ).select_related("mod__source")[0]
    return build, next(sha256 for path, _, sha256 in build.files if path == "settings.toml")


@pytest.mark.parametrize(
    ("rows", "code"),
    [
        ([[["strength"], 5]], 200),
        ([[["a\u0007b"], 5]], 422),
        ([[["strength"], {"": ["date", "never"]}]], 422),
        ([[["strength"], [[[[[[1]]]]]]]], 200),
        ([[["k"], "x" * 990_000], [["l"], "x" * 990_000]], 422),
        ([["strength", 5]], 422),
        ([[["k", str(number)], 1] for number in range(20_001)], 422),
    ],
)
def test_an_agents_reading_is_taken_for_what_was_asked_alone(world: World, rows: Any, code: int) -> None:
    build, sha256 = _by_hand(world)
    add(world, build.mod.slug)
    agent = world.agent()
    (wanted,) = agent.get("/api/agent/readings")[1]
    assert wanted["archive_sha256"] == build.archive_sha256 and sha256 in {one["sha256"] for one in wanted["files"]}
    told = {"files": [{"sha256": sha256, "keys": rows}, {"sha256": HASH, "keys": [[["lie"], 1]]}]}
    got, said = agent.post("/api/agent/readings", told)
    assert got == code, said
    if code == 200:
        assert said == {"taken": 1}
        kept = Reading.objects.get(sha256=sha256)
        assert (kept.crew_id, kept.by_id) == (world.crew.pk, world.installation.member_id)
        assert agent.post("/api/agent/readings", told)[1] == {"taken": 0}
        assert next(iter(from_text(kept.keys).keys))[0] == "strength"
    assert not Reading.objects.filter(sha256=HASH).exists()
    assert take_reported(pack_of(world), world.users["owner"], [], [Reported(sha256, rows)]) == 0


@pytest.mark.parametrize("seed", range(3))
def test_every_way_that_is_offered_mends_or_says_that_it_does_not(world: World, sources: Any, seed: int) -> None:
    """Every way of every finding of drafts full of faults, rehearsed: what says that it mends leaves no graver one."""
    add(world, *HOUSE_RULES, "guild-economy", "market-makers", "quay-guild-patch", "rivet")
    shelf = list(Mod.objects.filter(game="tillerway").order_by("slug").values_list("slug", flat=True))
    edit(world, {"do": "add many", "mods": random.Random(seed).sample(shelf, 12)})
    edit(world, {"do": "set aside", "text": "nothing/here/**"})
    edit(world, {"do": "winner", "places": ["config/charts"], "mod": "fen-charts"})
    edit(world, {"do": "remove", "mod": "fen-charts"})
    read_all_files(world, sources)
    owner, draft = world.users["owner"], pack_of(world).draft
    before = checking.findings(draft)
    assert {"rebuilds", "overlap", "idle-winner", "aside-idle"} <= {one.check for one in before}
    grave = list(Severity)
    for finding in before:
        for tried in mending.ways_of(owner, world.pack.pk, finding.id):
            if not tried.mends:
                assert "Cannot" in tried.line or "does not mend" in tried.line
                continue
            worse: list[Any] = []
            edits = mending.edits_of(tried.way)
            mending.services.edit_draft(
                owner, world.pack.pk, world.revision(), edits, rehearse=True,
                look=lambda now, kept=worse: kept.extend(checking.findings(now)),
            )  # fmt: skip
            assert finding.id not in {one.id for one in worse}, (finding.id, tried.way.text)
            fresh = [one for one in worse if one.id not in {old.id for old in before}]
            told = all(
                grave.index(one.severity) >= grave.index(finding.severity) or one.what in tried.line for one in fresh
            )
            assert told, (finding.id, tried.way.text, [one.what for one in fresh])
    assert checking.findings(pack_of(world).draft) == before


def test_a_setting_out_of_the_range_that_its_build_names_is_found_once_that_is_read(world: World, sources: Any) -> None:
    add(world, "night-tolls")
    tweak = {"path": TOLLS, "key": ["tolls", "night"], "value": 24, "how": "enforced"}
    assert edit(world, set_edit(tweak))[0] == 200
    assert world.as_("owner").get(f"{world.at}/findings")[1]["unread"] == 2 and not found(world, "tweak")
    read_all_files(world, sources)
    (one,) = found(world, "tweak")
    assert one["what"] == f"The pack sets tolls.night in {TOLLS}: it must be at most 12."
    told = world.as_("owner").get(f"{world.at}/finding?finding={quote(one['id'])}")[1]
    assert (told["evidence"], [way["text"] for way in told["ways"]]) == (
        ["tolls.night = 24 (enforced)"], ["Take the setting away"],
    )  # fmt: skip
    edit(world, set_edit({**tweak, "value": 12}))
    assert not found(world, "tweak")


def test_all_that_is_safe_is_mended_together_and_nothing_else(world: World, sources: Any) -> None:
    add(world, "fair-tolls", "night-tolls", "guild-economy", "quay-guild-patch", "market-makers")
    edit(world, {"do": "set aside", "text": "# kept\nnothing/here/**"})
    edit(world, {"do": "remove", "mod": "barge-berths"})
    read_all_files(world, sources)
    at = f"{world.at}/findings/mend"
    told = world.as_("owner").post(at, {"revision": world.revision(), "rehearse": True})[1]
    ways = {one["way"] for one in told["mended"]}
    assert {"Add Toll Board", "Take those lines out"} <= ways
    assert "fair-tolls" in lines(world) and "toll-board" not in lines(world)
    done = world.as_("owner").post(at, {"revision": world.revision()})[1]
    assert {one["way"] for one in done["mended"]} == ways
    assert "toll-board" in lines(world) and pack_of(world).draft.set_aside == "# kept"
    left = {one["check"] for one in found(world)}
    assert "rebuilds" in left and not left & {"aside-idle", "overlap"}
    assert world.as_("owner").post(at, {"revision": world.revision()})[1]["mended"] == []


def test_a_finding_that_is_laid_down_comes_up_again_with_other_evidence(world: World, sources: Any) -> None:
    add(world, "fair-tolls", "night-tolls")
    read_all_files(world, sources)
    (one,) = found(world, "overlap")
    given = {"do": "lay down", "finding": one["id"], "because": "we like it so", "evidence": one["mark"]}
    assert edit(world, given)[0] == 200
    (laid,) = found(world, "overlap")
    assert laid["laid_down"]["because"] == "we like it so" and laid["laid_down"]["by"]
    sha256 = next(row[2] for row in Build.objects.get(mod__slug="night-tolls").files if row[0] == "tolls/rates.toml")
    Reading.objects.filter(sha256=sha256).delete()
    Reading.objects.create(sha256=sha256, keys='[[["tolls","night"],9]]')
    assert found(world, "overlap")[0]["laid_down"] is None
    edit(world, {**given, "because": ""})
    assert pack_of(world).draft.laid_down == {}


def test_a_page_that_was_checked_is_checked_again_when_anything_moved(world: World) -> None:
    add(world, "fair-tolls", "night-tolls")
    first = checking.checked(pack_of(world).draft)
    assert checking.checked(pack_of(world).draft) is first
    Build.objects.filter(mod__slug="fair-tolls").update(gone=True)
    Source.objects.filter(pk="harbour-shelf").update(read_at=timezone.now())
    assert [one["check"] for one in found(world) if one["mod"] == "fair-tolls"].count("gone") == 1
    with pytest.raises(ZeroDivisionError), transaction.atomic():
        edit(world, {"do": "remove", "mod": "fair-tolls"})
        assert not found(world, "gone")
        raise ZeroDivisionError
    assert found(world, "gone")


def test_a_verdict_lets_a_build_in_for_the_crew_until_its_archive_changes(world: World) -> None:
    status, told = edit(world, {"do": "add", "mod": "reed-pipes"})
    assert (status, told["code"]) == (422, "does-not-fit")
    at = f"{world.at}/catalogue?text=reed+pipes&fitting_only=true"
    assert world.as_("member").get(at)[1]["rows"] == []
    says = {"do": "verdict", "mod": "reed-pipes", "version": "0.7", "works": True, "note": "two evenings"}
    assert edit(world, says)[0] == 200
    assert [row["slug"] for row in world.as_("member").get(at)[1]["rows"]] == ["reed-pipes"]
    add(world, "reed-pipes")
    assert lines(world)["reed-pipes"]["version"] == "0.7"
    page = world.as_("member").get(f"{world.at}/mods/reed-pipes")[1]
    assert page["comes"] == "0.7"
    assert page["builds"][0]["verdicts"][0]["sentence"].startswith("works on 2.1.0, ")
    Build.objects.filter(mod__slug="reed-pipes").update(archive_sha256="a" * 64)
    edit(world, {"do": "update", "mods": []})
    assert "reed-pipes" in pack_of(world).draft.unsettled
    assert edit(world, {**says, "version": "9"})[1]["code"] == "no-such-mod"


def test_a_verdict_that_it_does_not_work_keeps_a_build_out(world: World) -> None:
    says = {"do": "verdict", "mod": "lock-ledger", "version": lines(world)["lock-ledger"]["version"], "works": False}
    before = lines(world)["lock-ledger"]["version"]
    assert edit(world, {**says, "note": "eats books"})[0] == 200
    assert lines(world)["lock-ledger"]["version"] != before
    assert Verdict.objects.get().note == "eats books"
    undo = world.as_("owner").get(f"{world.at}/draft")[1]["undo"]
    assert edit(world, {"do": "take back", "revision": undo})[0] == 200
    assert not Verdict.objects.exists() and lines(world)["lock-ledger"]["version"] == before


def test_what_the_crew_adds_counts_and_says_whose_word_it_is(world: World) -> None:
    add(world, "fair-tolls", "guild-economy", "market-makers")
    assert [one["severity"] for one in found(world, "rebuilds")].count("blocker") == 1
    edit(world, {"do": "say", "mod": "rivet", "touches": ["economy.tolls"], "note": "saw it in play"})
    add(world, "rivet")
    assert any("Rivet" in one["what"] for one in found(world, "rebuilds"))
    edit(world, {"do": "say", "mod": "rivet"})
    assert not Addition.objects.exists() and not any("Rivet" in one["what"] for one in found(world, "rebuilds"))
    assert edit(world, {"do": "say", "mod": "rivet", "touches": ["../etc"]})[0] == 422


def test_parts_bring_what_they_need_and_leave_with_it(world: World) -> None:
    add(world, "old-salts-kit")
    assert "signal-flags" in lines(world) and "config/lamps/glow.toml" in placed(world)
    assert "config/songs/first.txt" not in placed(world)
    edit(world, {"do": "remove", "mod": "night-lanterns"})
    assert "signal-flags" in lines(world)
    given = {"do": "parts", "mod": "old-salts-kit", "named": {"lamps": False, "songs": True}}
    assert edit(world, given)[0] == 200
    assert "signal-flags" not in lines(world)
    assert "config/lamps/glow.toml" not in placed(world) and "config/songs/first.txt" in placed(world)
    page = world.as_("member").get(f"{world.at}/parts/old-salts-kit")[1]
    assert {one["id"]: one["laid"] for one in page["parts"]} == {"charts": True, "lamps": False, "songs": True}
    assert page["laid"] == page["in_all"] - 1
    rows = world.as_("owner").get(f"{world.at}/pending")[1]["changes"]
    assert any(row["mod"] == "old-salts-kit" for row in rows)


@pytest.mark.parametrize(
    "wrong",
    [
        {"do": "parts", "mod": "old-salts-kit", "named": {"no-such": False}},
        {"do": "parts", "mod": "old-salts-kit", "leave_out": ["**"]},
        {"do": "parts", "mod": "old-salts-kit", "only": ["nothing/**"]},
        {"do": "parts", "mod": "old-salts-kit", "leave_out": ["../../etc"]},
        {"do": "parts", "mod": "lock-ledger", "leave_out": ["waybill.toml"]},
        {"do": "parts", "mod": "moon-tables"},
        {"do": "winner", "places": ["config/none"], "mod": "old-salts-kit"},
        {"do": "winner", "places": ["../../etc"], "mod": "old-salts-kit"},
        {"do": "set aside", "text": "**"},
        {"do": "set aside", "text": "a/b\nmods/*/waybill.toml"},
        {"do": "set aside", "text": "\n".join(f"a/{number}" for number in range(MAX_LINES + 1))},
        {"do": "set aside also", "patterns": ["C:\\x"]},
        {"do": "own files", "add": {"a.txt": HASH}},
        {"do": "own files", "remove": ["a.txt"]},
        {"do": "lay down", "finding": "no: such"},
    ],
)
def test_what_makes_no_sense_is_refused_and_changes_nothing(world: World, wrong: dict[str, Any]) -> None:
    add(world, "old-salts-kit")
    before, revision = placed(world), world.revision()
    status, told = edit(world, wrong)
    assert status in (404, 422) and told["what"] and (told["why"] or told["now"]), told
    assert placed(world) == before and world.revision() == revision


def test_a_pattern_that_would_take_for_ever_takes_no_time(world: World) -> None:
    add(world, "old-salts-kit")
    evil = "/".join(["**", *(["*a*a*a*a"] * 20), "z"])
    told = world.as_("owner").post(f"{world.at}/set-aside", {"text": evil})
    assert told[0] == 200 and told[1]["files"] == 0


def test_winners_lists_and_own_files_are_in_the_lock_and_the_change_log(world: World, sources: Any) -> None:
    add(world, *HOUSE_RULES)
    assert placed(world)[TOLLS] == "night-tolls" and placed(world)["config/charts/fen.map"] == "fen-charts"
    edit(world, {"do": "winner", "places": ["config/tolls"], "mod": "fair-tolls"})
    edit(world, {"do": "set aside", "text": "# none of these\n**/*.dat"})
    text = {"revision": world.revision(), "path": "config/charts/fen.map", "text": "ours\n"}
    status, told = world.as_("curator").send("PUT", f"{world.at}/own-files/text", text)
    assert status == 200, told
    assert placed(world)[TOLLS] == "fair-tolls" and placed(world)["config/charts/fen.map"] == "_own"
    assert not [path for path in placed(world) if path.endswith(".dat")]
    rows = {row["name"]: row["after"] for row in world.as_("owner").get(f"{world.at}/pending")[1]["changes"]}
    assert rows["winner for config/tolls"] == "Fair Tolls" and rows["set aside"].startswith("1 pattern")
    assert rows["own file config/charts/fen.map"].startswith("5 bytes")
    status, made = world.as_("owner").post(
        f"{world.at}/releases", {"revision": world.revision(), "number": "3.0.0", "notes": ""}
    )
    assert status == 200, made
    lock = recipe_of(world.pack.releases.get(number="3.0.0").pk).lock
    assert lock.by_path["config/charts/fen.map"].mod == "_own" and lock.set_aside == ("**/*.dat",)
    assert lock.without(["fen-charts"]).by_path["config/charts/fen.map"].mod == "_own"
    archive = lock.by_mod["_own"].archive
    reply = world.agent().client.get(f"/api/agent/own/{archive.sha256}")
    assert sha256_hex(b"".join(reply.streaming_content)) == archive.sha256


def test_own_files_come_as_a_zip_are_kept_by_content_and_go_back(world: World) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as made:
        made.writestr("config/rules.toml", "a = 1\n")
        made.writestr("notes/read me.txt", "hello")
    asked = f"{world.at}/own-files?name=ours.zip&folder=&unpack=true&revision="
    assert world.as_("owner").send("POST", asked + str(world.revision()), packed.getvalue())[0] == 200
    owner = world.as_("owner")
    first = {one["path"]: one["sha256"] for one in owner.get(f"{world.at}/own-files")[1]["files"]}
    assert first.keys() == {"config/rules.toml", "notes/read me.txt"}
    text = {"revision": world.revision(), "path": "config/rules.toml", "text": "a = 2\n"}
    assert owner.send("PUT", f"{world.at}/own-files/text", text)[0] == 200
    now, was, *_ = owner.get(f"{world.at}/own-files/versions?path=config/rules.toml")[1]
    assert was["sha256"] == first["config/rules.toml"] and now["sha256"] != was["sha256"]
    edit(world, {"do": "own files", "add": {"config/rules.toml": was["sha256"]}})
    assert owner.get(f"{world.at}/own-files/text/{was['sha256']}")[1] == {"text": "a = 1\n"}
    again = {one["path"]: one["sha256"] for one in owner.get(f"{world.at}/own-files")[1]["files"]}
    assert again == first
    undo = owner.get(f"{world.at}/draft")[1]["undo"]
    edit(world, {"do": "take back", "revision": undo})
    assert owner.get(f"{world.at}/own-files/text/{now['sha256']}")[1] == {"text": "a = 2\n"}


def test_hostile_own_files_are_refused_by_name(world: World) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as made:
        made.writestr("../../outside.txt", "x")
    asked = f"{world.at}/own-files?name=ours.zip&unpack=true&revision={world.revision()}"
    status, told = world.as_("owner").send("POST", asked, packed.getvalue())
    assert status == 422 and "outside.txt" in str(told)
    text = {"revision": world.revision(), "path": "mods/lock-ledger/waybill.toml", "text": "id = 1"}
    status, told = world.as_("owner").send("PUT", f"{world.at}/own-files/text", text)
    assert (status, told["code"]) == (422, "must-stay")
    for path in ("/etc/passwd", "../x", ".convoy/state", "a\u0000b"):
        text = {"revision": world.revision(), "path": path, "text": "x"}
        assert world.as_("owner").send("PUT", f"{world.at}/own-files/text", text)[0] == 422


def test_a_release_over_blockers_says_so_and_why(world: World) -> None:
    add(world, "guild-economy", "market-makers")
    given = {"revision": world.revision(), "number": "4.0.0", "notes": ""}
    owner = world.as_("owner")
    status, told = owner.post(f"{world.at}/releases", given)
    assert (status, told["code"]) == (409, "blocked")
    assert owner.post(f"{world.at}/releases", {**given, "despite": "only tonight"})[0] == 200
    (one,) = owner.get(f"{world.at}/releases/4.0.0")[1]["despite"]
    assert "each rebuild economy" in one["what"] and one["because"] == "only tonight"


def test_two_mods_side_by_side_and_who_meets_whom(world: World, sources: Any) -> None:
    add(world, *HOUSE_RULES, "market-makers")
    read_all_files(world, sources)
    member = world.as_("member")
    pairs = {(one["one"], one["other"]): one for one in member.get(f"{world.at}/overlap")[1]["pairs"]}
    tolls = pairs["fair-tolls", "night-tolls"]
    assert (tolls["paths"], tolls["keys"], tolls["lost"], tolls["won_by_other"]) == (1, 1, 2, 1)
    assert pairs["fair-tolls", "market-makers"]["names"] == ["economy.tolls"]
    both = member.get(f"{world.at}/overlap/night-tolls/fair-tolls")[1]
    assert (both["one"], both["turned"], both["patches"]) == ("fair-tolls", 1, ["Toll Board"])
    keys = {row["key"]: (row["values"], row["holds"]) for row in both["paths"][0]["keys"]}
    assert keys["tolls.night"] == ({"fair-tolls": "2", "night-tolls": "8"}, "8")
    assert keys["tolls.market"] == ({"fair-tolls": "6", "night-tolls": None}, None)


def test_a_build_that_vanished_takes_no_verdict(world: World) -> None:
    Mod.objects.filter(slug="reed-pipes").delete()
    says = {"do": "verdict", "mod": "reed-pipes", "version": "0.7", "works": True}
    assert edit(world, says)[1]["code"] == "no-such-mod"
