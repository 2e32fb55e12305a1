"""Playthroughs: opened, held against what is published, excepted with a reason, ended; milestones; what keeps them."""

from typing import Any

from convoy_core.lock.recipe import read_recipe
from convoy_core.words.model import Reach
from convoy_site.catalogue.models import Build
from convoy_site.installations.models import Installation
from convoy_site.people.models import Event
from convoy_site.releases.join_codes import make_join_code

from .conftest import World
from .test_drafts import edit
from .test_releases import publish

OPEN = {"name": "The Fenwick run", "world": "fenwick-run", "release": "1.0.0"}


def opened(world: World, **told: Any) -> dict[str, Any]:
    status, found = world.as_("owner").post(f"{world.at}/playthroughs", {**OPEN, **told})
    assert status == 200, found
    return found["playthroughs"][0]


def bound(*mods: str) -> None:
    Build.objects.filter(mod__slug__in=mods).update(reach=Reach.SAVE)


def findings(world: World) -> list[dict[str, Any]]:
    found = world.as_("owner").get(f"{world.at}/findings")[1]["findings"]
    return [one for one in found if one["check"] == "playthrough"]


def test_publishing_against_it_is_stopped_with_each_reason_and_excepted_with_one(world: World) -> None:
    bound("market-bells", "signal-flags")
    one = opened(world, note="Thursdays.")
    assert (one["rule"], one["begun"], one["last"]) == ("only what touches nobody's world", "1.0.0", "1.0.0")
    edit(world, {"do": "add", "mod": "market-bells"})
    assert {each["mod"] for each in findings(world)} == {"market-bells", "signal-flags"}
    assert all(each["what"].startswith("The Fenwick run is being played: ") for each in findings(world))
    status, refused = publish(world, "1.1.0")
    assert (status, refused["code"]) == (409, "blocked") and "is being played" in refused["why"]
    # For trial it stops nobody: no world that is played has it by that.
    assert publish(world, "1.1.0", channel="trial")[0] == 200
    at = f"{world.at}/releases/1.1.0/promotion"
    status, refused = world.as_("owner").post(at, {"number": "1.1.1"})
    assert (status, refused["code"]) == (409, "blocked") and "Market Bells" in refused["why"]
    assert world.as_("owner").post(at, {"number": "1.1.1", "despite": "We all agreed."})[0] == 200
    recipe = read_recipe(bytes(world.pack.releases.get(number="1.1.1").document))
    assert {each.because for each in recipe.despite} == {"We all agreed."} and len(recipe.despite) == 2
    # Members read what was excepted; from then on that is what is played.
    (one,) = world.as_("member").get(f"{world.at}/playthroughs")[1]["playthroughs"]
    assert [(each["release"], each["because"]) for each in one["exceptions"]] == [("1.1.1", "We all agreed.")] * 2
    assert one["last"] == "1.1.1" and not findings(world)
    # One that was laid down with a reason goes out with that reason.
    edit(world, {"do": "remove", "mod": "market-bells"})
    for finding in findings(world):
        edit(world, {"do": "lay down", "finding": finding["id"], "because": "It rang all night."})
    assert publish(world, "1.2.0")[0] == 200
    (one,) = world.as_("member").get(f"{world.at}/playthroughs")[1]["playthroughs"]
    assert one["exceptions"][-1]["because"] == "It rang all night."


def test_where_nothing_may_change_nothing_does_until_it_ends(world: World) -> None:
    one = opened(world, rule="nothing changes")
    edit(world, {"do": "add", "mod": "quiet-deck"}, {"do": "steps", "steps": [{"id": "a", "text": "Look."}]})
    assert any("step: Look." in each["what"] for each in findings(world)) and publish(world, "1.1.0")[0] == 409
    line = world.as_("member").get(f"{world.at}/line")[1]["playthroughs"]
    assert [(each["name"], each["begun"], each["last"], each["open"]) for each in line] == [
        ("The Fenwick run", "1.0.0", "1.0.0", True)
    ]
    end = f"{world.at}/playthroughs/{one['id']}/end"
    assert world.as_("owner").post(end, {"because": "The coal is out."})[0] == 200
    assert world.as_("owner").post(end, {"because": "Again."})[1]["code"] == "no-playthrough"
    assert publish(world, "1.1.0")[0] == 200
    (one,) = world.as_("member").get(f"{world.at}/playthroughs")[1]["playthroughs"]
    assert (one["last"], one["ended_because"], one["exceptions"]) == ("1.0.0", "The coal is out.", [])
    assert set(Event.objects.values_list("what", flat=True)) >= {"playthrough-opened", "playthrough-ended"}


def test_what_cannot_be_opened_is_refused(world: World) -> None:
    opened(world)
    for told, code in (({}, "name-taken"), ({"name": "Other", "release": "9.9"}, "not-found")):
        assert world.as_("owner").post(f"{world.at}/playthroughs", {**OPEN, **told})[1]["code"] == code
    for number in range(4):
        opened(world, name=f"Run {number}")
    assert world.as_("owner").post(f"{world.at}/playthroughs", {**OPEN, "name": "Sixth"})[1]["code"] == "no-playthrough"


def test_a_milestone_reaches_every_agent_by_its_name(world: World) -> None:
    one = opened(world)
    about = {"worlds": [{"world": "worlds/fenwick-run", "holds": []}]}
    Installation.objects.update(about=about, side="server")
    assert world.as_("owner").get(f"{world.at}/playthroughs")[1]["worlds"] == ["fenwick-run"]
    before = Installation.objects.get().orders
    at = f"{world.at}/playthroughs/{one['id']}/milestones"
    assert world.as_("owner").post(at, {"name": "First coal"})[0] == 200
    head = world.agent().get("/api/agent/head")[1]
    assert [(each["name"], each["world"]) for each in head["milestones"]] == [
        ("The Fenwick run: First coal", "fenwick-run")
    ]
    found = Installation.objects.get()
    assert found.orders == before + 1 and found.called_at is not None, "who watches is called"
    Installation.objects.update(about={"backups": [{"why": "The Fenwick run: First coal"}]})
    (one,) = world.as_("member").get(f"{world.at}/playthroughs")[1]["playthroughs"]
    assert [(each["name"], each["backed_up"]) for each in one["milestones"]] == [("First coal", 1)]
    world.as_("owner").post(f"{world.at}/playthroughs/{one['id']}/end", {"because": "Done."})
    assert world.agent().get("/api/agent/head")[1]["milestones"] == []


def test_the_last_build_that_keeps_a_world_is_found_by_trying(world: World) -> None:
    keeps = f"{world.at}/draft/keeps/heron-almanac"
    assert world.as_("owner").get(keeps)[1]["code"] == "no-playthrough"
    edit(world, {"do": "take", "mod": "heron-almanac", "version": "2.0.2"})
    assert publish(world, "1.1.0")[0] == 200
    opened(world, release="1.1.0")
    assert world.as_("owner").get(keeps)[1] == {"version": "2.1.0", "now": "2.0.2", "passed": []}
    Build.objects.filter(mod__slug="heron-almanac", version="2.1.0").update(reach=Reach.SAVE)
    found = world.as_("owner").get(keeps)[1]
    assert (found["version"], found["now"]) == ("", "2.0.2")
    assert found["passed"] == [{"version": "2.1.0", "why": "Heron Almanac updated from 2.0.2 to 2.1.0"}]
    assert make_join_code(world.users["owner"], world.pack.id, None).code
