"""Installations: joined, paired once, heard from, and where each stands."""

import subprocess
from datetime import timedelta
from typing import Any

import pytest
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from convoy_core.lock.recipe import read_recipe
from convoy_core.trust.signing import verify
from convoy_site.installations import stand_ins, tasks
from convoy_site.installations.models import Installation, StandInMachine
from convoy_site.installations.stand_ins import stand_in_folder
from convoy_site.notices import mailing
from convoy_site.notices.models import Mailed
from convoy_site.people.models import Membership
from convoy_site.people.services import bring_aboard

from .conftest import World
from .test_drafts import edit
from .test_releases import publish


def called(world: World, name: str = "My machine") -> dict[str, Any]:
    rows = world.as_("owner").get(f"{world.at}/roll-call")[1]["rows"]
    return next(row for row in rows if row["name"] == name)


def report(world: World, release: str = "1.0.0", **deviations: str) -> tuple[int, Any]:
    body = {"release": release, "deviations": deviations, "fingerprint": "7K2M-Q4XB"}
    return world.agent().post("/api/agent/report", body)


def test_joining_makes_a_member_and_keeps_a_role(world: World) -> None:
    for who, role in (("stranger", "member"), ("curator", "curator")):
        status, told = world.as_(who).post("/api/installations", {"code": world.code, "name": "Here"})
        assert (status, told["pack"], told["standing"]["state"]) == (200, "Night Freight", "not heard from")
        assert Membership.objects.get(user=world.users[who], crew=world.crew).role == role


def test_a_pairing_command_works_once_and_not_for_ever(world: World) -> None:
    at = f"/api/installations/{world.installation.id}/pairing"
    first = world.as_("member").post(at)[1]["code"]
    told = world.as_("member").post(at)[1]
    assert told["command"].startswith(f"convoy join {told['code']} --site http") and " --key " in told["command"]
    agent = world.agent("nobody")
    assert agent.post("/api/agent/pair", {"code": first})[0] == 404
    for _ in range(2):  # looking uses nothing up, and gives no token
        status, looked = agent.post("/api/agent/pair/look", {"code": told["code"]})
        assert (status, looked["pack"], "token" in looked) == (200, "Night Freight", False)
    assert agent.post("/api/agent/pair/look", {"code": first})[0] == 404
    status, paired = agent.post("/api/agent/pair", {"code": told["code"].lower()})
    assert status == 200 and world.agent(paired["token"]).get("/api/agent/head")[0] == 200
    assert agent.post("/api/agent/pair", {"code": told["code"]})[0] == 404
    assert world.agent().get("/api/agent/head")[0] == 401
    late = world.as_("member").post(at)[1]["code"]
    Installation.objects.update(pairing_until=timezone.now() - timedelta(seconds=1))
    assert agent.post("/api/agent/pair", {"code": late})[0] == 404


def test_a_join_code_given_to_the_agent_is_told_apart(world: World) -> None:
    status, told = world.agent("x").post("/api/agent/pair", {"code": world.code})
    assert status == 422 and "join code" in told["what"] and "/join" in told["now"]


def test_an_agent_gets_its_packs_signed_bytes_and_no_other(world: World) -> None:
    agent = world.agent()
    assert agent.get("/api/agent/head")[1]["number"] == "1.0.0"
    reply = agent.client.get("/api/agent/releases/1.0.0")
    key, signature = map(bytes.fromhex, reply["Convoy-Signatures"].split())
    verify(key, reply.content, signature)
    assert read_recipe(reply.content).pack_name == "Night Freight"
    assert agent.get("/api/agent/releases/9.9")[0] == 404


def test_the_roll_call_follows_reports(world: World) -> None:
    assert called(world)["standing"]["state"] == "not heard from"
    assert report(world)[0] == 200
    assert called(world)["standing"]["state"] == "in step"
    report(world, **{"mods/lock-ledger/readme.md": "altered"})
    row = called(world)
    assert row["standing"]["state"] == "differs"
    assert row["standing"]["differences"][0]["sentence"] == "Lock Ledger: mods/lock-ledger/readme.md altered"
    report(world)
    edit(world, {"do": "remove", "mod": "heron-almanac"})
    publish(world, "1.1.0")
    row = called(world)
    assert (row["standing"]["state"], row["standing"]["behind"]) == ("behind", 1)
    assert row["standing"]["to_do"] == "Sync to release 1.1.0."
    report(world, "1.1.0")
    assert called(world)["standing"]["state"] == "in step"
    Installation.objects.update(heard_at=timezone.now() - timedelta(days=9))
    assert called(world)["standing"]["state"] == "not heard from"


def test_the_members_page_says_what_is_to_come(world: World) -> None:
    report(world)
    edit(world, {"do": "remove", "mod": "heron-almanac"}, {"do": "add", "mod": "harbour-clerk"})
    publish(world, "1.1.0")
    _, page = world.as_("member").get(f"/api/installations/{world.installation.id}")
    # The clerk is the server's; a player is not told to expect it.
    assert [(one["what"], one["mod"]) for one in page["changes"]] == [("removed", "heron-almanac")]
    assert (page["release"], page["current"]) == ("1.0.0", "1.1.0")


def test_the_line_says_who_is_where(world: World) -> None:
    report(world)
    edit(world, {"do": "remove", "mod": "heron-almanac"})
    _, line = world.as_("member").get(f"{world.at}/line")
    assert [stop["number"] for stop in line["stops"]] == ["1.0.0"]
    assert line["pending"] == 2
    assert [(one["initials"], one["release"], one["state"], one["mine"]) for one in line["people"]] == [
        ("M", "1.0.0", "in step", True)
    ]


def test_who_goes_ashore_is_neither_called_nor_served_and_comes_back_to_all_of_it(world: World) -> None:
    def there() -> tuple[int, int, int, int]:
        rows = world.as_("owner").get(f"{world.at}/roll-call")[1]["rows"]
        [pack] = world.as_("owner").get("/api/packs")[1]
        one = world.as_("member").get(f"/api/installations/{world.installation.id}")[0]
        return len(rows), pack["installations"], one, world.agent().get("/api/agent/head")[0]

    report(world)
    assert there() == (1, 1, 200, 200)
    people = f"/api/crews/{world.crew.id}/people"
    assert world.as_("owner").send("DELETE", f"{people}/owner")[0] == 403
    assert world.as_("owner").send("DELETE", f"{people}/member")[0] == 200
    assert there() == (0, 0, 404, 401) and world.as_("member").get("/api/installations")[1] == []
    assert world.as_("member").send("DELETE", f"{people}/member")[0] == 404
    bring_aboard(world.users["member"], world.crew)
    assert there() == (1, 1, 200, 200) and called(world)["standing"]["state"] == "in step"
    assert world.as_("member").send("DELETE", f"{people}/member")[0] == 200


BAD_REPORTS = [
    ({"release": "1.0.0", "deviations": {}, "serial": -1}, 422, "serial"),
    ({"release": "1.0.0", "deviations": {}, "release_sha256": "../../x"}, 422, "release_sha256"),
    ({"release": "1.0.0"}, 422, "deviations"),
    ({"release": "1.0.0", "deviations": {"x": "eaten"}}, 422, "deviations.x"),
    ({"release": "1.0.0", "deviations": {"x" * 301: "extra"}}, 422, "deviations"),
    ({"release": "1.0.0", "deviations": {str(n): "extra" for n in range(10_001)}}, 422, "deviations"),
    ({"release": 1, "deviations": {}}, 422, "release"),
]


@pytest.mark.parametrize(("body", "status", "field"), BAD_REPORTS)
def test_a_report_that_makes_no_sense_is_refused(world: World, body: dict, status: int, field: str | None) -> None:
    got, told = world.agent().post("/api/agent/report", body)
    assert got == status
    if field:
        assert any(name.startswith(field) for name in told["fields"]), told


def test_progress_is_shown_and_a_silent_agent_is_said_to_have_stopped(world: World) -> None:
    body = {"phase": "fetching", "what": "Lock Ledger", "done": 5, "total": 10, "seconds_left": 2}
    body |= {
        "rate": 3,
        "files_done": 1,
        "files": 3,
        "under_way": [{"name": "Lock Ledger 3.4.1", "done": 5, "total": 8}],
    }
    assert world.agent().post("/api/agent/progress", body)[0] == 200
    assert called(world)["progress"] == {**body, "error": ""}
    Installation.objects.update(progress_at=timezone.now() - timedelta(minutes=2))
    assert "stopped without a word" in called(world)["progress"]["error"]
    report(world)
    assert called(world)["progress"]["phase"] == ""


@pytest.fixture
def on_stand_in(world: World) -> World:
    machine = StandInMachine.objects.create(slug="box", name="Box", owner=world.users["member"], memory_mb=8192)
    Installation.objects.filter(pk=world.installation.pk).update(machine=machine)
    world.installation.refresh_from_db()
    return world


@pytest.fixture
def deferred(monkeypatch: Any) -> list[dict]:
    found: list[dict] = []
    monkeypatch.setattr(
        stand_ins, "send_agent", lambda one, **given: found.append({"installation": str(one.pk), **given})
    )
    return found


def test_an_agent_is_sent_once_however_often_somebody_chooses_and_one_run_at_a_time(on_stand_in: World) -> None:
    at = f"/api/installations/{on_stand_in.installation.id}"
    member = on_stand_in.as_("member")
    for trial in (True, False, True):
        assert member.post(f"{at}/choices", {"trial": trial})[0] == 200
    assert Installation.objects.get(pk=on_stand_in.installation.pk).trial  # the second job's refusal undid nothing
    assert member.post(f"{at}/orders", {"what": "sync"})[0] == 200
    jobs = ProcrastinateJob.objects.filter(task_name=tasks.obey.name)
    assert jobs.count() == 2 and len({job.lock for job in jobs}) == 1


def test_only_ones_own_is_asked_and_for_one_thing_at_a_time(on_stand_in: World, deferred: list[dict]) -> None:
    at = f"/api/installations/{on_stand_in.installation.id}/orders"
    assert on_stand_in.as_("owner").post(at, {"what": "sync"})[0] == 404
    assert on_stand_in.as_("member").post(at, {"what": "sync", "extras_aside": True})[0] == 200
    assert on_stand_in.as_("member").post(at, {"what": "look"})[0] == 409
    assert on_stand_in.as_("member").post(at, {"what": "format the disk"})[0] == 422
    assert deferred == [{"installation": str(on_stand_in.installation.id)}]
    order = on_stand_in.agent().get("/api/agent/head")[1]["order"]
    assert order == {"id": 1, "what": "sync", "given": {"extras_aside": True}}
    agent = on_stand_in.agent()
    agent.post("/api/agent/order", {"id": 7, "said": "of another order", "refused": False})
    assert agent.get("/api/agent/head")[1]["order"]
    agent.post("/api/agent/order", {"id": 1, "said": "Release 1.0.0: 9 new.", "refused": False})
    assert agent.get("/api/agent/head")[1]["order"] is None
    page = on_stand_in.as_("member").get(f"/api/installations/{on_stand_in.installation.id}")[1]
    assert (page["answer"], page["refused"], page["progress"]["phase"]) == ("Release 1.0.0: 9 new.", False, "")
    body = {"code": on_stand_in.code, "name": "Not mine", "machine": "box"}
    assert on_stand_in.as_("stranger").post("/api/installations", body)[0] == 404
    assert not Membership.objects.filter(user=on_stand_in.users["stranger"]).exists()


def test_a_machine_of_ones_own_is_asked_only_while_an_agent_watches(world: World) -> None:
    at = f"/api/installations/{world.installation.id}"
    status, told = world.as_("member").post(f"{at}/orders", {"what": "sync"})
    assert status == 409 and "convoy watch" in told["now"]
    world.agent().get("/api/agent/head")
    assert world.as_("member").post(f"{at}/orders", {"what": "sync"})[0] == 200
    assert world.as_("member").post(f"{at}/hold", {"what": "pause"})[0] == 200
    progress = {"phase": "fetching"}
    assert world.agent().post("/api/agent/progress", progress)[1] == {"hold": "pause"}
    # The agent dies: after a while one may ask again, and what was asked long ago is never done.
    Installation.objects.update(progress_at=timezone.now() - timedelta(minutes=1))
    assert world.as_("member").post(f"{at}/orders", {"what": "look"})[0] == 200
    one = Installation.objects.get(pk=world.installation.pk)
    assert world.agent().get("/api/agent/head")[1]["order"]["what"] == "look"
    one.order["at"] = (timezone.now() - timedelta(hours=1)).isoformat()
    one.save(update_fields=["order"])
    assert world.agent().get("/api/agent/head")[1]["order"] is None
    assert world.as_("owner").post(f"{at}/hold", {"what": "stop"})[0] == 404


def test_a_stand_ins_failure_is_told_in_the_agents_words(on_stand_in: World, monkeypatch: Any) -> None:
    ran: list[list[str]] = []

    def run(command: list[str], **_: object) -> "subprocess.CompletedProcess[str]":
        ran.append(command)
        return subprocess.CompletedProcess(command, 2, "", "The disk is full.\n")

    monkeypatch.setattr(tasks.subprocess, "run", run)
    tasks.obey(installation=str(on_stand_in.installation.id))
    assert called(on_stand_in)["progress"]["error"] == "The disk is full."
    assert "join" in ran[0] and str(stand_in_folder(on_stand_in.installation)) in ran[0]
    tasks.obey(installation="00000000-0000-0000-0000-000000000000")
    assert len(ran) == 1


def test_what_holds_comes_from_the_nearest_who_said_something(world: World) -> None:
    at = f"/api/installations/{world.installation.id}"

    def holds() -> dict[str, tuple[int, str]]:
        told = world.as_("member").get(at)[1]["holds"]
        return {name: (one["value"], one["source"]) for name, one in told.items()}

    assert holds() == {
        "memory_share": (33, "the product"), "line_kb": (0, "the product"), "most_mb": (0, "the product"),
        "kept_backups": (8, "the product"),
    }  # fmt: skip
    crew = {"line_kb": 500, "kept_backups": 3, "memory_share": 25, "mail": "never"}
    assert world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/defaults", crew)[0] == 200
    assert world.as_("member").send("PUT", "/api/defaults", {"line_kb": 0, "most_mb": 50})[0] == 200
    assert world.as_("member").post(f"{at}/choices", {"memory_share": 50})[0] == 200
    assert holds() == {
        "memory_share": (50, "this installation"), "line_kb": (0, "you"), "most_mb": (50, "you"),
        "kept_backups": (3, "the crew"),
    }  # fmt: skip
    head = world.agent().get("/api/agent/head")[1]
    assert (head["line"], head["most"], head["keep"]) == (0, 50, 3)
    assert world.as_("member").post(f"{at}/choices", {"as_default": ["memory_share"]})[0] == 200
    assert holds()["memory_share"] == (25, "the crew")
    # Another member's own word is theirs alone, and the crew's mail reaches those who said nothing.
    assert world.as_("owner").get("/api/defaults")[1]["line_kb"] is None
    assert mailing.wish_of(world.users["member"], world.pack) is Mailed.NEVER
    mailing.wish(world.users["member"], None, Mailed.AT_ONCE)
    assert mailing.wish_of(world.users["member"], world.pack) is Mailed.AT_ONCE
    told = {"machine": {"memory_mb": 8192, "disk_free": 0, "runtimes": []}}
    Installation.objects.filter(pk=world.installation.pk).update(about=told)
    assert "2 GB is this machine's safe share" in world.as_("member").get(at)[1]["fit"]["remarks"][0]
