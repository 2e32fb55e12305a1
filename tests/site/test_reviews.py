"""Own builds with a class: what they claim, a second curator who looks, and what stands in the way until then."""

from __future__ import annotations

from typing import Any

from convoy_core.lock.recipe import read_recipe
from convoy_site.people.models import Membership, Role

from .conftest import World
from .test_drafts import edit
from .test_releases import publish
from .test_ways_in import drop, make, zipped


def upload(world: World, **said: Any) -> str:
    """By the curator."""
    packed = zipped({"tide/waybill.toml": 'id = "tide-bells"\nside = "player"\n', "tide/data/tide.json": "{}"})
    told = {"name": "Tide Bells", "version": "1.0", **said}
    status, made = make(world, drop(world, packed, "tide.zip"), **told)
    assert status == 200, made
    return made["mod"]


def reviews(world: World, who: str = "owner") -> list[dict[str, Any]]:
    return world.as_(who).get(f"{world.at}/reviews")[1]["reviews"]


def look(world: World, who: str = "owner", **said: Any) -> tuple[int, Any]:
    one = reviews(world)[0]
    told = {name: one[name] for name in ("mod", "version", "side", "reach")}
    return world.as_(who).post(f"{world.at}/reviews", {**told, "agrees": True, **said})


def asked(world: World, asked: bool = True) -> tuple[int, Any]:
    return world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/reviews", {"asked": asked})


def test_a_claim_waits_for_whoever_did_not_upload_it(world: World) -> None:
    assert asked(world)[0] == 200
    mod = upload(world, reach="own", side="player", touches="weather.rain")
    edit(world, {"do": "add", "mod": mod})
    (found,) = (
        one for one in world.as_("owner").get(f"{world.at}/findings")[1]["findings"] if one["check"] == "unreviewed"
    )
    assert found["severity"] == "blocker" and "curator uploaded it" in found["why"]
    (shown,) = reviews(world)
    assert (shown["claim"], shown["by"], shown["agreed"]) == ("it touches its player alone", "curator", False)
    data = f"It lays down 1 data file, mods/{mod}/data/tide.json among them: the game reads those for all."
    assert shown["against"] == [data]
    # No reason stands in for a second pair of eyes, and no trial either; one's own word is none.
    for more in ({"despite": "we know"}, {"channel": "trial"}):
        assert publish(world, "1.1.0", **more)[1]["code"] == "blocked"
    assert look(world, "curator")[1]["code"] == "own-word"
    assert look(world, agrees=False, note="it rains for all")[0] == 200
    assert reviews(world)[0]["refused_by"] == "owner" and publish(world, "1.1.0", despite="x")[0] == 409
    assert look(world)[0] == 200
    assert publish(world, "1.1.0")[0] == 200
    build = read_recipe(bytes(world.pack.releases.latest("pk").document)).lock.by_mod[mod]
    assert (build.side, build.reach, build.claims.touches) == ("player", "own", ("weather.rain",))
    # Agreed to was that claim: another one waits again.
    edit(world, {"do": "say", "mod": mod, "side": "both", "note": "runs there, too"})
    assert [one["agreed"] for one in reviews(world)] == [False]
    assert publish(world, "1.2.0")[0] == 409
    asked(world, False)
    assert publish(world, "1.2.0")[0] == 200


def test_what_claims_nothing_that_is_looked_at_passes_and_a_crew_of_one_cannot_ask(world: World) -> None:
    mod = upload(world, reach="crew", side="player")
    asked(world)
    edit(world, {"do": "add", "mod": mod})
    assert reviews(world) == [] and publish(world, "1.1.0")[0] == 200
    asked(world, False)
    Membership.objects.filter(user=world.users["curator"]).update(role=Role.MEMBER)
    assert asked(world)[1]["code"] == "too-few"
