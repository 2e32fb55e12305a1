"""Charters, statements and signatures on the site; machines that have what it has not; reports that come late."""

import json
import shutil
from dataclasses import replace
from datetime import timedelta
from io import StringIO
from pathlib import Path
from typing import Any

import pytest
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from convoy_core.lock.canonical import sha256_hex
from convoy_core.trust.bundle import read_bundle, write_bundle
from convoy_core.trust.charter import CONTEXT, Charter, Duty, begin, read_charter
from convoy_core.trust.signed import Signed, read_signed, read_signed_data
from convoy_core.trust.signing import new_key, public_half
from convoy_core.trust.statement import HOLDS_FOR, RENEWED_AFTER, read_statement
from convoy_core.trust.trusted import RELEASE_CONTEXT, Trusted
from convoy_site import word
from convoy_site.installations.models import Installation
from convoy_site.keeping.identity import NotOfThisSite, take_up
from convoy_site.releases import keys
from convoy_site.releases.models import Release, StatementKept
from convoy_site.releases.statements import renew_statements

from .conftest import World


def charter_of(world: World) -> tuple[Charter, Signed]:
    signed = read_signed(world.as_("owner").client.get(f"/api/crews/{world.crew.id}/charter/file").content)
    return begin(signed, timezone.now()), signed


def bring(world: World, path: str, data: bytes, who: str = "owner") -> tuple[int, Any]:
    reply = world.as_(who).client.post(path, {"file": SimpleUploadedFile("f.json", data)})
    return reply.status_code, json.loads(reply.content)


def bring_charter(world: World, charter: Charter, *signers: bytes, who: str = "owner") -> tuple[int, Any]:
    signed = Signed(charter.as_bytes())
    for one in signers:
        signed = signed.with_signature(CONTEXT, one)
    return bring(world, f"/api/crews/{world.crew.id}/charter/file", signed.as_bytes(), who)


def publish(world: World, number: str) -> tuple[int, Any]:
    body = {"revision": world.revision(), "number": number, "channel": "stable", "notes": ""}
    return world.as_("owner").post(f"{world.at}/releases", body)


def edit(world: World, mod: str) -> None:
    body = {"revision": world.revision(), "edits": [{"do": "add", "mod": mod}]}
    assert world.as_("owner").post(f"{world.at}/draft/edits", body)[0] == 200


def said(world: World):
    told = world.agent().get("/api/agent/head")[1]
    return read_statement(read_signed_data(told["statement"]), charter_of(world)[0], str(world.pack.id))


def test_what_is_newest_is_signed_at_every_change_and_before_it_runs_out(world: World) -> None:
    first = said(world)
    release = Release.objects.get(pack=world.pack)
    assert {one.sha256 for one in first.newest.values()} == {release.sha256, sha256_hex(bytes(release.document))}
    edit(world, "rivet")
    assert publish(world, "1.1.0") == (200, {"number": "1.1.0", "waits": False})
    second = said(world)
    assert {one.number for one in second.newest.values()} == {"1.1.0"} and second.made_at > first.made_at
    assert world.as_("owner").post(f"{world.at}/releases/1.1.0/withdrawal", {"why": "It sinks."})[0] == 200
    third = said(world)
    assert {one.number for one in third.newest.values()} == {"1.0.0"}
    assert third.withdrawn == {Release.objects.get(number="1.1.0").sha256}
    assert said(world) == third and renew_statements() == 0
    StatementKept.objects.update(made_at=timezone.now() - RENEWED_AFTER - timedelta(minutes=1))
    assert renew_statements() == 1 and said(world).expires > timezone.now() + HOLDS_FOR - timedelta(minutes=1)


def test_the_word_is_handed_out_from_memory_and_calls_who_is_asked_for(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    nobody, address = Client(), f"/statements/{world.pack.id}.json"
    first = nobody.get(address)
    assert (first.status_code, json.loads(first.content)["calls"]) == (200, {})
    with CaptureQueriesContext(connection) as asked:
        again = nobody.get(address, headers={"If-None-Match": first["ETag"]})
    assert (again.status_code, again.content, len(asked)) == (304, b"", 0)
    assert nobody.get("/statements/nothing.json").status_code == 404
    assert nobody.get(f"/statements/{world.crew.id}.json").status_code == 404
    assert nobody.post(address).status_code == 405
    monkeypatch.setattr(word, "FRESH_FOR", 0)
    world.agent().get("/api/agent/head")
    at = f"/api/installations/{world.installation.id}"
    assert world.as_("member").post(f"{at}/orders", {"what": "look"})[0] == 200
    fresh = Client().get(address)
    [(called, count)] = json.loads(fresh.content)["calls"].items()
    assert count == 1 and str(world.installation.id) not in fresh.content.decode() and fresh["ETag"] != first["ETag"]
    assert world.as_("member").post(f"{at}/choices", {"left_out": []})[0] == 200
    assert json.loads(Client().get(address).content)["calls"] == {called: 2}


def test_a_crew_takes_its_keys_off_the_site(world: World) -> None:
    """Root and release keys leave; releases wait for two people; machines that trusted the first charter follow."""
    first, signed = charter_of(world)
    root, *people = (new_key() for _ in range(4))
    offline = replace(first, version=2).with_duty(Duty.CHARTER, [public_half(root)], 1)
    offline = offline.with_duty(Duty.RELEASE, [public_half(one) for one in people], 2)
    assert bring_charter(world, offline, people[0])[1]["code"] == "bad-signature"
    assert bring_charter(world, offline, root, who="curator")[0] == 403
    assert bring_charter(world, offline, root, who="stranger")[0] == 404
    assert bring_charter(world, replace(offline, version=3), root)[1]["code"] == "wrong-charter"
    mute = offline.with_duty(Duty.STATEMENT, [public_half(root)], 1)
    assert bring_charter(world, mute, root)[1]["code"] == "site-cannot-sign"
    # The site holds the charter key as yet, and signs for the owner; once, and never again. Its word speaks of it at
    # once.
    assert said(world).charter == 1
    assert bring_charter(world, offline, root)[0] == 200
    assert said(world).charter == 2
    assert bring_charter(world, offline, root)[1]["code"] == "wrong-charter"
    assert bring_charter(world, replace(first, version=3), root)[0] == 422
    shown = world.as_("member").get(f"/api/crews/{world.crew.id}/charter")[1]
    assert (shown["version"], shown["mark"], shown["unsigned"], shown["may_change"]) == (
        2, offline.mark, [{"pack": str(world.pack.id), "name": "Night Freight", "releases": 1}], False,
    )  # fmt: skip
    # Two at once: nobody may sign alone, and the older release has to be signed anew.
    edit(world, "rivet")
    assert publish(world, "1.1.0") == (200, {"number": "1.1.0", "waits": True})
    told = world.as_("curator").get(f"{world.at}/to-sign")[1]
    assert (told["waits"]["signed"], told["waits"]["needed"], told["older"]) == (0, 2, ["1.0.0"])
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.0.0"
    at = f"{world.at}/to-sign/file"
    bundle = world.as_("curator").client.get(at).content

    def signed_by(data: bytes, key: bytes) -> bytes:
        return write_bundle(one.with_signature(RELEASE_CONTEXT, key) for one in read_bundle(data))

    assert bring(world, at, signed_by(bundle, root))[1]["code"] == "bad-signature"
    assert bring(world, at, b"[" * 9)[1]["code"] == "malformed"
    assert bring(world, at, signed_by(bundle, people[0]), "member")[0] == 403
    assert bring(world, at, signed_by(bundle, people[0])) == (200, {"number": "", "waits": True})
    assert bring(world, at, signed_by(bundle, people[0]))[1]["waits"]
    assert bring(world, at, signed_by(bundle, people[2]), "curator") == (200, {"number": "1.1.0", "waits": False})
    assert world.as_("curator").get(f"{world.at}/to-sign")[1] == {"waits": None, "older": []}
    # A machine that joined before follows, and takes what two have signed.
    agent = world.agent()
    ones = [read_signed_data(one) for one in agent.get("/api/agent/charters/1")[1]["charters"]]
    trusted = Trusted(read_charter(signed.document)).with_charters(ones, timezone.now())
    head = agent.get("/api/agent/head")[1]
    trusted = trusted.with_statement(read_signed_data(head["statement"]), str(world.pack.id), timezone.now())
    assert trusted.charter.as_bytes() == offline.as_bytes() and head["number"] == "1.1.0"
    for number in ("1.0.0", "1.1.0"):
        reply = agent.client.get(f"/api/agent/releases/{number}")
        pairs = [tuple(map(bytes.fromhex, one.split())) for one in reply["Convoy-Signatures"].split(",")]
        trusted.demand_release(Signed(reply.content, tuple(pairs)), is_here=False)  # type: ignore[arg-type]
    edit(world, "moon-tables")
    assert publish(world, "1.2.0")[1]["waits"] and world.as_("owner").send("DELETE", f"{world.at}/to-sign")[0] == 200
    assert publish(world, "1.2.0")[1]["waits"]


def test_the_sites_keys_are_renewed_and_nobody_pairs_anew(world: World) -> None:
    first, signed = charter_of(world)
    call_command("site_keys", "renew", stdout=StringIO())
    after, _ = charter_of(world)
    assert after.version == 2 and after.mark != first.mark
    ones = [read_signed_data(one) for one in world.agent().get("/api/agent/charters/1")[1]["charters"]]
    trusted = Trusted(read_charter(signed.document)).with_charters(ones, timezone.now())
    head = world.agent().get("/api/agent/head")[1]
    assert trusted.with_statement(read_signed_data(head["statement"]), str(world.pack.id), timezone.now()).statement
    assert world.as_("owner").get(f"/api/crews/{world.crew.id}/charter")[1]["unsigned"] == []
    edit(world, "rivet")
    assert publish(world, "1.1.0") == (200, {"number": "1.1.0", "waits": False})


def told(world: World, release: str = "1.0.0", **more: object) -> dict[str, object]:
    return {"release": release, "deviations": {}, **more}


def test_a_machine_with_another_release_of_that_number_is_not_in_step(world: World) -> None:
    agent, right = world.agent(), Release.objects.get(pack=world.pack).sha256
    for release, sha256, state, words in (
        ("1.0.0", right, "in step", ""),
        ("1.0.0", "f" * 64, "behind", "another than the pack's"),
        ("1.6.0", "e" * 64, "behind", "which the site does not know"),
        ("1.0.0", "", "in step", ""),
    ):
        assert agent.post("/api/agent/report", told(world, release, release_sha256=sha256))[0] == 200
        row = world.as_("owner").get(f"{world.at}/roll-call")[1]["rows"][0]
        assert (row["standing"]["state"], row["release"]) == (state, release)
        assert words in row["standing"]["other"] and bool(words) == bool(row["standing"]["other"])
        [person] = world.as_("owner").get(f"{world.at}/line")[1]["people"]
        assert person["release"] == ("" if words else release)


def test_a_report_that_comes_late_overwrites_none(world: World) -> None:
    agent = world.agent()
    assert agent.post("/api/agent/report", told(world, serial=9, deviations={"mods/x": "extra"}))[0] == 200
    assert agent.post("/api/agent/report", told(world, serial=8))[0] == 200
    kept = Installation.objects.get(pk=world.installation.pk)
    assert (kept.deviations, kept.serial) == ({"mods/x": "extra"}, 9)
    assert agent.post("/api/agent/report", told(world, serial=10))[0] == 200
    assert Installation.objects.get(pk=world.installation.pk).deviations == {}


def test_a_report_of_an_installation_that_is_being_removed_is_a_plain_refusal(world: World) -> None:
    from convoy_site.installations.reports import AgentReport, take_report
    from convoy_site.people.rights import NotFound

    known = Installation.objects.select_related("pack").get(pk=world.installation.pk)
    Installation.objects.filter(pk=known.pk).delete()
    with pytest.raises(NotFound, match="was removed"):
        take_report(known, AgentReport("1.0.0", {}))


def test_a_machine_that_is_not_of_this_site_says_so_at_its_start(world: World, tmp_path: Path, settings: Any) -> None:
    assert take_up() is False and take_up() is False
    own = Path(settings.DATA)
    with pytest.raises(NotOfThisSite, match="looks for it"):
        settings.MEDIA_ROOT = tmp_path / "elsewhere"
        take_up()
    take_up(restored=True)
    take_up()
    settings.MEDIA_ROOT = own / "files"
    settings.DATA = tmp_path / "second"
    with pytest.raises(NotOfThisSite, match="here lies none"):
        take_up()
    assert not (tmp_path / "second").exists()
    keys.make_keys()
    with pytest.raises(NotOfThisSite, match="is not the key of this site"):
        take_up()
    shutil.copy(own / "statement.key", tmp_path / "second")
    (tmp_path / "second/signing.key").unlink()
    take_up()


def test_a_store_that_is_away_at_the_start_keeps_no_site_from_starting(
    world: World, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def away(*_: object, **__: object) -> None:
        raise OSError("the line was cut")

    with monkeypatch.context() as while_away:
        while_away.setattr(default_storage, "exists", away)
        while_away.setattr(default_storage, "save", away)
        call_command("set_up", stdout=StringIO())
    assert "cannot be reached" in capsys.readouterr().err
    # Nothing half was noted meanwhile: the next start is a first one.
    call_command("set_up", stdout=StringIO())
    call_command("set_up", stdout=StringIO())
