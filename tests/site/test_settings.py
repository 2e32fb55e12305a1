"""The place of settings: found by what is said of them, set alone and many at once, in sets, as text; undone by key."""

from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest

from convoy_core.lock.recipe import read_recipe
from convoy_core.words.model import Side
from convoy_site.catalogue.models import Reading, SettingsText
from convoy_site.installations.models import Installation
from convoy_site.packs import outlook
from convoy_site.packs.models import Pack

from .conftest import World, set_edit
from .test_checking import pack_of, read_all_files
from .test_in_step import ABOUT
from .test_releases import publish

LANTERNS, ALMANAC = "mods/night-lanterns/settings.toml", "mods/heron-almanac/settings.toml"


@pytest.fixture
def lit(world: World, sources: Path) -> World:
    """A draft with two mods whose files were read."""
    edit(world, {"do": "add many", "mods": ["night-lanterns", "heron-almanac"]})
    read_all_files(world, sources)
    return world


def edit(world: World, *edits: dict[str, Any], who: str = "owner", code: int = 200) -> Any:
    got, said = world.as_(who).post(f"{world.at}/draft/edits", {"revision": world.revision(), "edits": list(edits)})
    assert got == code, said
    return said


def found(world: World, **asked: str) -> dict[str, Any]:
    words = "&".join(f"{name}={value}" for name, value in asked.items())
    got, said = world.as_("owner").get(f"{world.at}/settings?{words}")
    assert got == 200, said
    return said


def keys(told: dict[str, Any]) -> list[str]:
    return [".".join(row["key"]) for row in told["rows"]]


def test_a_key_is_found_by_what_is_said_of_it_and_comes_with_what_is_known(lit: World) -> None:
    told = found(lit, words="foggy morning")
    assert keys(told) == ["fog.chance"] and told["total"] == 1
    (row,) = told["rows"]
    assert (row["kind"], row["said_by"], row["default"], row["value"]) == ("number", "comment", "0.35", 0.35)
    assert (row["lowest"], row["highest"], row["description"]) == (0.0, 1.0, "How often a morning is foggy.")
    assert keys(found(lit, words="0.35")) == ["fog.chance"]
    assert keys(found(lit, words="storms one of", mod="heron-almanac")) == []
    (moored,) = found(lit, words="moored barges")["rows"]
    assert (moored["kind"], moored["allowed"]) == ("choice", ["nothing", "tug", "break loose"])
    assert "bow.colour" in keys(found(lit, words="colour lantern")) and not found(lit)["unread"]
    names = [one["name"] for one in found(lit)["mods"]]
    assert names == sorted(names) and {"Night Lanterns", "Heron Almanac"} <= {*names}


def test_many_keys_at_once_by_whom_and_why_and_taken_back_alone(lit: World) -> None:
    many = [
        {"path": ALMANAC, "key": ["fog", name], "value": value} for name, value in (("chance", 0.9), ("density", 0.2))
    ]
    edit(lit, {"do": "set", "settings": many, "how": "enforced", "because": "a foggy spring"})
    one = {"path": ALMANAC, "key": ["fog", "chance"], "text": "0.5"}
    said = edit(lit, {"do": "set", "settings": [one]}, who="curator")
    assert said["sentence"] == "the pack sets fog.chance"
    rows = {row["key"][1]: row["to"] for row in found(lit, words="fog", only="enforced")["rows"]}
    assert (rows["chance"]["value"], rows["chance"]["because"], rows["chance"]["how"]) == (
        0.5,
        "a foggy spring",
        "enforced",
    )
    assert {rows["chance"]["by"], rows["density"]["by"]} == {lit.users["curator"].shown, lit.users["owner"].shown}
    # The curator's edit alone is taken back; what the first one set beside it stays.
    edit(lit, {"do": "take back", "revision": lit.revision()}, who="curator")
    assert {row["to"]["value"] for row in found(lit, only="enforced")["rows"]} == {0.9, 0.2}
    edit(lit, {"do": "reset", "settings": many[:1]})
    assert keys(found(lit, only="set by the pack")) == ["fog.density"]
    edit(lit, {"do": "reset", "everything": True})
    assert keys(found(lit, only="set by the pack")) == []
    edit(lit, {"do": "reset", "everything": True}, code=409)


def test_two_at_once_set_different_keys_and_neither_is_lost(lit: World) -> None:
    stale = lit.revision()
    for name, code in (("chance", 200), ("density", 200), ("chance", 409)):
        one = {"do": "set", "settings": [{"path": ALMANAC, "key": ["fog", name], "value": 0.1}]}
        assert lit.as_("owner").post(f"{lit.at}/draft/edits", {"revision": stale, "edits": [one]})[0] == code
    assert keys(found(lit, only="set by the pack")) == ["fog.chance", "fog.density"]
    # Nor is what somebody set taken away with the rest by one who has not seen it.
    for reset in ({"everything": True}, {"paths": [ALMANAC]}):
        gone = {"revision": stale, "edits": [{"do": "reset", **reset}]}
        assert lit.as_("owner").post(f"{lit.at}/draft/edits", gone)[0] == 409
    other = {"revision": stale, "edits": [{"do": "reset", "paths": [LANTERNS]}]}
    assert lit.as_("owner").post(f"{lit.at}/draft/edits", other)[1]["code"] == "already"


def test_sets_go_on_and_off_as_one_and_are_published_when_on(lit: World) -> None:
    gentle = {"path": ALMANAC, "key": ["storms", "allowed"], "value": False}
    edit(
        lit,
        {"do": "keep set", "id": "gentle", "name": "Gentle weather"},
        {"do": "set", "settings": [gentle], "set": "gentle"},
    )
    edit(lit, {"do": "keep set", "id": "gentle", "on": False})
    told = found(lit, set="gentle")
    assert (keys(told), told["rows"][0]["to"]["holds"]) == (["storms.allowed"], False)
    assert told["sets"] == [{"id": "gentle", "name": "Gentle weather", "on": False, "offered": False, "keys": 1}]
    publish(lit, "3.0.0")
    assert (_tweaks(lit, "3.0.0"), _holding(lit)) == ([], (0, 0))
    edit(lit, {"do": "keep set", "id": "gentle", "on": True})
    assert _holding(lit) == (1, 0)
    publish(lit, "3.1.0")
    assert _tweaks(lit, "3.1.0") == [{**gentle, "how": "starting value"}]
    edit(lit, {"do": "drop set", "id": "gentle", "keep_settings": True})
    assert found(lit, only="set by the pack")["rows"][0]["to"]["set"] == ""
    edit(lit, {"do": "set", "settings": [gentle], "set": "gone"}, code=422)


def _holding(world: World) -> tuple[int, int]:
    draft = world.as_("owner").get(f"{world.at}/draft")[1]
    return draft["holding"], draft["enforced"]


def _tweaks(world: World, number: str) -> list[dict[str, Any]]:
    pack = Pack.objects.get(pk=world.pack.pk)
    document = bytes(pack.releases.get(number=number).document)
    return [one.as_data() for one in read_recipe(document).lock.terms.tweaks]


def test_a_setting_for_one_side_goes_there_alone(lit: World) -> None:
    edit(lit, set_edit({"path": ALMANAC, "key": ["fog", "chance"], "value": 0.9, "how": "enforced", "side": "server"}))
    publish(lit, "3.0.0")
    recipe = read_recipe(bytes(Pack.objects.get(pk=lit.pack.pk).releases.get(number="3.0.0").document))
    assert b'"format":"convoy-recipe/3"' in recipe.as_bytes()
    assert not recipe.lock.share(Side.PLAYER).terms.tweaks and recipe.lock.share(Side.SERVER).terms.tweaks


def test_a_file_as_text_becomes_settings_key_by_key(lit: World) -> None:
    at = f"{lit.at}/settings/text"
    edit(lit, set_edit({"path": ALMANAC, "key": ["fog", "chance"], "value": 0.9, "how": "enforced"}))
    got, told = lit.as_("member").get(f"{at}?path={ALMANAC}")
    assert got == 200 and "chance = 0.9\n" in told["text"] and "# How often a morning is foggy." in told["text"]
    (place,) = [one for one in told["places"] if one["key"] == ["fog", "chance"]]
    assert told["text"][place["start"] : place["end"]] == "0.9"
    typed = told["text"].replace("chance = 0.9", "chance = 0.35").replace("density = 0.7", "density = 0.1")
    got, said = lit.as_("owner").post(at, {"path": ALMANAC, "text": typed})
    assert [one["key"] for one in said["resets"]] == [["fog", "chance"]] and not said["is_more"]
    assert [(one["key"], one["value"]) for one in said["sets"]] == [(["fog", "density"], 0.1)]
    said = lit.as_("owner").post(
        at, {"path": ALMANAC, "text": "# mine\n" + told["text"].replace("lifts_at = 22\n", "")}
    )[1]
    assert said["is_more"] and said["dropped"] == ["fog.lifts_at"] and not said["sets"]
    assert lit.as_("owner").post(at, {"path": ALMANAC, "text": "a = = 1"})[0] == 422
    # What somebody else sets while one types is not taken back by it.
    edit(lit, set_edit({"path": ALMANAC, "key": ["fog", "lifts_at"], "value": 3, "how": "enforced"}), who="curator")
    typed = {"path": ALMANAC, "text": told["text"].replace("density = 0.7", "density = 0.1"), "before": told["text"]}
    assert [one["key"][1] for one in lit.as_("owner").post(at, typed)[1]["sets"]] == ["density"]
    assert lit.as_("owner").get(f"{at}?path=../x.toml")[0] == 404
    SettingsText.objects.all().delete()
    assert lit.as_("owner").get(f"{at}?path={ALMANAC}")[1]["code"] == "no-such-text"


def test_what_a_machine_has_otherwise_is_seen_where_its_member_lets_it(lit: World) -> None:
    row = {"path": ALMANAC, "key": ["fog", "chance"], "mine": 0.1, "was": 0.35}
    at = f"/api/installations/{lit.installation.pk}"
    publish(lit, "3.0.0")

    def report(**more: Any) -> int:
        told = {"release": "1.0.0", "deviations": {}, "about": {**ABOUT, "settings": [row], **more}}
        return lit.agent().post("/api/agent/report", told)[0]

    # Nobody allowed it: what an agent tells all the same is not kept.
    assert report() == 200 and lit.as_("owner").get(f"{lit.at}/settings/machines")[1] == []
    assert lit.as_("member").post(f"{at}/choices", {"tells_settings": True})[0] == 200
    assert lit.agent().get("/api/agent/head")[1]["tells_settings"] is True
    assert report() == 200 and report(settings=[{**row, "mine": "x" * 500}]) == 422
    (told,) = lit.as_("owner").get(f"{lit.at}/settings/machines")[1]
    assert (told["own"], told["rows"]) == (False, [{**row, "text": None}])
    assert keys(found(lit, only="players set otherwise")) == ["fog.chance"]
    (mine,) = [one for one in lit.as_("member").get(at)[1]["settings"] if one["key"] == ["fog", "chance"]]
    assert (mine["mine"], mine["was"], mine["pack"]) == ("0.1", "0.35", "")
    assert lit.as_("member").get(f"{lit.at}/settings/machines")[0] == 403
    assert lit.as_("member").post(f"{at}/choices", {"tells_settings": False})[0] == 200
    assert lit.as_("owner").get(f"{lit.at}/settings/machines")[1] == []


def test_what_is_new_and_what_cannot_be_is_told(lit: World, sources: Path) -> None:
    edit(lit, {"do": "take", "mod": "night-lanterns", "version": "1.4.0"})
    read_all_files(lit, sources)
    publish(lit, "3.0.0")
    edit(lit, set_edit({"path": LANTERNS, "key": ["stern", "visible_from"], "value": 90, "how": "enforced"}))
    assert ("night-lanterns", "1.5.0") in [(one.mod.slug, one.version) for one in outlook.newer_builds(pack_of(lit))]
    told = lit.as_("owner").get(f"{lit.at}/draft/updates")[1]["moves"]
    (lanterns,) = [one["settings"] for one in told if one["mod"] == "night-lanterns"]
    assert [(one["what"], one["key"][-1], one["now"][-1:], one["is_set"]) for one in lanterns] == [
        ("renamed", "visible_from", ["reach"], True), ("new", "reflection", [], False), ("new", "by_itself", [], False)
    ]  # fmt: skip
    edit(lit, {"do": "update", "mods": ["night-lanterns"]}, {"do": "reset", "everything": True})
    read_all_files(lit, sources)
    assert keys(found(lit, only="new since the last release")) == ["reflection", "bow.by_itself", "stern.reach"]
    edit(lit, set_edit({"path": LANTERNS, "key": ["strength"], "value": 12, "how": "enforced"}))
    (row,) = found(lit, only="value not allowed")["rows"]
    assert row["to"]["wrong"] == "it must be at most 10"
    (said,) = [one for one in lit.as_("owner").get(f"{lit.at}/findings")[1]["findings"] if one["check"] == "tweak"]
    assert "it must be at most 10" in said["what"]


def test_a_key_may_be_in_several_sets_and_the_later_holds(lit: World) -> None:
    place = {"path": ALMANAC, "key": ["fog", "chance"]}

    def row(**asked: str) -> dict[str, Any]:
        (one,) = found(lit, words="foggy", **asked)["rows"]
        to = one["to"]
        return {name: to[name] for name in ("value", "set", "also", "holds", "in_hand")} if to else {}

    edit(lit, *({"do": "keep set", "id": one, "name": one} for one in ("gentle", "wild")))
    for value, of_set in ((0.4, ""), (0.1, "gentle"), (0.9, "wild")):
        edit(lit, {"do": "set", "settings": [{**place, "value": value}], "set": of_set})
    assert row() == {"value": 0.9, "set": "wild", "also": ["gentle"], "holds": True, "in_hand": True}
    assert row(set="gentle") == {"value": 0.1, "set": "gentle", "also": ["wild"], "holds": False, "in_hand": True}
    publish(lit, "3.0.0")
    assert _tweaks(lit, "3.0.0") == [{**place, "value": 0.9, "how": "starting value"}]
    # What is not said of a set is changed in the one that holds; taken back, it alone is as it was.
    edit(lit, {"do": "set", "settings": [{**place, "value": 0.8}], "how": "advice"})
    assert row()["value"] == 0.8 and row(set="gentle")["value"] == 0.1
    edit(lit, {"do": "take back", "revision": lit.revision()})
    edit(lit, {"do": "keep set", "id": "wild", "on": False})
    assert (row()["value"], row()["set"]) == (0.1, "gentle")
    edit(lit, {"do": "reset", "settings": [place], "set": "gentle"})
    assert (row()["value"], row()["set"], row()["also"]) == (0.4, "", ["wild"])
    edit(lit, {"do": "set", "settings": [{**place, "value": 0.4}], "set": "wild", "out_of": ""})
    assert (row()["set"], row()["holds"]) == ("wild", False)
    edit(lit, {"do": "reset", "settings": [place]})
    assert row() == {} and {one["keys"] for one in found(lit)["sets"]} == {0}


OWN = "config/display.toml"


def test_a_set_may_be_each_members_choice_where_nothing_in_it_is_enforced(lit: World) -> None:
    gentle = {"path": ALMANAC, "key": ["storms", "allowed"], "value": False}
    edit(lit, {"do": "keep set", "id": "gentle", "name": "Gentle weather", "offered": True})
    edit(lit, {"do": "set", "settings": [gentle], "set": "gentle", "how": "enforced"}, code=422)
    edit(lit, {"do": "set", "settings": [gentle], "set": "gentle"})
    publish(lit, "3.0.0")
    recipe = read_recipe(bytes(Pack.objects.get(pk=lit.pack.pk).releases.get(number="3.0.0").document))
    assert b'"format":"convoy-recipe/3"' in recipe.as_bytes() and not recipe.lock.terms.tweaks
    assert [one.key for one in recipe.lock.with_sets(["gentle"]).terms.tweaks] == [("storms", "allowed")]
    at = f"/api/installations/{lit.installation.pk}"
    assert lit.as_("member").get(at)[1]["offered"] == [
        {"id": "gentle", "name": "Gentle weather", "taken": False, "settings": ["storms.allowed = false"]}
    ]
    place = {"path": ALMANAC, "key": ["fog", "chance"]}
    assert lit.as_("member").post(f"{at}/choices", {"setting_sets": ["gentle"], "pinned": [place]})[0] == 200
    head = lit.agent().get("/api/agent/head")[1]
    assert (head["sets"], head["pinned"]) == (["gentle"], [[ALMANAC, ["fog", "chance"]]])
    rows = {row["key"][1]: row for row in lit.as_("member").get(at)[1]["settings"]}
    assert (rows["allowed"]["pack"], rows["chance"]["pinned"]) == ("false", True)
    edit(lit, {"do": "keep set", "id": "gentle", "offered": False})
    edit(lit, {"do": "set", "settings": [gentle], "how": "enforced"})
    assert edit(lit, {"do": "keep set", "id": "gentle", "offered": True}, code=422)["code"] == "not-offered"


def test_what_is_wrong_in_a_set_to_choose_is_found_and_what_the_pack_sets_no_more_stays_in_it(lit: World) -> None:
    place = {"path": ALMANAC, "key": ["fog", "chance"]}
    edit(lit, {"do": "keep set", "id": "wild", "name": "Wild", "offered": True})
    edit(lit, {"do": "set", "settings": [{**place, "value": 7}], "set": "wild"})
    edit(lit, {"do": "set", "settings": [{**place, "value": 0.5}], "set": ""})
    (said,) = [one for one in lit.as_("owner").get(f"{lit.at}/findings")[1]["findings"] if one["check"] == "tweak"]
    assert said["what"].startswith("The set “Wild” sets fog.chance") and "at most 1" in said["what"]
    edit(lit, {"do": "reset", "settings": [place]})
    assert [row["to"]["set"] for row in found(lit, words="foggy")["rows"]] == ["wild"]
    (way,) = lit.as_("owner").get(f"{lit.at}/finding?finding={quote(said['id'])}")[1]["ways"]
    edit(lit, *way["edits"])
    assert found(lit, words="foggy")["rows"][0]["to"] is None


def test_what_the_game_wrote_on_a_machine_is_known_and_single_keys_of_it_are_set(lit: World) -> None:
    sha256 = "a" * 64
    asked = {"path": OWN, "member": "", "sha256": sha256}
    edit(lit, set_edit({"path": OWN, "key": ["frames"], "value": 90}))
    (said,) = [one for one in lit.as_("owner").get(f"{lit.at}/findings")[1]["findings"] if one["check"] == "tweak"]
    assert "as soon as the game" in said["why"]

    def report() -> Any:
        told = {"release": "1.0.0", "deviations": {}, "about": {**ABOUT, "written": {OWN: sha256}}}
        assert lit.agent().post("/api/agent/report", told)[0] == 200
        return lit.agent().get("/api/agent/readings")[1]

    keys_told = [[["frames"], 72, "Frames a second. Default: 60", ""], [["fullscreen"], True]]
    file = {"sha256": sha256, "keys": keys_told, "trouble": ""}
    assert all(one["archive_sha256"] for one in report())  # Nobody allowed it.
    assert lit.agent().post("/api/agent/readings", {"files": [file]})[1] == {"taken": 0}
    lit.as_("member").post(f"/api/installations/{lit.installation.pk}/choices", {"tells_settings": True})
    assert {"archive_sha256": "", "files": [asked]} in report()
    other = {**file, "sha256": "b" * 64}
    assert lit.agent().post("/api/agent/readings", {"files": [file, other]})[1] == {"taken": 1}
    told = found(lit, words="frames a second")
    (row,) = told["rows"]
    assert (row["mod"], row["value"], row["to"]["value"], row["description"]) == ("", 72, 90, "Frames a second.")
    # It was tuned in the game, as the comment above says: then it is there to be taken over.
    (machine,) = lit.as_("owner").get(f"{lit.at}/settings/machines")[1]
    assert machine["rows"] == [{"path": OWN, "key": ["frames"], "mine": 72, "was": "60", "text": None}]
    assert not told["lone"] and [one["name"] for one in told["mods"]] == ["Written by the game itself"]
    assert not [one for one in lit.as_("owner").get(f"{lit.at}/findings")[1]["findings"] if one["check"] == "tweak"]
    edit(lit, set_edit({"path": OWN, "key": ["frame"], "value": 90}))
    (said,) = [one for one in lit.as_("owner").get(f"{lit.at}/findings")[1]["findings"] if one["check"] == "tweak"]
    assert "the file has no such key" in said["what"]
    assert lit.as_("owner").get(f"{lit.at}/settings/text?path={OWN}")[1]["code"] == "no-such-text"
    # The game writes it anew: what it said before is not kept; and nothing is, once that is not wished any more.
    kept = Reading.objects.filter(by=lit.users["member"])
    assert [one.sha256 for one in kept] == [sha256]
    sha256 = "c" * 64
    assert {"archive_sha256": "", "files": [{**asked, "sha256": sha256}]} in report() and not kept.all()
    lit.agent().post("/api/agent/readings", {"files": [{**file, "sha256": sha256}]})
    assert kept.count() == 1
    Installation.objects.create(pack=lit.pack, member=lit.users["member"], about={"written": {OWN: sha256}}).delete()
    assert not kept.all()
    lit.agent().post("/api/agent/readings", {"files": [{**file, "sha256": sha256}]})
    lit.as_("member").post(f"/api/installations/{lit.installation.pk}/choices", {"tells_settings": False})
    assert found(lit, words="frames a second")["total"] == 0 and not kept.all()


def test_numbers_that_a_browser_has_no_place_for_are_shown_and_given_back_exactly(lit: World) -> None:
    """A seed of a world, and what no program counts up to."""
    seed, sha256 = 2**63 - 1, "d" * 64
    odd = {"n0": ["int", str(2**70)], "n1": ["float", "nan"], "n2": ["float", "1e+30"]}
    rows = [
        [["seed"], seed, "Default: 1. Range: 0 to 1e999", ""],
        *([[name], {"": one}] for name, one in odd.items()),
    ]
    Installation.objects.filter(pk=lit.installation.pk).update(tells_settings=True, about={"written": {OWN: sha256}})
    assert lit.agent().post("/api/agent/readings", {"files": [{"sha256": sha256, "keys": rows}]})[1] == {"taken": 1}
    shown = {row["key"][0]: row for row in found(lit, words=OWN)["rows"]}
    assert [shown[name]["value"] for name in ("seed", "n0", "n1", "n2")] == [str(seed), str(2**70), "nan", "1e+30"]
    assert (shown["seed"]["kind"], shown["seed"]["lowest"], shown["seed"]["highest"]) == ("whole number", 0, None)
    (row,) = lit.as_("owner").get(f"{lit.at}/settings/machines")[1][0]["rows"]
    assert (row["mine"], row["text"]) == (str(seed), str(seed))
    edit(lit, set_edit({"path": OWN, "key": ["seed"], "text": row["text"]}))
    assert lit.as_("owner").get(f"{lit.at}/draft")[1]["tweaks"][0]["value"] == str(seed)
    publish(lit, "3.0.0")
    assert _tweaks(lit, "3.0.0")[0]["value"] == seed
    for typed in (str(2**64), "NaN", "[1e999]"):
        edit(lit, set_edit({"path": OWN, "key": ["seed"], "text": typed}), code=422)


def test_what_the_server_has_otherwise_is_told_to_those_who_play(lit: World) -> None:
    row = {"path": ALMANAC, "key": ["fog", "chance"], "mine": 0.1, "was": 0.35}
    Installation.objects.create(
        pack=lit.pack, member=lit.users["owner"], name="the barge", side="server", tells_settings=True,
        about={"settings": [row]},
    )  # fmt: skip
    (told,) = lit.as_("member").get(f"/api/installations/{lit.installation.pk}")[1]["settings"]
    assert (told["server"], told["mine"]) == ("0.1", "")
