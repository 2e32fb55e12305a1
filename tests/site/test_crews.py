"""What a crew needs around its packs: inviting, retiring, moving, ending; and what the rest of the site keeps then."""

import io
import json
import zipfile
from datetime import timedelta

import pytest
from django.db import IntegrityError, connection, transaction
from django.test import TestCase
from django.utils import timezone

from convoy_core.lock.canonical import sha256_hex
from convoy_core.trust.charter import begin
from convoy_core.trust.signed import Signed, read_signed, read_signed_data
from convoy_core.trust.trusted import Trusted
from convoy_site import kept_files
from convoy_site.catalogue.models import Build, Mod, OwnFile, Source
from convoy_site.installations.models import Installation
from convoy_site.packs.models import Pack
from convoy_site.packs.services import start_pack
from convoy_site.people.models import Crew, CrewInvitation, Membership
from convoy_site.people.services import start_crew
from convoy_site.releases.models import Release

from .conftest import World, new_pack
from .test_news import spread, texts
from .test_ways_in import drop, make


def role(world: World, who: str) -> str | None:
    found = Membership.objects.filter(crew=world.crew, user=world.users[who])
    return found.values_list("role", flat=True).first()


def invited(world: World, who: str = "owner", **asked: object) -> str:
    return world.as_(who).post(f"/api/crews/{world.crew.id}/invitations", asked)[1]["code"]


def test_an_invitation_gives_its_role_once_and_no_more_than_its_maker_may_give(world: World) -> None:
    code = invited(world, role="curator", note="for Pim")
    looked = world.as_("stranger").get(f"/api/aboard/{code.lower()}")[1]
    assert (looked["name"], looked["role"], looked["now"]) == ("Kestrel Wharf", "curator", None)
    assert world.as_("stranger").post(f"/api/aboard/{code}")[0] == 200 and role(world, "stranger") == "curator"
    # Used up, for whoever comes next; and it lowers nobody who is in already.
    world.as_("stranger").send("DELETE", f"/api/crews/{world.crew.id}/people/stranger")
    assert world.as_("stranger").post(f"/api/aboard/{code}")[0] == 404
    anyone = invited(world, "curator", role="member", uses=None)
    assert world.as_("owner").post(f"/api/aboard/{anyone}")[0] == 200 and role(world, "owner") == "owner"
    # Whoever the owner took out does not come back by a code from before.
    assert world.as_("stranger").post(f"/api/aboard/{anyone}")[0] == 200
    world.as_("owner").send("DELETE", f"/api/crews/{world.crew.id}/people/stranger")
    assert world.as_("stranger").post(f"/api/aboard/{anyone}")[0] == 403
    # One that ran out, and one whose maker may invite no more.
    CrewInvitation.objects.update(until=timezone.now() - timedelta(seconds=1))
    assert world.as_("stranger").get(f"/api/aboard/{anyone}")[0] == 404
    by_curator, for_curators = invited(world, "curator"), invited(world, role="curator")
    world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/people/member", {"role": "owner"})
    assert world.as_("stranger").get(f"/api/aboard/{for_curators}")[0] == 404, "its maker may make no curators now"
    world.as_("member").send("PUT", f"/api/crews/{world.crew.id}/people/owner", {"role": "owner"})
    world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/people/curator", {"role": "member"})
    assert world.as_("stranger").get(f"/api/aboard/{by_curator}")[0] == 404


def test_a_retired_pack_is_left_alone_and_still_syncs(world: World) -> None:
    owner, at = world.as_("owner"), world.at
    assert owner.post(f"{at}/retirement", {"why": "We play another."})[0] == 200
    spread()
    assert "Night Freight is retired: We play another. What you have stays on your machine." in texts(world, "member")
    told = owner.get(at)[1]
    assert (told["role"], told["retired"], told["owner"]) == ("member", "We play another.", True)
    edits = {"revision": world.revision(), "edits": [{"do": "add", "mod": "ropework"}]}
    assert owner.post(f"{at}/draft/edits", edits)[1]["code"] == "retired"
    assert owner.post(f"{at}/releases", {"revision": world.revision(), "number": "9.0.0"})[0] == 409
    assert world.as_("stranger").get(f"/api/codes/{world.code}")[0] == 410
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.0.0"
    assert owner.send("DELETE", f"{at}/retirement")[0] == 200
    assert owner.post(f"{at}/draft/edits", edits)[0] == 200


def test_a_pack_that_moves_takes_its_machines_along(world: World) -> None:
    charter = world.as_("owner").client.get(f"/api/crews/{world.crew.id}/charter/file").content
    trusts = Trusted(begin(read_signed(charter), timezone.now()))
    other = start_crew(world.users["owner"], "Amber Quay")
    Membership.objects.create(crew=other, user=world.users["member"])
    move = {"crew": str(other.pk)}
    calling = {"address": "https://example.org/", "kinds": ["release"]}
    assert world.as_("curator").post(f"{world.at}/hooks", calling)[0] == 200
    assert world.as_("owner").send("PUT", f"{world.at}/crew", move)[0] == 200
    assert world.as_("curator").get(world.at)[0] == 404 and world.as_("member").get(world.at)[0] == 200
    assert world.as_("stranger").get(f"/api/codes/{world.code}")[0] == 410
    # What the machine pinned under the old crew holds for a release under the new one.
    edits = {"revision": world.revision(), "edits": [{"do": "add", "mod": "ropework"}]}
    assert world.as_("owner").post(f"{world.at}/draft/edits", edits)[0] == 200
    publishing = {"revision": world.revision(), "number": "2.0.0", "despite": "moved"}
    assert world.as_("owner").post(f"{world.at}/releases", publishing)[0] == 200
    head = world.agent().get("/api/agent/head")[1]
    assert head["number"] == "2.0.0" and world.agent().get("/api/agent/charters/1")[1]["charters"] == []
    trusts = trusts.with_statement(read_signed_data(head["statement"]), str(world.pack.id), timezone.now())
    got = world.agent().client.get("/api/agent/releases/2.0.0")
    key, signature = map(bytes.fromhex, got["Convoy-Signatures"].split(" "))
    trusts.demand_release(Signed(got.content, ((key, signature),)), is_here=False)
    spread()
    assert "Night Freight belongs to Amber Quay now, and no longer to Kestrel Wharf." in texts(world, "curator")
    hook = world.as_("owner").get(f"{world.at}/hooks")[1][0]
    assert not hook["on"] and hook["off_because"] == "The pack moved to another crew."


def test_a_pack_with_its_crews_own_builds_does_not_move(world: World) -> None:
    slug = make(world, drop(world))[1]["mod"]
    edits = {"revision": world.revision(), "edits": [{"do": "add", "mod": slug}]}
    assert world.as_("owner").post(f"{world.at}/draft/edits", edits)[0] == 200
    other = start_crew(world.users["owner"], "Amber Quay")
    told = world.as_("owner").send("PUT", f"{world.at}/crew", {"crew": str(other.pk)})
    assert told[0] == 409 and "own builds" in told[1]["why"]
    start_pack(world.users["owner"], new_pack(other, "Night Freight"))


def test_a_crew_is_taken_along_whole_and_ends_with_all_it_has(world: World) -> None:
    make(world, drop(world))
    keeps = start_crew(world.users["stranger"], "Amber Quay")
    theirs = start_pack(world.users["stranger"], new_pack(keeps, "Other"))
    taken = world.as_("owner").get(f"/api/crews/{world.crew.id}/taken-along")[1]
    with zipfile.ZipFile(io.BytesIO(taken)) as packed:
        assert packed.testzip() is None
        told = json.loads(packed.read("crew.json"))
        document = packed.read(f"releases/{world.pack.id}/1.0.0.json")
        files = {name.rpartition("/")[2]: packed.read(name) for name in packed.namelist() if name.startswith("files/")}
    release = world.pack.releases.get()
    assert sha256_hex(document) == release.sha256 and told["packs"][0]["releases"][0]["number"] == "1.0.0"
    assert files and all(sha256_hex(data) == name for name, data in files.items())
    places = [one.place for one in OwnFile.objects.filter(crew=world.crew)]
    end = f"/api/crews/{world.crew.id}/end"
    assert world.as_("owner").post(end, {"name": "kestrel wharf"})[0] == 403
    # Nobody else gets around what a release is: not the crew that ends, and not a row of another pack.
    with transaction.atomic(), pytest.raises(IntegrityError), connection.cursor() as cursor:
        cursor.execute("select set_config('convoy.ends', %s, true)", [str(theirs.pk)])
        Release.objects.filter(pack=world.pack).delete()
    with TestCase.captureOnCommitCallbacks(execute=True):
        assert world.as_("owner").post(end, {"name": "Kestrel Wharf"})[0] == 200
    assert not any(kept_files.is_kept(place) for place in places)
    gone = {"crew": world.crew.pk}
    for rows in (Pack.objects.filter(**gone), Source.objects.filter(**gone), Mod.objects.filter(**gone)):
        assert not rows.exists()
    assert not Crew.objects.filter(pk=world.crew.pk).exists() and not Installation.objects.exists()
    assert not Release.objects.exists() and Pack.objects.get() == theirs
    assert Build.objects.filter(mod__crew=None).exists(), "what everybody sees stays"
    assert texts(world, "member")[0].startswith("owner ended Kestrel Wharf.")
    assert world.agent().get("/api/agent/head")[0] == 401
