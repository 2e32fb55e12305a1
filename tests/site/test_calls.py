"""Calls for help: seen by nobody before they are sent, answered, taken with one press, found by their cause."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils import timezone

from convoy_site.installations.models import Installation
from convoy_site.notices.models import Call, Notice
from convoy_site.notices.spreading import spread
from convoy_site.people.models import Event
from convoy_site.trials.models import HelpCall

from .conftest import World

CAUSE = {
    "sentence": "Lanterns and Ledger both set tolls.night",
    "known": "one-key",
    "mod": "lanterns",
    "other": "ledger",
}
STARTS = [
    {"began": "2026-11-20T20:00:00+00:00", "release": "1.0.0", "sentence": "It crashed.", "good": False},
    {"began": "2026-11-19T20:00:00+00:00", "release": "1.0.0", "sentence": "It was played.", "good": True},
]
TEXT = "# A call for help: Night Freight\n\n## Starts\n\n- one\n"


def gathered(world: World, **more: Any) -> str:
    given = {"text": TEXT, "words": "It never comes up", "number": "1.0.0", "cause": CAUSE, "starts": STARTS, **more}
    status, told = world.agent().post("/api/agent/help", given)
    assert status == 200, told
    return str(told["id"])


def at(call: str, more: str = "") -> str:
    return f"/api/calls/{call}{more}"


def told_to(world: World, who: str) -> list[str]:
    for event in Event.objects.filter(spread_at=None):
        spread(event.pk)
    return list(
        Notice.objects.filter(user=world.users[who], address__startswith="/calls").values_list("text", flat=True)
    )


def watched(world: World) -> None:
    """Its agent asked a moment ago: it is there to do what the page asks."""
    Installation.objects.filter(pk=world.installation.pk).update(watched_at=timezone.now())


def test_a_call_is_its_members_alone_until_they_send_it(world: World) -> None:
    call = gathered(world)
    member, curator = world.as_("member"), world.as_("curator")
    assert member.get(at(call))[1]["state"] == "gathered" and told_to(world, "curator") == []
    assert curator.get(at(call))[0] == 404 and curator.get(f"{world.at}/calls")[1] == []
    assert curator.post(at(call, "/send"))[0] == 404 and curator.post(at(call, "/close"), {"was": ""})[0] == 404
    # What is gathered anew takes the place of what was never sent.
    call, before = gathered(world, words="Still"), call
    assert member.get(at(before))[0] == 404
    assert member.post(at(call, "/send"))[0] == 200 and member.post(at(call, "/send"))[0] == 200
    told = curator.get(at(call))[1]
    assert (told["state"], told["words"], told["member"]) == ("open", "Still", world.users["member"].shown)
    assert told["last_good"]["sentence"] == "It was played." and told["installation_id"] is None
    assert len(told_to(world, "curator")) == 1 and told_to(world, "owner") and not told_to(world, "member")
    assert member.send("DELETE", at(call))[0] == 200 and not HelpCall.objects.exists()


def test_what_is_proposed_is_taken_once_and_by_whom_it_is_for(world: World) -> None:
    call = gathered(world, send=True)
    member, curator = world.as_("member"), world.as_("curator")
    builds = curator.get(f"{world.at}/mods/weir-core")[1]["builds"]
    hold = {"do": "hold", "mod": "weir-core", "version": builds[-1]["version"]}
    curator.post(
        f"{world.at}/draft/edits", {"revision": world.revision(), "edits": [{"do": "add", "mod": "weir-core"}]}
    )
    setting = {"do": "setting", "path": "config/a.toml", "key": ["a", "b"], "value": 3}
    for proposal in (hold, setting, {"do": "release", "number": "1.0.0"}, {"do": "step", "text": "Restart."}):
        assert curator.post(at(call, "/answers"), {"text": "Try this", "proposal": proposal})[0] == 200
    assert member.post(at(call, "/answers"), {"proposal": hold})[0] == 403
    said = member.get(at(call))[1]["said"]
    assert [one["mine"] for one in said] == [False, True, True, True]
    numbers = [one["number"] for one in said]
    assert said[1]["says"] == "Set a.b to 3 in config/a.toml, on your machine"
    # The draft is not the member's, nor their machine the curator's; nothing is taken where nobody would do it.
    assert member.post(at(call, f"/answers/{numbers[0]}/take"))[0] == 403
    assert curator.post(at(call, f"/answers/{numbers[1]}/take"))[0] == 404
    assert member.post(at(call, f"/answers/{numbers[1]}/take"))[1]["code"] == "not-watching"
    assert not any(one["taken_at"] for one in member.get(at(call))[1]["said"])
    watched(world)
    assert member.post(at(call, f"/answers/{numbers[1]}/take"))[0] == 200
    one = Installation.objects.get(pk=world.installation.pk)
    assert one.order["what"] == "set own" and one.order["given"]["settings"][0]["value"] == 3
    assert one.pinned == [["config/a.toml", ["a", "b"]]]
    assert member.post(at(call, f"/answers/{numbers[1]}/take"))[1]["code"] == "already-taken"
    assert member.post(at(call, f"/answers/{numbers[3]}/take"))[0] == 200
    assert curator.post(at(call, f"/answers/{numbers[0]}/take"))[0] == 200
    line = world.pack.draft.lines.get(mod="weir-core")
    assert line.held_version == hold["version"] and line.held_because.startswith("Helps ")
    assert [bool(one["taken_at"]) for one in member.get(at(call))[1]["said"]] == [True, True, False, True]


def test_an_earlier_release_is_taken_where_it_is_open_and_a_folder_is_there(world: World) -> None:
    call = gathered(world, send=True)
    member, curator = world.as_("member"), world.as_("curator")
    for number in ("1.0.0", "9.9.9"):
        curator.post(at(call, "/answers"), {"proposal": {"do": "release", "number": number}})
    good, bad = (one["number"] for one in member.get(at(call))[1]["said"])
    watched(world)
    assert member.post(at(call, f"/answers/{bad}/take"))[0] == 404
    assert Installation.objects.get(pk=world.installation.pk).stays_at is None
    assert member.post(at(call, f"/answers/{good}/take"))[0] == 200
    one = Installation.objects.get(pk=world.installation.pk)
    assert one.stays_at is not None and one.stays_at.number == "1.0.0" and one.order["what"] == "sync"
    one.delete()
    assert member.post(at(call, f"/answers/{bad}/take"))[1]["code"] == "no-folder"
    assert member.get(at(call))[1]["installation"] == ""
    for odd in (
        {"do": "release"}, {"do": "erase", "path": "worlds"}, {"do": "step", "text": " "},
        {"do": "setting", "path": "a", "key": [], "value": 1},
        {"do": "setting", "path": "a", "key": ["b"], "value": [1]},
    ):  # fmt: skip
        assert curator.post(at(call, "/answers"), {"proposal": odd})[0] == 422, odd


def test_no_program_is_told_of_calls(world: World) -> None:
    """Neither feeds nor hooks: they are between a member and their curators."""
    hook = {"address": "https://listens.example/x", "kinds": ["called-for-help"]}
    assert world.as_("owner").post(f"{world.at}/hooks", hook)[0] == 403
    assert world.as_("owner").post(f"{world.at}/hooks", {**hook, "kinds": ["release"]})[0] == 200
    call = gathered(world, send=True)
    feed = world.as_("owner").post(f"{world.at}/feed")[1]["address"].partition("/news/")[2]
    told_to(world, "curator")
    assert call.encode() not in world.as_("owner").get(f"/news/{feed}")[1] and not Call.objects.exists()


def test_a_closed_call_says_what_it_was_to_whoever_has_the_same(world: World) -> None:
    first = gathered(world, send=True)
    curator, member = world.as_("curator"), world.as_("member")
    assert member.post(at(first, "/close"), {"was": "Fog Patch"})[0] == 200
    assert curator.post(at(first, "/answers"), {"text": "Late"})[1]["code"] == "call-closed"
    told = told_to(world, "curator")
    assert any("closed: Fog Patch" in text for text in told), told
    other = Installation.objects.create(pack=world.pack, member=world.users["owner"], name="Mine")
    HelpCall.objects.filter(pk=first).update(member=world.users["owner"], installation=other)
    alike = member.get(at(gathered(world, send=True)))[1]["alike"]
    assert alike == {"people": 1, "ends": [{"was": "Fog Patch", "times": 1}]}
    # Another cause, and none that is known, are like no other.
    unlike = {"sentence": "Nothing known explains it."}
    for cause in ({**CAUSE, "other": "weir-core"}, unlike, None):
        assert member.get(at(gathered(world, send=True, cause=cause)))[1]["alike"]["people"] == 0


@pytest.mark.parametrize(
    "odd",
    [{"text": ""}, {"text": "x" * 200_001}, {"starts": STARTS * 7}, {"words": "\0"}, {"cause": {"sentence": 3}}],
)
def test_what_no_agent_sends_is_refused(world: World, odd: dict[str, Any]) -> None:
    assert world.agent().post("/api/agent/help", {"text": TEXT, **odd})[0] == 422
    assert not HelpCall.objects.exists()


def test_no_more_calls_are_open_than_anybody_answers(world: World) -> None:
    for _ in range(20):
        gathered(world, send=True)
    assert world.agent().post("/api/agent/help", {"text": TEXT, "send": True})[1]["code"] == "too-many-calls"


def test_a_log_is_searched_with_what_stands_around_and_seen_by_whom_the_call_is(world: World) -> None:
    def entry(at: int, text: str, **more: Any) -> dict[str, Any]:
        told = {"at": "", "severity": "information", "origin": "game", "mod": None, "text": text, "lines": [],
                "from_line": at, "to_line": at, "count": 1, "known": None, "new": False}  # fmt: skip
        return told | more

    last = [entry(at, f"line {at}") for at in range(40)]
    last[20] |= {"text": "Ran aground", "severity": "error", "mod": "lanterns", "new": True}
    call = gathered(world, logs={"last": last, "good": last[:3]})
    log = at(call, "/log/last")
    member = world.as_("member")
    assert member.get(at(call))[1]["logs"] == ["last", "good"] and world.as_("curator").get(log)[0] == 404
    found = member.get(f"{log}?text=AGROUND&around=2")[1]
    assert [one["number"] for one in found["entries"]] == [18, 19, 20, 21, 22]
    assert [one["beside"] for one in found["entries"]] == [True, True, False, True, True]
    assert (found["found"], found["shown"], found["whole"], found["first_bad"]) == (1, 5, 40, 2)
    assert member.get(f"{log}?fresh=true")[1]["found"] == 1 and member.get(at(call, "/log/good"))[1]["whole"] == 3
    assert member.get(at(call, "/log/worst"))[0] == 422 and member.get(f"{log}?around=21")[0] == 422
    for odd in ({"last": [entry(1, "x" * 2001)]}, {"last": [entry(1, "x", severity="loud")]}, {"last": last * 26}):
        assert world.agent().post("/api/agent/help", {"text": TEXT, "logs": odd})[0] == 422


def test_whoever_left_the_crew_neither_sees_nor_is_told(world: World) -> None:
    call = gathered(world, send=True)
    world.crew.memberships.filter(user=world.users["member"]).delete()
    assert world.as_("member").get(at(call))[0] == 404
    assert world.as_("curator").get(at(call))[0] == 200
    world.as_("curator").post(at(call, "/answers"), {"text": "Are you there?"})
    assert told_to(world, "member") == []
