"""Who may do what, at every door: each role, a stranger, and nobody. Strangers are told that there is nothing."""

import re
from uuid import UUID

import pytest
from django.db import transaction

from convoy_site.api import api
from convoy_site.people.models import Membership
from convoy_site.trials.helping.services import gather
from convoy_site.trials.helping.shapes import HelpCallIn
from convoy_site.trials.models import HelpCall
from tests.third_game import block

from .conftest import World

EDITS = {"revision": 1, "edits": [{"do": "add", "mod": "rivet"}]}
OWN_BUILD = {"sha256": "0" * 64, "name": "Fog Bell", "version": "1", "kind": "mod"}
SEE = {"owner": 200, "curator": 200, "member": 200, "stranger": 404, "nobody": 401}
CURATE = {"owner": 200, "curator": 200, "member": 403, "stranger": 404, "nobody": 401}
OWN = {"owner": 200, "curator": 403, "member": 403, "stranger": 404, "nobody": 401}
MINE = {"owner": 404, "curator": 404, "member": 200, "stranger": 404, "nobody": 401}
ANYBODY = {"owner": 200, "curator": 200, "member": 200, "stranger": 200, "nobody": 401}
OPEN = {**ANYBODY, "nobody": 200}

NOT_THERE = {"owner": 404, "curator": 404}
NOBODYS = "00000000-0000-0000-0000-000000000000"
NO_FILE = {**dict.fromkeys(SEE, 422), "nobody": 401}
"""Refused before anybody's rights are asked; with a file they are: tests of listings and of errands in the browser."""
NEVER = {**SEE, **dict.fromkeys(("owner", "curator", "member"), 404)}
NO_HOOK = {**CURATE, "owner": 404, "curator": 404}

KEEPERS = {**dict.fromkeys(SEE, 403), "nobody": 401}
"""None of these keeps the site; what a keeper may is tested with the keeper's place."""
FELLWRIGHT = block("fellwright.toml")
CLOSED = {"address": "http://10.0.0.1/shelf"}
STEP = {"do": "step", "text": "Close the other launcher."}
OF_TILLERWAY = {"game": "tillerway", "name": "Closed"}

DOORS = [
    ("GET", "/api/health", None, OPEN),
    ("GET", "/api/me", None, OPEN),
    ("GET", "/api/games", None, ANYBODY),
    ("GET", "/api/packs", None, ANYBODY),
    ("GET", "/api/machines", None, ANYBODY),
    ("GET", "/api/installations", None, ANYBODY),
    ("GET", "/api/find?text=night", None, ANYBODY),
    ("GET", "/api/codes/{code}", None, ANYBODY),
    ("POST", "/api/crews", {"name": "Another crew"}, ANYBODY),
    ("POST", "/api/installations", {"code": "{code}", "name": "Second"}, ANYBODY),
    ("GET", "/api/crews/{crew}", None, SEE),
    ("PUT", "/api/crews/{crew}/people/curator", {"role": "curator"}, OWN),
    ("DELETE", "/api/crews/{crew}/people/curator", None, {**OWN, "curator": 200}),
    ("POST", "/api/packs", {"crew": "{crew}", "game": "tillerway", "name": "New", "game_version": "2.1.0"}, CURATE),
    ("GET", "/api/crews/{crew}/charter", None, SEE),
    ("GET", "/api/crews/{crew}/charter/file", None, SEE),
    ("POST", "/api/crews/{crew}/charter/file", None, NO_FILE),
    ("GET", "/api/packs/{pack}/to-sign", None, SEE),
    ("GET", "/api/packs/{pack}/to-sign/file", None, {**CURATE, "owner": 404, "curator": 404}),
    ("POST", "/api/packs/{pack}/to-sign/file", None, NO_FILE),
    ("DELETE", "/api/packs/{pack}/to-sign", None, {**CURATE, "owner": 404, "curator": 404}),
    ("GET", "/api/packs/{pack}", None, SEE),
    ("PATCH", "/api/packs/{pack}", {"notes": "new"}, CURATE),
    ("GET", "/api/packs/{pack}/trials", None, SEE),
    ("GET", "/api/packs/{pack}/releases/1.0.0/trial", None, SEE),
    ("POST", "/api/packs/{pack}/trials", {}, {**CURATE, "owner": 409, "curator": 409}),
    ("GET", f"/api/packs/{{pack}}/trials/{NOBODYS}", None, NEVER),
    ("GET", f"/api/packs/{{pack}}/trials/{NOBODYS}/log", None, NEVER),
    ("DELETE", f"/api/packs/{{pack}}/trials/{NOBODYS}", None, {**CURATE, "owner": 404, "curator": 404}),
    ("POST", f"/api/packs/{{pack}}/trials/{NOBODYS}/narrowing", {}, {**CURATE, "owner": 409, "curator": 409}),
    ("GET", f"/api/packs/{{pack}}/narrowings/{NOBODYS}", None, NEVER),
    ("DELETE", f"/api/packs/{{pack}}/narrowings/{NOBODYS}", None, {**CURATE, "owner": 404, "curator": 404}),
    ("PATCH", f"/api/packs/{{pack}}/trials/{NOBODYS}", {"pinned": True}, {**CURATE, "owner": 404, "curator": 404}),
    ("GET", "/api/keeper/benches", None, KEEPERS),
    ("POST", "/api/keeper/benches", {"name": "Shed"}, KEEPERS),
    ("DELETE", f"/api/keeper/benches/{NOBODYS}", None, KEEPERS),
    ("GET", "/api/packs/{pack}/calls", None, SEE),
    ("GET", "/api/calls/{call}", None, SEE),
    ("GET", "/api/calls/{call}/log/last", None, SEE),
    ("POST", "/api/calls/{call}/send", None, MINE),
    ("DELETE", "/api/calls/{call}", None, MINE),
    ("POST", "/api/calls/{call}/answers", {"text": "Look at the log."}, SEE),
    ("POST", "/api/calls/{call}/answers", {"proposal": STEP}, CURATE),
    ("POST", "/api/calls/{call}/answers/9/take", None, NEVER),
    ("POST", "/api/calls/{call}/close", {"was": "Fog"}, SEE),
    ("GET", "/api/packs/{pack}/draft", None, SEE),
    ("GET", "/api/packs/{pack}/draft/edits", None, SEE),
    ("POST", "/api/packs/{pack}/draft/edits", EDITS, CURATE),
    ("GET", "/api/packs/{pack}/releases/1.0.0/list/table", None, SEE),
    ("GET", "/api/packs/{pack}/findings", None, SEE),
    ("GET", "/api/packs/{pack}/settings", None, SEE),
    ("GET", "/api/packs/{pack}/settings/machines", None, CURATE),
    ("GET", "/api/packs/{pack}/settings/text?path=no.toml", None, {**dict.fromkeys(SEE, 404), "nobody": 401}),
    (
        "POST",
        "/api/packs/{pack}/settings/text",
        {"path": "a.toml", "text": ""},
        {**CURATE, "owner": 404, "curator": 404},
    ),
    ("POST", "/api/packs/{pack}/findings/read", {}, CURATE),
    ("GET", "/api/packs/{pack}/finding?finding=no", None, NEVER),
    ("POST", "/api/packs/{pack}/findings/ways", {"finding": "no: such"}, {**CURATE, "owner": 404, "curator": 404}),
    ("POST", "/api/packs/{pack}/findings/mend", {"revision": 1}, CURATE),
    ("GET", "/api/packs/{pack}/overlap", None, SEE),
    ("GET", "/api/packs/{pack}/overlap/weir-core/9", None, NEVER),
    ("GET", "/api/packs/{pack}/parts/weir-core", None, SEE),
    ("GET", "/api/packs/{pack}/set-aside", None, SEE),
    ("POST", "/api/packs/{pack}/set-aside", {"text": "**/*.old"}, SEE),
    ("GET", "/api/packs/{pack}/own-files", None, SEE),
    ("POST", "/api/packs/{pack}/own-files?name=a.txt&revision=1", None, CURATE),
    ("PUT", "/api/packs/{pack}/own-files/text", {"revision": 1, "path": "a.txt", "text": "a"}, CURATE),
    ("GET", f"/api/packs/{{pack}}/own-files/text/{'0' * 64}", None, NEVER),
    ("GET", "/api/packs/{pack}/own-files/versions?path=a.txt", None, SEE),
    ("POST", "/api/packs/{pack}/draft/recognise", {"text": "rivet"}, SEE),
    ("GET", "/api/packs/{pack}/draft/updates", None, SEE),
    ("GET", "/api/packs/{pack}/draft/collections", None, SEE),
    ("GET", "/api/packs/{pack}/reviews", None, SEE),
    (
        "POST",
        "/api/packs/{pack}/reviews",
        {"mod": "lock-ledger", "version": "1", "side": "both", "reach": "crew", "agrees": True},
        {**CURATE, "owner": 404, "curator": 404},
    ),
    ("PUT", "/api/crews/{crew}/reviews", {"asked": True}, OWN),
    ("GET", "/api/packs/{pack}/draft/keeps/weir-core", None, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/packs/{pack}/playthroughs", None, SEE),
    ("POST", "/api/packs/{pack}/playthroughs", {"name": "The run", "world": "fen", "release": "1.0.0"}, CURATE),
    ("POST", f"/api/packs/{{pack}}/playthroughs/{NOBODYS}/end", {"because": "x"}, {**CURATE, **NOT_THERE}),
    ("POST", f"/api/packs/{{pack}}/playthroughs/{NOBODYS}/milestones", {"name": "x"}, {**CURATE, **NOT_THERE}),
    ("PUT", "/api/packs/{pack}/releases/1.0.0/let-in", {"people": []}, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/packs/{pack}/lead", None, SEE),
    ("POST", "/api/packs/{pack}/lead", {"where": "releases", "lead": NOBODYS}, {**CURATE, **NOT_THERE}),
    ("POST", "/api/packs/{pack}/lead/look", None, {**CURATE, "owner": 422, "curator": 422}),
    ("POST", "/api/packs/{pack}/lead/file?name=a.zip", None, {**CURATE, "owner": 422, "curator": 422}),
    ("POST", "/api/packs/{pack}/lead/proposals", {"places": ["line a"]}, {**CURATE, "owner": 422, "curator": 422}),
    ("DELETE", f"/api/packs/{{pack}}/lead/proposals/{NOBODYS}", None, {**CURATE, **NOT_THERE}),
    ("POST", f"/api/packs/{{pack}}/proposals/{NOBODYS}/answer", {"words": "x"}, {**CURATE, **NOT_THERE}),
    ("GET", "/api/packs/{pack}/draft/bases", None, SEE),
    ("GET", "/api/packs/{pack}/draft/needs/weir-core", None, SEE),
    ("GET", "/api/packs/{pack}/catalogue", None, SEE),
    ("GET", "/api/packs/{pack}/mods/weir-core", None, SEE),
    ("GET", "/api/packs/{pack}/mods/weir-core/more", None, SEE),
    ("GET", "/api/packs/{pack}/mods/weir-core/pictures/9", None, {**SEE, "owner": 404, "curator": 404, "member": 404}),
    ("GET", "/api/licences?text=MIT", None, ANYBODY),
    ("POST", "/api/packs/{pack}/known", {"hashes": ["0" * 64]}, SEE),
    ("POST", "/api/packs/{pack}/files?name=x.zip", None, CURATE),
    ("GET", "/api/packs/{pack}/files/" + "0" * 64, None, {**CURATE, "owner": 404, "curator": 404}),
    ("POST", "/api/packs/{pack}/own-builds", OWN_BUILD, {**CURATE, "owner": 404, "curator": 404}),
    ("POST", "/api/packs/{pack}/files/many", None, {**CURATE, "owner": 422, "curator": 422}),
    ("POST", "/api/packs/{pack}/own-builds/many", {"builds": [OWN_BUILD]}, CURATE),
    ("POST", "/api/packs/{pack}/draft/folder", None, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/packs/{pack}/pending", None, SEE),
    ("GET", "/api/packs/{pack}/line", None, SEE),
    ("GET", "/api/packs/{pack}/roll-call", None, SEE),
    ("GET", "/api/packs/{pack}/releases", None, SEE),
    ("GET", "/api/packs/{pack}/releases/1.0.0", None, SEE),
    ("GET", "/api/packs/{pack}/packing-plan?number=1.0.0", None, SEE),
    ("GET", "/api/packs/{pack}/packings", None, SEE),
    ("POST", "/api/packs/{pack}/packings", {"number": "1.0.0"}, SEE),
    ("POST", "/api/packs/{pack}/packings", {"number": ""}, CURATE),
    ("DELETE", f"/api/packs/{{pack}}/packings/{NOBODYS}", None, NEVER),
    ("GET", f"/api/packs/{{pack}}/packings/{NOBODYS}/file", None, NEVER),
    ("POST", "/api/crews/{crew}/openings", None, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", f"/api/openings/{NOBODYS}", None, {**dict.fromkeys(SEE, 404), "nobody": 401}),
    ("POST", f"/api/openings/{NOBODYS}", {"name": "Other"}, {**dict.fromkeys(SEE, 404), "nobody": 401}),
    ("GET", "/api/packs/{pack}/public-page", None, SEE),
    ("PUT", "/api/packs/{pack}/public-page", {"on": True, "address": "night-freight"}, CURATE),
    ("GET", "/api/packs/{pack}/codes/{code}/qr", None, CURATE),
    ("GET", "/api/packs/{pack}/codes/{code}/card", None, CURATE),
    ("GET", "/api/defaults", None, ANYBODY),
    ("PUT", "/api/defaults", {"line_kb": 300}, ANYBODY),
    ("GET", "/api/crews/{crew}/defaults", None, SEE),
    ("PUT", "/api/crews/{crew}/defaults", {"line_kb": 300}, OWN),
    ("PATCH", "/api/crews/{crew}", {"name": "Kestrel Quay"}, OWN),
    ("GET", "/api/crews/{crew}/invitations", None, CURATE),
    ("POST", "/api/crews/{crew}/invitations", {"role": "member"}, CURATE),
    ("POST", "/api/crews/{crew}/invitations", {"role": "curator"}, OWN),
    ("DELETE", "/api/crews/{crew}/invitations/9", None, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/aboard/9", None, {**dict.fromkeys(SEE, 422), "nobody": 401}),
    ("POST", "/api/aboard/9", None, {**dict.fromkeys(SEE, 422), "nobody": 401}),
    ("GET", "/api/crews/{crew}/taken-along", None, OWN),
    ("POST", "/api/crews/{crew}/end", {"name": "Kestrel Wharf"}, OWN),
    ("POST", "/api/packs/{pack}/retirement", {"why": "We play another."}, OWN),
    ("DELETE", "/api/packs/{pack}/retirement", None, OWN),
    ("PUT", "/api/packs/{pack}/crew", {"crew": "{crew}"}, OWN),
    ("GET", "/api/packs/{pack}/change-log?until=1.0.0", None, SEE),
    ("POST", "/api/packs/{pack}/announcement", {"number": "2.0.0"}, CURATE),
    ("GET", "/api/news", None, ANYBODY),
    ("GET", "/api/news/count", None, ANYBODY),
    ("POST", "/api/news/seen", {"until": 1}, ANYBODY),
    ("GET", "/api/news/wishes", None, ANYBODY),
    ("PUT", "/api/news/wishes", {"pack": "{pack}", "mail": "never"}, SEE),
    ("POST", "/api/packs/{pack}/feed", None, SEE),
    ("DELETE", "/api/packs/{pack}/feed", None, SEE),
    ("GET", "/api/packs/{pack}/hooks", None, CURATE),
    ("POST", "/api/packs/{pack}/hooks", {"address": "https://example.org/", "kinds": ["release"]}, CURATE),
    ("PATCH", f"/api/packs/{{pack}}/hooks/{NOBODYS}", {"on": True}, NO_HOOK),
    ("DELETE", f"/api/packs/{{pack}}/hooks/{NOBODYS}", None, NO_HOOK),
    ("POST", f"/api/packs/{{pack}}/hooks/{NOBODYS}/try", None, NO_HOOK),
    ("GET", f"/api/packs/{{pack}}/hooks/{NOBODYS}/calls", None, NO_HOOK),
    ("POST", f"/api/packs/{{pack}}/hooks/{NOBODYS}/calls/{NOBODYS}/again", None, NO_HOOK),
    (
        "POST",
        "/api/packs/{pack}/releases",
        {"revision": 1, "number": "2.0.0"},
        {**CURATE, "owner": 409, "curator": 409},
    ),
    ("GET", "/api/packs/{pack}/codes", None, CURATE),
    ("POST", "/api/packs/{pack}/codes", {"uses": 3}, CURATE),
    ("DELETE", "/api/packs/{pack}/codes/{code}", None, CURATE),
    ("GET", "/api/installations/{installation}", None, MINE),
    ("POST", "/api/installations/{installation}/pairing", None, MINE),
    ("POST", "/api/installations/{installation}/orders", {"what": "sync"}, {**MINE, "member": 409}),
    ("DELETE", "/api/installations/{installation}", None, MINE),
    ("POST", "/api/installations/{installation}/hold", {"what": "pause"}, MINE),
    ("POST", "/api/installations/{installation}/choices", {"trial": True}, MINE),
    ("POST", "/api/installations/{installation}/brought", None, NO_FILE),
    ("GET", "/api/installations/{installation}/beside", None, MINE),
    ("POST", "/api/installations/{installation}/beside", {"code": "{code}"}, {**MINE, "member": 422}),
    ("DELETE", f"/api/installations/{{installation}}/beside/{NOBODYS}", None, NEVER),
    ("GET", f"/api/installations/{{installation}}/known/{'0' * 64}", None, MINE),
    ("POST", "/api/packs/{pack}/releases/1.0.0/promotion", {"number": "9"}, {**CURATE, "owner": 409, "curator": 409}),
    ("POST", "/api/packs/{pack}/releases/1.0.0/withdrawal", {"why": "It eats worlds."}, CURATE),
    ("POST", "/api/packs/{pack}/listing", None, NO_FILE),
    ("DELETE", f"/api/packs/{{pack}}/listing/{NOBODYS}", None, NEVER),
    ("GET", "/api/packs/{pack}/departures", None, SEE),
    ("POST", "/api/packs/{pack}/departures", {"at": "2030-01-01T20:00:00Z"}, CURATE),
    ("POST", f"/api/packs/{{pack}}/departures/{NOBODYS}/answer", {"comes": True}, NEVER),
    ("PUT", f"/api/packs/{{pack}}/departures/{NOBODYS}", {"at": "2030-01-01T20:00:00Z"}, NO_HOOK),
    ("DELETE", f"/api/packs/{{pack}}/departures/{NOBODYS}", None, {**CURATE, "owner": 404, "curator": 404}),
    ("GET", "/api/games/tillerway", None, ANYBODY),
    ("POST", "/api/games/tillerway/beginning", {"text": "rivet", "crew": "{crew}"}, CURATE),
    ("POST", "/api/games/tillerway/beginning/folder?crew={crew}", None, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/packs/{pack}/board", None, SEE),
    ("POST", "/api/games", {"text": FELLWRIGHT, "crew": "{crew}"}, OWN),
    ("PUT", "/api/games/tillerway", {"text": FELLWRIGHT, "revision": 1}, KEEPERS),
    ("DELETE", "/api/games/tillerway", None, KEEPERS),
    ("POST", "/api/games/tillerway/versions", {"version": "9", "revision": 1}, KEEPERS),
    ("POST", "/api/games/tillerway/taking-back", {"number": 1}, KEEPERS),
    ("PUT", "/api/games/tillerway/follows", {"source": None}, KEEPERS),
    ("POST", "/api/games/rehearsal", {"text": FELLWRIGHT}, ANYBODY),
    ("POST", "/api/games/tries/folder", {"text": FELLWRIGHT, "files": []}, ANYBODY),
    ("POST", "/api/games/tries/archive", None, NO_FILE),
    ("GET", "/api/crews/{crew}/sources", None, SEE),
    ("POST", "/api/crews/{crew}/sources/look", CLOSED, {**CURATE, "owner": 422, "curator": 422}),
    ("POST", "/api/crews/{crew}/sources", {**CLOSED, **OF_TILLERWAY}, {**CURATE, "owner": 422, "curator": 422}),
    ("GET", "/api/sources/harbour-shelf", None, ANYBODY),
    ("POST", "/api/sources/harbour-shelf/pause", {"paused": True}, KEEPERS),
    ("POST", "/api/sources/harbour-shelf/reading", None, KEEPERS),
    ("DELETE", "/api/sources/harbour-shelf", None, KEEPERS),
    ("PATCH", "/api/account", {"name": "Another"}, ANYBODY),
    ("GET", "/api/account/taken-along", None, ANYBODY),
    ("POST", "/api/account/end", {"password": "wrong"}, {**dict.fromkeys(SEE, 403), "nobody": 401}),
    ("GET", "/api/keeper", None, KEEPERS),
    ("PATCH", "/api/keeper/rules", {"registration": "closed"}, KEEPERS),
    ("GET", "/api/keeper/accounts", None, KEEPERS),
    ("POST", "/api/keeper/accounts/curator/lock", {"locked": True}, KEEPERS),
    ("POST", "/api/keeper/accounts/curator/way-back", None, KEEPERS),
    ("PUT", "/api/keeper/accounts/curator/keeper", {"keeper": True}, KEEPERS),
    ("GET", "/api/keeper/invitations", None, KEEPERS),
    ("POST", "/api/keeper/invitations", {"note": "Pim"}, KEEPERS),
    ("DELETE", "/api/keeper/invitations/9", None, KEEPERS),
    ("GET", "/api/keeper/jobs", None, KEEPERS),
    ("POST", "/api/keeper/jobs/9/again", None, KEEPERS),
    ("GET", "/api/keeper/storage", None, KEEPERS),
    ("GET", "/api/keeper/audit", None, KEEPERS),
    ("GET", "/api/keeper/sources", None, KEEPERS),
    ("POST", "/api/keeper/sources/look", CLOSED, KEEPERS),
    ("POST", "/api/keeper/sources", {**CLOSED, **OF_TILLERWAY}, KEEPERS),
]
BENCH_DOORS = [
    ("POST", "/api/bench/next"),
    ("GET", f"/api/bench/trials/{NOBODYS}/own/{'0' * 64}"),
    ("POST", f"/api/bench/trials/{NOBODYS}/progress"),
    ("POST", f"/api/bench/trials/{NOBODYS}/result"),
]
"""For machines of a keeper's own; what they may is tested with them."""

AGENT_DOORS = [
    ("GET", "/api/agent/head"),
    ("GET", "/api/agent/offer"),
    ("GET", "/api/agent/game"),
    ("GET", "/api/agent/charters/9"),
    ("POST", "/api/agent/beside"),
    ("POST", "/api/agent/beside/look"),
    ("POST", "/api/agent/worlds"),
    ("DELETE", f"/api/agent/beside/{NOBODYS}"),
    ("GET", f"/api/agent/beside/{NOBODYS}/charters/9"),
    ("GET", f"/api/agent/beside/{NOBODYS}/releases/1.0.0"),
    ("GET", "/api/agent/releases/1.0.0"),
    ("GET", f"/api/agent/own/{'0' * 64}"),
    ("POST", "/api/agent/help"),
    ("POST", "/api/agent/started"),
    ("POST", "/api/agent/report"),
    ("POST", "/api/agent/progress"),
    ("POST", "/api/agent/order"),
    ("GET", "/api/agent/readings"),
    ("POST", "/api/agent/readings"),
    ("POST", "/api/agent/left"),
    ("GET", f"/api/agent/known/{'0' * 64}"),
]


def called(world: World) -> UUID:
    """The member's call for help, which was sent."""
    made = HelpCall.objects.filter(pack=world.pack).first()
    return (made or gather(world.installation, HelpCallIn(text="## Starts", send=True))).pk


def filled(world: World, text: str) -> str:
    known = {"crew": world.crew.id, "pack": world.pack.id, "code": world.code, "installation": world.installation.id}
    if "{call}" in text:
        known["call"] = called(world)
    return re.sub(r"\{(\w+)\}", lambda found: str(known.get(found[1], found[0])), text)


@pytest.mark.parametrize(("method", "path", "body", "expected"), DOORS, ids=[f"{door[0]} {door[1]}" for door in DOORS])
def test_each_door_for_each_role(world: World, method: str, path: str, body: object, expected: dict) -> None:
    given = (
        {key: filled(world, value) if isinstance(value, str) else value for key, value in body.items()} if body else {}
    )
    assert expected.keys() == SEE.keys()
    for who, status in expected.items():
        asker = world.as_(who)
        # Each role finds the same world: what the one before it did is taken back.
        before = transaction.savepoint()
        got, told = asker.send(method, filled(world, path), given)
        transaction.savepoint_rollback(before)
        assert got == status, (who, told)
        if status in (403, 404):
            assert told["what"] and told["code"] in ("forbidden", "not-found", "no-such-content")


def test_every_door_of_the_api_is_in_the_table() -> None:
    described = {
        (method.upper(), re.sub(r"\{[^}]*\}", "{}", path))
        for path, operations in api.get_openapi_schema()["paths"].items()
        for method in operations
    }
    shapes = [(method, re.sub(r"\{[^}]*\}", "{}", path.split("?")[0])) for method, path, *_ in DOORS]
    example = (
        r"/(curator|last|tillerway|harbour-shelf|weir-core|table|1\.0\.0|9|0{64}|0{8}-0{4}-0{4}-0{4}-0{12})(?=/|$)"
    )
    shapes += AGENT_DOORS + BENCH_DOORS
    tested = {(method, re.sub(example, "/{}", path)) for method, path in shapes}
    tested |= {("POST", "/api/agent/pair"), ("POST", "/api/agent/pair/look")}
    assert described == tested


@pytest.mark.parametrize(("method", "path"), AGENT_DOORS + BENCH_DOORS)
def test_agents_need_their_own_token(world: World, method: str, path: str) -> None:
    for asker in (world.as_("owner"), world.agent("wrong token"), world.agent(" ")):
        assert asker.send(method, path, {})[0] == 401


def test_an_agents_token_opens_no_other_door(world: World) -> None:
    assert world.agent().get(world.at)[0] == 401
    assert world.agent().get("/api/installations")[0] == 401


def test_a_crew_always_has_one_owner(world: World) -> None:
    at = f"/api/crews/{world.crew.id}/people"
    owner = world.as_("owner")
    assert owner.send("PUT", f"{at}/owner", {"role": "member"})[0] == 403
    assert owner.send("PUT", f"{at}/stranger", {"role": "member"})[0] == 404
    assert owner.send("PUT", f"{at}/curator", {"role": "captain"})[0] == 422
    assert owner.send("PUT", f"{at}/curator", {"role": "owner"})[0] == 200
    roles = dict(Membership.objects.filter(crew=world.crew).values_list("user__username", "role"))
    assert roles == {"owner": "curator", "curator": "owner", "member": "member"}
