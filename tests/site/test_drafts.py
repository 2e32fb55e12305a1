"""The draft: what comes in, what leaves, what two curators at once see, and what a base change does."""

import threading
from typing import Any

import pytest
from django.db import connection

from convoy_site.packs.models import Draft, Edit, Pack
from convoy_site.packs.services import Stale, edit_draft
from convoy_site.packs.shapes.edits import AddMod
from convoy_site.people.models import User
from convoy_site.people.services import start_crew

from .conftest import World, new_pack, set_edit, start_pack


def edit(world: World, *edits: dict[str, Any], who: str = "owner", revision: int | None = None, **how: bool):
    body = {"revision": world.revision() if revision is None else revision, "edits": list(edits), **how}
    return world.as_(who).post(f"{world.at}/draft/edits", body)


def lines(world: World) -> dict[str, dict[str, Any]]:
    return {line["mod"]: line for line in world.as_("owner").get(f"{world.at}/draft")[1]["lines"]}


def test_an_answer_brings_the_draft_as_it_is_then_and_only_where_the_edit_was_kept(world: World) -> None:
    status, told = edit(world, {"do": "add", "mod": "market-bells"}, with_draft=True)
    assert status == 200, told
    assert told["draft"] == world.as_("owner").get(f"{world.at}/draft")[1]
    assert told["draft"]["revision"] == told["revision"]
    _, told = edit(world, {"do": "remove", "mod": "market-bells"}, with_draft=True, rehearse=True)
    assert (told["kept"], told["draft"]) == (False, None)
    assert edit(world, {"do": "remove", "mod": "market-bells"})[1]["draft"] is None


def test_what_a_mod_needs_comes_in_with_it_and_leaves_again(world: World) -> None:
    _, told = edit(world, {"do": "add", "mod": "barge-berths"})
    assert [(one["what"], one["mod"], one["chosen"]) for one in told["changes"]] == [("added", "barge-berths", True)]
    assert lines(world)["rivet"]["group"] == "brought in"
    _, told = edit(world, {"do": "add", "mod": "market-bells"})
    assert [one["mod"] for one in told["changes"]] == ["market-bells", "signal-flags"]
    assert lines(world)["signal-flags"]["needed_by"] == ["market-bells"]
    _, told = edit(world, {"do": "remove", "mod": "market-bells"})
    assert {one["mod"]: one["what"] for one in told["changes"]} == {
        "market-bells": "removed",
        "signal-flags": "removed",
    }


def test_a_renamed_mod_stands_in_for_the_old_one(world: World) -> None:
    edit(world, {"do": "add", "mod": "barge-berths"})
    assert "ledger-api" not in lines(world)
    assert lines(world)["lock-ledger"]["needed_by"] == ["barge-berths"]


REFUSED = [
    ({"do": "add", "mod": "sluice-books"}, 422, "does-not-fit", "made for Capstan, not Bosun"),
    ({"do": "add", "mod": "false-bottom"}, 422, "does-not-fit", "cannot come in"),
    ({"do": "add", "mod": "no-such-mod"}, 422, "no-such-mod", "No source has"),
    ({"do": "add", "mod": "lock-ledger"}, 409, "already", "in the draft already"),
    ({"do": "remove", "mod": "weir-core"}, 422, "no-such-line", "brought in by what needs it"),
    ({"do": "remove", "mod": "quiet-deck"}, 422, "no-such-line", "not in the draft"),
    ({"do": "hold", "mod": "lock-ledger", "version": "9.9"}, 422, "no-such-mod", "no build 9.9"),
    ({"do": "base", "game_version": "9.9"}, 422, "no-such-base", "no version 9.9"),
    (
        {"do": "base", "game_version": "2.1.0", "loader": "bosun", "loader_version": "4.8.2"},
        422,
        "no-such-base",
        "run on",
    ),
]


@pytest.mark.parametrize(("asked", "status", "code", "says"), REFUSED)
def test_what_cannot_be_is_refused_and_changes_nothing(
    world: World, asked: dict[str, Any], status: int, code: str, says: str
) -> None:
    before = world.as_("owner").get(f"{world.at}/draft")
    got, told = edit(world, asked)
    assert (got, told["code"]) == (status, code)
    assert says in f"{told['what']} {told['why']} {told['now']}"
    assert world.as_("owner").get(f"{world.at}/draft") == before


def test_what_breaks_a_build_takes_it_back_or_is_refused_where_it_is_held(world: World) -> None:
    _, told = edit(world, {"do": "add", "mod": "old-sluice"})
    assert {one["mod"]: (one["before"], one["after"]) for one in told["changes"]} == {
        "old-sluice": ("", "0.9"),
        "lock-ledger": ("3.4.1", "3.3.0"),
    }
    edit(world, {"do": "remove", "mod": "old-sluice"}, {"do": "hold", "mod": "lock-ledger", "version": "3.4.1"})
    status, told = edit(world, {"do": "add", "mod": "old-sluice"})
    assert (status, told["code"]) == (422, "does-not-fit")
    assert "Old Sluice 0.9 does not go together with Lock Ledger 3.4.1, held by you." in told["why"]


def test_a_hold_keeps_its_version_and_its_reason(world: World) -> None:
    edit(world, {"do": "hold", "mod": "heron-almanac", "version": "2.0.2", "because": "our world"})
    edit(world, {"do": "update", "mods": []})
    line = lines(world)["heron-almanac"]
    assert (line["version"], line["held"], line["held_because"], line["newer"]) == ("2.0.2", True, "our world", "2.1.0")
    edit(world, {"do": "hold", "mod": "heron-almanac", "version": ""})
    assert lines(world)["heron-almanac"]["version"] == "2.1.0"


def test_an_update_takes_only_what_is_named(world: World) -> None:
    edit(
        world,
        {"do": "hold", "mod": "heron-almanac", "version": "2.0.2"},
        {"do": "hold", "mod": "weir-core", "version": "1.3.0"},
    )
    Draft.objects.get(pack=world.pack).lines.update(held_version="")
    edit(world, {"do": "switch", "mod": "lock-ledger", "on": True})
    assert lines(world)["weir-core"]["version"] == "1.3.0"
    _, told = edit(world, {"do": "update", "mods": ["heron-almanac"]})
    assert [(one["mod"], one["after"]) for one in told["changes"] if one["what"] == "updated"] == [
        ("heron-almanac", "2.1.0")
    ]
    assert lines(world)["weir-core"]["version"] == "1.3.0"
    edit(world, {"do": "update", "mods": []})
    assert lines(world)["weir-core"]["version"] == "1.4.1"


def test_a_base_change_says_what_fits_and_loses_nothing(world: World) -> None:
    edit(world, {"do": "add", "mod": "tarred-planks"})
    before = lines(world)
    other = {"do": "base", "game_version": "2.1.0", "loader": "capstan", "loader_version": "0.14.0"}
    status, rehearsed = edit(world, other, rehearse=True)
    assert status == 200 and lines(world) == before
    unfit = {one["name"]: one["why"] for one in rehearsed["unsettled"]}
    assert set(unfit) == {"Lock Ledger", "Heron Almanac"}
    assert "Capstan" in unfit["Lock Ledger"]
    _, told = edit(world, other)
    assert told["unsettled"] == rehearsed["unsettled"] and told["changes"] == rehearsed["changes"]
    after = lines(world)
    assert {mod: after[mod]["state"] for mod in ("lock-ledger", "heron-almanac", "tarred-planks")} == {
        "lock-ledger": "unsettled", "heron-almanac": "unsettled", "tarred-planks": "settled"}  # fmt: skip
    status, refused = world.as_("owner").post(f"{world.at}/releases", {"revision": world.revision(), "number": "1.1.0"})
    assert (status, refused["code"]) == (409, "blocked")
    back = {"do": "base", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    _, told = edit(world, back)
    assert set(told["settled_again"]) == {"lock-ledger", "heron-almanac"}
    assert {mod: line["version"] for mod, line in lines(world).items()} == {
        mod: one["version"] for mod, one in before.items()
    }


def test_the_later_curator_sees_what_changed_and_both_edits_live(world: World) -> None:
    seen = world.revision()
    edit(world, {"do": "add", "mod": "quiet-deck"}, who="curator")
    status, told = edit(world, {"do": "add", "mod": "moon-tables"}, revision=seen)
    assert status == 200
    assert told["meanwhile"] == ["curator: Quiet Deck added"]
    assert {"quiet-deck", "moon-tables"} <= set(lines(world))


def test_two_edits_of_one_line_are_not_merged(world: World) -> None:
    seen = world.revision()
    edit(world, {"do": "hold", "mod": "heron-almanac", "version": "2.0.2"}, who="curator")
    for late in ({"do": "remove", "mod": "heron-almanac"}, {"do": "update", "mods": []}):
        status, told = edit(world, late, revision=seen)
        assert (status, told["code"]) == (409, "stale")
        assert told["data"]["meanwhile"] == ["curator: Heron Almanac held at 2.0.2"]
    assert lines(world)["heron-almanac"]["version"] == "2.0.2"


@pytest.mark.django_db(transaction=True)
def test_two_curators_in_the_same_moment(world: World) -> None:
    """Ten edits from two threads against one revision: all of them live, one after the other."""
    mods = ["quiet-deck", "moon-tables", "fog-over-fen", "tarred-planks", "amber-hours",
            "harbour-clerk", "cargo-scales", "second-keel", "market-bells", "night-lanterns"]  # fmt: skip
    refused: list[Stale] = []

    def work(user: User, own: list[str]) -> None:
        try:
            for mod in own:
                edit_draft(user, world.pack.id, 1, [AddMod(do="add", mod=mod)])
        except Stale as error:
            refused.append(error)
        finally:
            connection.close()

    threads = [
        threading.Thread(target=work, args=(world.users[who], mods[part::2]))
        for part, who in enumerate(("owner", "curator"))
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert refused == []
    assert set(mods) <= set(lines(world))
    assert sorted(Edit.objects.values_list("revision", flat=True)) == list(range(1, 12))


def test_a_name_is_taken_whatever_its_case(world: World) -> None:
    body = {"crew": str(world.crew.id), "game": "tillerway", "name": "NIGHT freight", "game_version": "2.1.0"}
    status, told = world.as_("owner").post("/api/packs", body)
    assert (status, told["code"], told["data"]["field"]) == (409, "name-taken", "name")
    other = start_pack(world.users["owner"], new_pack(world.crew, "Slow Water"))
    assert world.as_("owner").send("PATCH", f"/api/packs/{other.id}", {"name": "Night Freight"})[0] == 409
    assert Pack.objects.get(pk=other.pk).name == "Slow Water"


def test_pages_cost_a_fixed_number_of_queries(world: World, django_assert_max_num_queries: Any) -> None:
    everything = [
        "quiet-deck",
        "moon-tables",
        "fog-over-fen",
        "tarred-planks",
        "amber-hours",
        "cargo-scales",
        "second-keel",
    ]
    for mod in everything:
        edit(world, {"do": "add", "mod": mod})
    owner = world.as_("owner")
    for path, most in (
        ("draft", 12),
        ("findings", 33),
        ("overlap", 30),
        ("catalogue?fitting_only=false", 15),
        ("line", 16),
        ("roll-call", 10),
        # What the line made of the draft is kept.
        ("pending", 9),
    ):
        with django_assert_max_num_queries(most):
            assert owner.get(f"{world.at}/{path}")[0] == 200
    with django_assert_max_num_queries(8):
        owner.get("/api/packs")


def test_every_edit_can_be_taken_back_and_done_again_by_anybody(world: World) -> None:
    start = lines(world)
    edit(world, {"do": "remove", "mod": "lock-ledger"})
    removed, at = lines(world), world.revision()
    assert "lock-ledger" not in removed
    _, told = edit(world, {"do": "take back", "revision": at}, who="curator")
    assert told["sentence"] == "taken back: Lock Ledger removed"
    assert lines(world) == start
    _, told = edit(world, {"do": "take back", "revision": at + 1})
    assert told["sentence"] == "done again: Lock Ledger removed"
    assert lines(world) == removed
    _, listed = world.as_("owner").get(f"{world.at}/draft/edits?since={at - 1}")
    assert [(one["revision"] - at, one["taken_back"], one["mine"]) for one in listed] == [
        (2, False, True),
        (1, True, False),
        (0, False, True),
    ]


def test_an_update_taken_back_gives_the_old_builds_again(world: World) -> None:
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0", "because": "a test"})
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": ""})
    assert lines(world)["lock-ledger"]["version"] == "3.4.1"
    edit(world, {"do": "take back", "revision": world.revision()})
    line = lines(world)["lock-ledger"]
    assert (line["version"], line["held"], line["held_because"]) == ("3.3.0", True, "a test")


def test_what_others_changed_since_is_not_trampled(world: World) -> None:
    edit(world, {"do": "describe", "mod": "lock-ledger", "note": "ours", "tags": ["books", " ", "books"]})
    at = world.revision()
    edit(world, {"do": "describe", "mod": "heron-almanac", "optional": True, "advice": "nice to have"}, who="curator")
    edit(world, {"do": "describe", "mod": "lock-ledger", "note": "theirs"}, who="curator")
    status, told = edit(world, {"do": "take back", "revision": at})
    assert (status, told["code"]) == (409, "changed-since")
    edit(world, {"do": "take back", "revision": world.revision()})
    edit(world, {"do": "take back", "revision": at})
    shown = lines(world)
    assert (shown["lock-ledger"]["note"], shown["lock-ledger"]["tags"]) == ("", [])
    assert (shown["heron-almanac"]["optional"], shown["heron-almanac"]["advice"]) == (True, "nice to have")
    assert edit(world, {"do": "take back", "revision": 999})[0] == 422


def test_taking_back_a_move_leaves_what_others_said_of_the_lines_since(world: World) -> None:
    before = {mod: one["order"] for mod, one in lines(world).items()}
    edit(world, {"do": "move", "mods": ["lock-ledger"]})
    at = world.revision()
    edit(world, {"do": "describe", "mod": "lock-ledger", "note": "theirs"}, who="curator")
    assert edit(world, {"do": "take back", "revision": at})[0] == 200
    assert {mod: one["order"] for mod, one in lines(world).items()} == before
    assert lines(world)["lock-ledger"]["note"] == "theirs"


def test_lines_move_and_the_order_is_kept(world: World) -> None:
    edit(world, {"do": "add many", "mods": ["signal-flags", "quiet-deck", "market-bells"]})
    edit(world, {"do": "move", "mods": ["market-bells", "quiet-deck"], "before": "lock-ledger"})
    order = sorted((one["order"], mod) for mod, one in lines(world).items() if one["group"] == "chosen")
    names = [mod for _, mod in order]
    assert names == ["quiet-deck", "market-bells", "lock-ledger", "heron-almanac", "signal-flags"]
    edit(world, {"do": "move", "mods": ["quiet-deck"]})
    assert max(lines(world).values(), key=lambda one: one["order"])["mod"] == "quiet-deck"


def test_switching_off_keeps_what_the_line_needs(world: World) -> None:
    edit(world, {"do": "add", "mod": "market-bells"})
    _, told = edit(world, {"do": "switch", "mod": "market-bells", "on": False})
    assert [one["mod"] for one in told["changes"]] == ["market-bells"]
    assert lines(world)["signal-flags"]["state"] == "settled"
    edit(world, {"do": "remove", "mod": "market-bells"})
    assert "signal-flags" not in lines(world)


def test_a_line_without_a_build_offers_ways_out_that_work(world: World) -> None:
    edit(world, {"do": "remove", "mod": "lock-ledger"})
    edit(world, {"do": "add", "mod": "old-sluice"}, {"do": "hold", "mod": "old-sluice", "version": "0.9"})
    world.pack.draft.lines.create(mod="lock-ledger", held_version="3.4.1", order=90)
    _, told = edit(world, {"do": "describe", "mod": "heron-almanac", "note": "x"})
    (stuck,) = told["unsettled"]
    assert set(stuck["core"]) == {"lock-ledger", "old-sluice"}
    way = next(way for way in stuck["ways"] if way["edit"]["do"] == "hold")
    status, told = edit(world, way["edit"])
    assert status == 200
    assert told["settled_again"] == ["lock-ledger"]


def test_another_pack_starts_from_a_draft_or_a_release(world: World) -> None:
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0", "because": "our world"})
    edit(world, {"do": "describe", "mod": "heron-almanac", "tags": ["weather"], "note": "read aloud"})
    tweak = {"path": "config/lantern.properties", "key": ["glow"], "value": "warm", "how": "starting value"}
    step = {"id": "read", "text": "Read the rules.", "check": "none", "path": ""}
    edit(world, set_edit(tweak), {"do": "steps", "steps": [step]})
    other = start_pack(world.users["owner"], new_pack(world.crew, "A Copy"))
    at = f"/api/packs/{other.id}/draft"

    def take(who: str = "owner", **source: str | bool) -> tuple[int, Any]:
        body = {"revision": Draft.objects.get(pack=other).revision, "edits": [{"do": "copy lines", **source}]}
        return world.as_(who).post(f"{at}/edits", body)

    status, told = take(pack=str(world.pack.id), release="1.0.0")
    assert (status, told["sentence"]) == (200, "2 lines taken over from Night Freight 1.0.0")
    copied = {one["mod"]: one for one in world.as_("owner").get(at)[1]["lines"]}
    assert (copied["lock-ledger"]["version"], copied["lock-ledger"]["held"]) == ("3.4.1", False)
    assert (
        world.as_("owner").post(f"{at}/edits", {"revision": 1, "edits": [{"do": "take back", "revision": 1}]})[0] == 200
    )
    assert (
        take(pack=str(world.pack.id), tweaks=False)[1]["sentence"]
        == "2 lines and 1 step by hand taken over from Night Freight"
    )
    copied = {one["mod"]: one for one in world.as_("owner").get(at)[1]["lines"]}
    assert (copied["lock-ledger"]["version"], copied["lock-ledger"]["held_because"]) == ("3.3.0", "our world")
    assert (copied["heron-almanac"]["tags"], copied["heron-almanac"]["note"]) == (["weather"], "read aloud")
    draft = world.as_("owner").get(at)[1]
    assert (draft["tweaks"], draft["steps"]) == ([], [step])
    assert take(pack=str(world.pack.id))[1]["sentence"] == "1 setting taken over from Night Freight"
    [taken] = world.as_("owner").get(at)[1]["tweaks"]
    assert {name: taken[name] for name in tweak} == tweak
    assert take(pack=str(world.pack.id))[0] == 409
    assert take(pack=str(world.pack.id), release="9.9")[0] == 422


def test_a_pack_that_one_may_not_see_gives_no_lines(world: World) -> None:
    crew = start_crew(world.users["stranger"], "Elsewhere")
    theirs = start_pack(world.users["stranger"], new_pack(crew, "Theirs"))
    body = {"revision": 0, "edits": [{"do": "copy lines", "pack": str(world.pack.id)}]}
    assert world.as_("stranger").post(f"/api/packs/{theirs.id}/draft/edits", body)[0] == 404
    hollow = start_pack(
        world.users["owner"],
        new_pack(world.crew, "H", game="gauge-hollow", game_version="3.1", loader="", loader_version=""),
    )
    status, told = world.as_("owner").post(f"/api/packs/{hollow.id}/draft/edits", body)
    assert (status, told["code"]) == (422, "other-game")
