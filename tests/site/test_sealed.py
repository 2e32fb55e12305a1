"""A sealed release: a member goes to every door before the hour, and none tells what is in it."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

import pytest
from django.core import mail
from django.test import Client
from django.utils import timezone

from convoy_core.lock.recipe import read_recipe
from convoy_site.catalogue.models import Build
from convoy_site.notices.models import Call, Notice
from convoy_site.people.models import Event
from convoy_site.people.services import bring_aboard
from convoy_site.releases import seals
from convoy_site.releases.models import Seal

from .conftest import World
from .test_drafts import edit
from .test_in_step import PLAN, page, tell
from .test_news import spread
from .test_public import opened
from .test_releases import publish
from .test_rights import DOORS, filled

MOD, NAME = "tarred-planks", "Tarred Planks"


def until(**ahead: int) -> str:
    return (timezone.now() + timedelta(**(ahead or {"hours": 5}))).isoformat()


def sealed(world: World, **told: Any) -> None:
    edit(world, {"do": "add", "mod": MOD}, {"do": "add", "mod": "ferry-hands"})
    more = {"notes": f"{NAME} at last.", "announcement": f"{NAME} is in it.", "sealed_until": until(), **told}
    status, said = publish(world, "1.1.0", **more)
    assert status == 200, said


def opens(world: World) -> None:
    """Its hour comes."""
    hour = timezone.now() - timedelta(seconds=1)
    Seal.objects.update(until=hour)
    world.pack.draft.__class__.objects.update(kept_until=hour)
    seals.has_opened(Seal.objects.get().release_id)


@pytest.fixture
def evening(world: World) -> World:
    """A pack whose next release is sealed; a member's machine has it, and told all of it; people are called with it."""
    opened(world)
    world.as_("curator").post(
        f"{world.at}/hooks", {"address": "http://127.0.0.1:9/hook", "kinds": ["release", "opened"]}
    )
    world.as_("member").send("PUT", "/api/news/wishes", {"pack": str(world.pack.id), "mail": "at once"})
    world.as_("owner").post(
        f"{world.at}/playthroughs",
        {"name": "The run", "world": "fen", "release": "1.0.0", "rule": "nothing changes"},
    )
    when = (timezone.now() + timedelta(days=1)).isoformat()
    world.as_("owner").post(f"{world.at}/departures", {"at": when, "note": "Be there."})
    sealed(world, despite="a surprise")
    spread()
    entry = {"id": "1", "before": "1.0.0", "release": "1.1.0", "counts": {}, "moved": [f"mods/{MOD}/x"], "notes": [],
             "backup": "", "undoes": False, "mods": [f"{NAME} 3.3 added"]}  # fmt: skip
    plan = {**PLAN, "release": "1.1.0", "merged": [f"mods/{MOD}/settings.toml"],
            "worlds": [{"sentence": f"{NAME} added", "note": ""}]}  # fmt: skip
    tell(
        world,
        "1.1.0",
        {f"mods/{MOD}/waybill.toml": "missing"},
        plan=plan,
        history=[entry],
        remarks=[f"{NAME} is odd."],
        errands=["ferry-hands"],
    )
    world.agent().post("/api/agent/progress", {"phase": "fetching", "what": f"{MOD}.zip", "done": 1, "total": 2,
                       "under_way": [{"name": f"{MOD}.zip", "done": 1, "total": 2}]})  # fmt: skip
    return world


def secrets(world: World) -> list[str]:
    hashes = Build.objects.filter(mod__slug=MOD).values_list("archive_sha256", flat=True)
    return [MOD, NAME.lower(), *hashes]


def leaks(world: World, text: str) -> list[str]:
    return [one for one in secrets(world) if one in text.lower()]


def asked(path: str) -> list[str]:
    """A door as it is, and with the sealed release in the place of the open one."""
    other = path.replace("1.0.0", "1.1.0").replace("weir-core", MOD)
    return list(dict.fromkeys((path, other, other.replace("until=1.1.0", "until=1.1.0&since=1.0.0"))))


def test_no_door_tells_a_member_what_is_in_it(evening: World) -> None:
    world, found, answered = evening, {}, 0
    reading = {"/api/packs/{pack}/draft/recognise", "/api/packs/{pack}/known", "/api/packs/{pack}/set-aside",
               "/api/packs/{pack}/packings", "/api/packs/{pack}/announcement"}  # fmt: skip
    doors = [(method, path, body) for method, path, body, _ in DOORS if method == "GET" or path in reading]
    for method, path, body in doors:
        for one in asked(path):
            given = {key: ("1.1.0" if value == "1.0.0" else value) for key, value in (body or {}).items()}
            reply = world.as_("member").client.generic(
                method, filled(world, one), json.dumps(given), content_type="application/json"
            )
            text = b"".join(reply.streaming_content if reply.streaming else [reply.content]).decode(errors="replace")
            answered += reply.status_code == 200
            # What was asked for by name comes back in the refusal of nothing but its own words.
            if bad := [one for one in leaks(world, text) if reply.status_code == 200 or one != MOD]:
                found[f"{method} {one} {reply.status_code}"] = bad
    assert not found, found
    assert answered > 30, "the doors are open all the same"


def test_neither_strangers_nor_letters_feeds_or_calls_tell_of_it(evening: World) -> None:
    world = evening
    feed = world.as_("member").post(f"{world.at}/feed")[1]["address"].partition("//")[2].partition("/")[2]
    for path in ("/p/night-freight", "/p/night-freight/releases", "/p/night-freight.svg", f"/{feed}"):
        reply = Client().get(path)
        assert not leaks(world, reply.content.decode(errors="replace")), path
    notices = Notice.objects.filter(user=world.users["member"])
    told = [f"{one.text} {one.more}" for one in notices]
    told += [str(one.body) for one in Call.objects.all()] + [one.body for one in mail.outbox]
    assert any("1.1.0 is out" in one for one in told) and not leaks(world, " ".join(told))
    # Another pack of a member's cannot be made of it either.
    mine = world.as_("stranger")
    assert mine.get(f"{world.at}/releases/1.1.0")[0] == 404


def test_members_see_size_demands_and_errands_and_install_meanwhile(evening: World) -> None:
    world = evening
    status, release = world.as_("member").get(f"{world.at}/releases/1.1.0")
    assert status == 200 and release["hidden"] and release["sealed_until"] and release["changes"] == []
    assert (release["builds"], release["base"], release["notes"]) == (7, "Tillerway 2.1, Bosun 5.2.0", "")
    found = page(world)
    assert found["sealed_until"] and found["plan"]["fetch_bytes"] == PLAN["fetch_bytes"]
    (errand,) = found["errands"]
    named = errand["pickup"] != "click"
    assert (errand["name"] == "Ferry Hands") is named and errand["page"]
    head = world.agent().get("/api/agent/head")[1]
    assert head["number"] == "1.1.0", "it is installed at once"
    document = json.dumps(world.agent().get("/api/agent/releases/1.1.0")[1]).encode()
    assert read_recipe(document).sealed_until and MOD in read_recipe(document).lock.by_mod
    draft = world.as_("member").get(f"{world.at}/draft")
    assert (draft[0], draft[1]["code"]) == (403, "sealed")


def test_its_curators_and_who_is_let_in_see_it_and_then_everybody_does(evening: World) -> None:
    world = evening
    at = f"{world.at}/releases/1.1.0"
    assert NAME in str(world.as_("curator").get(at)[1]["changes"])
    assert world.as_("curator").send("PUT", f"{at}/let-in", {"people": ["stranger"]})[1]["code"] == "no-seal"
    assert world.as_("member").send("PUT", f"{at}/let-in", {"people": ["member"]})[0] == 403
    assert world.as_("curator").send("PUT", f"{at}/let-in", {"people": ["member"]})[0] == 200
    assert world.as_("curator").get(at)[1]["let_in"] == ["member"]
    assert NAME in str(world.as_("member").get(at)[1]["changes"]) and not page(world)["sealed_until"]
    assert world.as_("member").get(f"{world.at}/draft")[0] == 403, "the draft is its curators' still"
    world.as_("curator").send("PUT", f"{at}/let-in", {"people": []})
    assert world.as_("member").get(at)[1]["hidden"]
    opens(world)
    release = world.as_("member").get(at)[1]
    assert NAME in str(release["changes"]) and not release["hidden"] and release["sealed_until"] is None
    assert world.as_("member").get(f"{world.at}/draft")[0] == 200
    assert f"{NAME} 3.3 added" in str(page(world)["history"])
    seals.has_opened(Seal.objects.get().release_id)
    assert Event.objects.filter(what="opened").count() == 1
    spread()
    (notice,) = Notice.objects.filter(user=world.users["member"], text__contains="is open")
    assert NAME in notice.more
    assert world.as_("curator").send("PUT", f"{at}/let-in", {"people": ["member"]})[1]["code"] == "no-seal"


def test_what_would_tell_of_it_by_another_way_is_refused(evening: World) -> None:
    world = evening
    edit(world, {"do": "remove", "mod": MOD})
    for told in ({}, {"sealed_until": until(hours=1)}):
        status, refused = publish(world, "1.2.0", despite="x", **told)
        assert (status, refused["code"]) == (409, "blocked") and "Release 1.1.0 is sealed" in refused["what"]
    assert publish(world, "1.2.0", despite="x", sealed_until=until(hours=9))[0] == 200
    for told in ({"sealed_until": until(hours=-1)}, {"sealed_until": until(days=200)}, {"let_in": ["nobody"]}):
        more = {"sealed_until": until(hours=10), **told}
        assert publish(world, "1.3.0", despite="x", **more)[1]["code"] in ("no-seal", "blocked")
    # A member who curates a crew of their own does not copy it over there.
    bring_aboard(world.users["stranger"], world.crew)
    mine = world.as_("stranger")
    crew = mine.post("/api/crews", {"name": "Elsewhere"})[1]["id"]
    base = {"game": "tillerway", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    pack = mine.post("/api/packs", {"crew": crew, "name": "Copy", **base})[1]["id"]
    for release in ("", "1.1.0"):
        copy = {"do": "copy lines", "pack": str(world.pack.id), "release": release}
        status, refused = mine.post(f"/api/packs/{pack}/draft/edits", {"revision": 0, "edits": [copy]})
        assert (status, refused["code"]) == (403, "sealed")


def test_a_draft_is_kept_to_its_curators_while_they_say_so(world: World) -> None:
    keep = {"kept": True}
    assert world.as_("member").send("PATCH", world.at, keep)[0] == 403
    assert world.as_("curator").send("PATCH", world.at, keep)[1]["kept"] is True
    for path in ("draft", "pending", "findings", "settings", "catalogue", "packing-plan"):
        assert world.as_("member").get(f"{world.at}/{path}")[0] == 403, path
        assert world.as_("curator").get(f"{world.at}/{path}")[0] == 200, path
    assert world.as_("member").get(f"{world.at}/line")[0] == 200
    world.as_("curator").send("PATCH", world.at, {"kept": False})
    assert world.as_("member").get(f"{world.at}/draft")[0] == 200


def test_steps_of_a_sealed_release_are_told_when_it_opens(world: World) -> None:
    edit(world, {"do": "steps", "steps": [{"id": "rope", "text": "Coil the rope."}]})
    publish(world, "1.0.1")
    tell(world, "1.0.1")
    more = [{"id": "rope", "text": "Coil the rope."}, {"id": "tar", "text": f"Put {NAME} on the hull."}]
    edit(world, {"do": "steps", "steps": more})
    sealed(world)
    assert ([one["text"] for one in page(world)["steps"]], page(world)["steps_later"]) == (["Coil the rope."], 1)
    opens(world)
    assert (len(page(world)["steps"]), page(world)["steps_later"]) == (2, 0)
