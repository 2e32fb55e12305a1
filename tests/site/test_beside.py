"""Collections that a member takes up beside the pack: by the page and by code; what is laid down, and who knows."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from convoy_site.installations import beside
from convoy_site.installations.models import BesideTaken
from convoy_site.packs.models import Pack
from convoy_site.packs.shapes.edits import AddMods
from convoy_site.people.models import Crew, Membership
from convoy_site.people.services import start_crew
from convoy_site.releases.join_codes import make_join_code

from .conftest import World
from .test_collections import clear_deck, collection, newer_deck
from .test_drafts import edit
from .test_in_step import PLAN, page, tell
from .test_releases import publish as published
from .test_sealed import until


def row_of(deck: Pack, **told: Any) -> dict[str, Any]:
    row = {"pack": str(deck.id), "name": deck.name, "number": "1.0.0", "has": "1.0.0", "mods": 2, "off": 0}
    return {**row, "errands": [], "left_out": [], **told}


def at(world: World) -> str:
    return f"/api/installations/{world.installation.id}/beside"


def by_hand(world: World, deck: Pack, who: str = "member") -> tuple[int, Any]:
    return world.as_(who).post(at(world), {"collection": str(deck.id)})


def test_a_member_takes_one_up_and_only_their_own_machine_hears_of_it(world: World) -> None:
    edit(world, {"do": "add", "mod": "rivet"})
    published(world, "1.1.0")
    deck = clear_deck(world)
    (shown,) = world.as_("member").get(at(world))[1]
    assert (shown["name"], shown["number"], shown["mods"], shown["at_once"]) == ("Clear Deck", "1.0.0", 3, True)
    assert shown["steps"] == ["Look at your deck."] and shown["left_out"] == []
    assert by_hand(world, deck)[0] == 200 and by_hand(world, deck)[0] == 200
    (head,) = world.agent().get("/api/agent/head")[1]["beside"]
    assert (head["number"], head["mark"], head["refused"]) == ("1.0.0", page(world)["key"], {})
    mine = page(world)
    assert [one["name"] for one in mine["beside"]] == ["Clear Deck"]
    assert [(one["mod"], one["collection"]) for one in mine["choices"]] == [("amber-hours", "Clear Deck")]
    assert [one["text"] for one in mine["steps"]] == ["Look at your deck."]
    assert world.as_("member").get(at(world))[1] == []
    # What its crew sees: the machine is in step, although errands of its member's own are left.
    errands = [row_of(deck, errands=["quiet-deck"], off=1, number="1.0.0")]
    tell(world, "1.1.0", plan={**PLAN, "release": "1.1.0"}, beside=errands)
    seen = world.as_("curator").get(f"{world.at}/roll-call")[1]
    assert [one["standing"]["state"] for one in seen["rows"]] == ["in step"]
    assert "Clear Deck" not in str(seen) and "quiet-deck" not in str(seen)
    # A newer release comes by itself; left, it is gone from the head.
    newer_deck(world, deck)
    assert world.agent().get("/api/agent/head")[1]["beside"][0]["number"] == "1.1.0"
    assert world.agent().get(f"/api/agent/beside/{deck.id}/releases/1.1.0")[0] == 200
    assert world.as_("member").send("DELETE", f"{at(world)}/{deck.id}")[0] == 200
    assert world.agent().get("/api/agent/head")[1]["beside"] == []
    for door in (f"releases/{'1.1.0'}", "charters/0"):
        assert world.agent().get(f"/api/agent/beside/{deck.id}/{door}")[0] == 404


def test_what_does_not_go_together_is_a_finding_with_the_smallest_clash(world: World) -> None:
    """Old Sluice breaks newer ledgers: beside the pack that has one it stays out, and everything else comes."""
    say = {"do": "say", "mod": "old-sluice", "reach": "own", "note": "looks only"}
    edit(world, {"do": "add", "mod": "rivet"}, say)
    published(world, "1.1.0")
    sluice = collection(world, "Old Water", AddMods(do="add many", mods=["old-sluice", "amber-hours"]))
    (shown,) = world.as_("member").get(at(world))[1]
    told = {one["name"]: one["because"] for one in shown["left_out"]}
    assert "Old Sluice" in told and "Lock Ledger" in told["Old Sluice"], told
    assert shown["mods"] >= 1
    assert by_hand(world, sluice)[0] == 200
    (head,) = world.agent().get("/api/agent/head")[1]["beside"]
    assert list(head["refused"]) == ["old-sluice"]
    # The pack moves to where they go together: nothing is refused any more.
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0", "because": "calmer"})
    assert published(world, "1.2.0")[0] == 200
    assert world.agent().get("/api/agent/head")[1]["beside"][0]["refused"] == {}


def test_a_code_brings_aboard_its_crew_and_opens_beside_a_pack_only(world: World) -> None:
    theirs = start_crew(world.users["owner"], "Far Water")
    deck = clear_deck(world, crew=theirs)
    code = make_join_code(world.users["owner"], deck.id, 2).code
    agent, member = world.agent(), world.as_("member")
    assert by_hand(world, deck)[0] == 404, "it is nobody's of this crew's"
    told = member.post("/api/installations", {"code": code, "name": "Alone"})
    assert told[0] == 422 and "goes beside a pack" in told[1]["what"]
    status, looked = agent.post("/api/agent/beside/look", {"code": code})
    assert status == 200 and looked["name"] == "Clear Deck" and not BesideTaken.objects.exists()
    assert agent.post("/api/agent/beside", {"code": code})[1]["mark"] == looked["mark"]
    assert Membership.objects.filter(crew=theirs, user=world.users["member"]).exists()
    # Both crews leave signing to the site: whoever trusts the pack's keys has trusted these.
    assert page(world)["beside"][0]["at_once"] is True
    assert member.post(at(world), {"code": world.code})[1]["what"].startswith("This code is for Night Freight")
    assert member.post(at(world), {"code": code})[0] == 200
    assert member.post(at(world), {"code": code})[0] == 410, "it is used up"
    # Not of the crew any more: what lies there stays, and nothing new comes.
    tell(world, "1.0.0", beside=[row_of(deck)])
    newer_deck(world, deck)
    Membership.objects.filter(crew=theirs, user=world.users["member"]).delete()
    for claimed in ("1.0.0", "1.1.0"):
        # Whatever the machine says that it has opens nothing, and tells nothing of what is in it.
        tell(world, "1.0.0", beside=[row_of(deck, has=claimed, number=claimed)])
        (head,) = agent.get("/api/agent/head")[1]["beside"]
        assert (head["number"], head["sha256"], head["statement"], head["refused"]) == ("", "", None, {})
        (shown,) = page(world)["beside"]
        assert "stays as it is" in shown["why"] and (shown["mods"], shown["left_out"], shown["steps"]) == (0, [], [])
        assert agent.get(f"/api/agent/beside/{deck.id}/releases/{claimed}")[0] == 404
    with pytest.raises(beside.TooMany):
        BesideTaken.objects.bulk_create(
            BesideTaken(installation=world.installation, collection=Pack.objects.create(**copied(deck, world.crew, at)))
            for at in range(beside.MOST_BESIDE - 1)
        )
        last = Pack.objects.create(**copied(deck, world.crew, 99))
        beside.take_up(world.users["member"], world.installation.pk, last.pk)


def copied(pack: Pack, crew: Crew, at: int) -> dict[str, Any]:
    """Of the same crew as the installation's pack."""
    told = {name: getattr(pack, name) for name in ("game_id", "emblem", "suits", "started_by_id")}
    return {**told, "name": f"Copy {at}", "crew": crew}


def test_a_sealed_release_of_a_collection_waits_and_a_sealed_pack_tells_nothing_by_way_of_one(world: World) -> None:
    deck = clear_deck(world)
    by_hand(world, deck)
    newer_deck(world, deck, sealed_until=datetime.fromisoformat(until()))
    assert world.agent().get("/api/agent/head")[1]["beside"][0]["number"] == "1.0.0"
    assert world.agent().get(f"/api/agent/beside/{deck.id}/releases/1.1.0")[0] == 404
    edit(world, {"do": "add", "mod": "tarred-planks"})
    assert published(world, "1.1.0", sealed_until=until())[0] == 200
    tell(world, "1.0.0", beside=[row_of(deck, left_out=[{"name": "X", "version": "1", "because": "the pack has it"}])])
    assert page(world)["beside"][0]["left_out"] == []
    world.as_("member").send("DELETE", f"{at(world)}/{deck.id}")
    assert [one["left_out"] for one in world.as_("member").get(at(world))[1]] == [[]]


def test_many_collections_are_asked_for_in_as_many_queries_as_one(world: World) -> None:
    def queries(path: str, who: Any) -> int:
        who.get(path)  # What is kept in memory is there from now on.
        with CaptureQueriesContext(connection) as seen:
            assert who.get(path)[0] == 200
        return len(seen)

    edit(world, {"do": "add", "mod": "rivet"})
    published(world, "1.1.0")
    mine = f"/api/installations/{world.installation.id}"
    counts = []
    for number in range(4):
        deck = collection(world, f"Set {number}", AddMods(do="add many", mods=["tarred-planks", "amber-hours"]))
        by_hand(world, deck)
        if number in (0, 3):
            doors = (("/api/agent/head", world.agent()), (mine, world.as_("member")), (at(world), world.as_("member")))
            counts.append([queries(*door) for door in doors])
    assert counts[0] == counts[1], counts
