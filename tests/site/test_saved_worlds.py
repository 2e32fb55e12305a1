"""Saved worlds on a member's page: what they were played with, what goes into a copy, and who hears of progress."""

from __future__ import annotations

from typing import Any

from .conftest import World
from .test_drafts import edit
from .test_in_step import choose, page, tell
from .test_releases import publish
from .test_sealed import until

SCENARIO = "towpath-trial"
ROW = {
    "world": "worlds/fen", "holds": [], "size": 9, "changed": "2026-11-20T20:00:00+00:00", "progress": ["Rich 1.0"],
    "played": [{"name": "Night Freight", "number": "1.0.0", "until": "2026-11-20T20:00:00+00:00"}],
}  # fmt: skip


def into(world: World, name: str, *mods: str, instead_of: str = "") -> tuple[int, Any]:
    told = {"world": f"worlds/{name}", "mods": list(mods), "instead_of": instead_of}
    return world.agent().post("/api/agent/worlds", told)


def test_what_a_world_was_played_with_is_its_members_to_see(world: World) -> None:
    assert tell(world, worlds=[ROW])[0] == 200
    (shown,) = page(world)["saved"]
    assert shown["played"][0]["number"] == "1.0.0" and shown["progress"] == ["Rich 1.0"]
    assert "Rich 1.0" not in str(world.as_("curator").get(f"{world.at}/roll-call")[1])
    assert tell(world, worlds=[{**ROW, "played": ROW["played"] * 21}])[0] == 422
    edit(world, {"do": "add", "mod": "tarred-planks"})
    publish(world, "1.1.0", sealed_until=until())
    assert page(world)["saved"][0]["progress"] == []


def test_what_was_chosen_for_a_world_goes_along_with_its_copy_and_its_new_name(world: World) -> None:
    edit(world, {"do": "add", "mod": SCENARIO})
    publish(world, "1.1.0")
    choose(world, worlds={SCENARIO: ["worlds/fen"]})
    assert into(world, "moor", SCENARIO, "lock-ledger", "../up")[0] == 200
    assert into(world, "weir", SCENARIO, instead_of="worlds/fen")[0] == 200
    world.installation.refresh_from_db()
    assert world.installation.worlds == {SCENARIO: ["worlds/moor", "worlds/weir"]}
    # Every world is every world, and what lies in no folder of worlds is none.
    choose(world, worlds={SCENARIO: ["worlds/*"]})
    into(world, "last", SCENARIO)
    world.agent().post("/api/agent/worlds", {"world": "elsewhere/x", "mods": [SCENARIO]})
    world.installation.refresh_from_db()
    assert world.installation.worlds == {SCENARIO: ["worlds/*"]}


def test_who_joins_hears_that_progress_is_changed(world: World) -> None:
    opened = f"/api/codes/{world.code}"
    assert world.as_("stranger").get(opened)[1]["changes_progress"] == []
    say = {"do": "say", "mod": "lock-ledger", "touches": ["progress.tolls"], "note": "pays twice"}
    edit(world, say)
    assert publish(world, "1.1.0")[0] == 200
    assert world.as_("stranger").get(opened)[1]["changes_progress"] == ["Lock Ledger"]
    edit(world, {"do": "add", "mod": "tarred-planks"})
    publish(world, "1.2.0", sealed_until=until())
    assert world.as_("stranger").get(opened)[1]["changes_progress"] == []
