"""What a member chooses and asks for, and what the crew sees of it: choices, withdrawals, listings, departures."""

import hashlib
import json
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from convoy_core.lock.recipe import read_recipe
from convoy_core.machine.memory import STEP
from convoy_site.catalogue.models import Build
from convoy_site.installations.models import Installation, StandInMachine
from convoy_site.people.services import bring_aboard

from .conftest import World, set_edit
from .test_drafts import edit
from .test_installations import called, deferred, on_stand_in, report
from .test_releases import publish

__all__ = ["deferred", "on_stand_in"]

PLAN = {
    "release": "1.0.0", "counts": {"place": 9}, "left_alone": 0, "merged": [], "mine": [], "aside": [], "extras": [],
    "fetch": 2, "fetch_bytes": 4000, "place_bytes": 9000, "seconds": -1, "worlds": [],
}  # fmt: skip
ABOUT = {
    "at": "2026-11-20T20:00:00+00:00",
    "machine": {"memory_mb": 16384, "disk_free": 10**9, "runtimes": ["21"], "system": "Linux"},
    "plan": PLAN, "errands": [], "errand_minutes": 0, "strayed": [], "found": {}, "choices": [], "steps": [],
    "backups": [], "history": [],
}  # fmt: skip


BACKUP = {
    "id": "../x", "made_at": ABOUT["at"], "why": "", "release": "", "by_hand": True, "files": 0, "size": 0,
}  # fmt: skip


def tell(world: World, release: str = "1.0.0", deviations: dict | None = None, **about: Any) -> tuple[int, Any]:
    body = {"release": release, "deviations": deviations or {}, "about": {**ABOUT, **about}}
    return world.agent().post("/api/agent/report", body)


def page(world: World) -> dict[str, Any]:
    return world.as_("member").get(f"/api/installations/{world.installation.id}")[1]


def choose(world: World, **choices: Any) -> tuple[int, Any]:
    return world.as_("member").post(f"/api/installations/{world.installation.id}/choices", choices)


def two_releases(world: World, channel: str = "stable") -> None:
    edit(world, {"do": "remove", "mod": "heron-almanac"})
    status, told = world.as_("owner").post(
        f"{world.at}/releases", {"revision": world.revision(), "number": "1.1.0", "channel": channel}
    )
    assert status == 200, told


# --- Releases that a member follows


def test_a_member_stays_at_a_release_and_follows_again(world: World) -> None:
    two_releases(world)
    report(world)
    assert choose(world, stays_at="1.0.0")[0] == 200
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.0.0"
    row = called(world)
    assert (row["standing"]["state"], row["target"]) == ("behind", "1.0.0")
    assert "Chose to stay at 1.0.0" in row["standing"]["to_do"]
    assert choose(world, stays_at="9.9")[0] == 404
    assert choose(world, stays_at="")[0] == 200
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.1.0"


def test_a_trial_release_reaches_only_those_who_chose_it(world: World) -> None:
    two_releases(world, "trial")
    report(world)
    assert called(world)["standing"]["state"] == "in step"
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.0.0"
    assert choose(world, stays_at="1.1.0")[0] == 404
    assert choose(world, trial=True)[0] == 200
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.1.0"
    assert called(world)["standing"]["state"] == "behind"
    assert world.as_("owner").get(f"{world.at}/roll-call")[1]["current"] == "1.0.0"
    # An evening may be for trying it: who does not follow such releases is told to.
    choose(world, trial=False)
    [told] = depart(world, release="1.1.0")[1]
    world.as_("member").post(f"{world.at}/departures/{told['id']}/answer", {"comes": True})
    waiting = {one["who"]: one["to_do"] for one in world.as_("owner").get(f"{world.at}/departures")[1][0]["waiting"]}
    assert waiting["member"] == "Follow trial releases, then go to release 1.1.0."


def test_a_withdrawn_release_is_nobodys_target_and_stays_listed_with_its_reason(world: World) -> None:
    two_releases(world)
    report(world, "1.1.0")
    assert called(world)["standing"]["state"] == "in step"
    at = f"{world.at}/releases/1.1.0/withdrawal"
    assert world.as_("owner").post(at, {"why": ""})[0] == 422
    assert world.as_("owner").post(at, {"why": "It eats worlds."})[0] == 200
    assert world.as_("owner").post(at, {"why": "Again."})[0] == 200
    row = called(world)
    assert (row["standing"]["state"], row["standing"]["to_do"]) == ("behind", "Sync to release 1.0.0.")
    assert "- Release 1.1.0 was withdrawn: It eats worlds.\n" in row["message"]
    assert world.agent().get("/api/agent/head")[1]["number"] == "1.0.0"
    assert [one["withdrawn"] for one in page(world)["releases"]] == ["It eats worlds.", ""]
    assert world.as_("member").get(f"/api/codes/{world.code}")[1]["release"] == "1.0.0"
    assert choose(world, stays_at="1.1.0")[0] == 404
    # Who went from it to the other release has no way back that the agent would be refused.
    tell(world, "1.0.0", undo="1.1.0")
    assert page(world)["undo"] == ""


def test_what_going_back_does_to_worlds_is_said_before_anything_looks(on_stand_in: World, deferred: list[dict]) -> None:
    world = on_stand_in
    edit(world, {"do": "add", "mod": "seasons-turn"})
    publish(world, "1.1.0")
    tell(world, "1.1.0", plan={**PLAN, "release": "1.1.0"})
    assert page(world)["worlds"] == []
    choose(world, stays_at="1.0.0")
    [told] = page(world)["worlds"]
    assert told["sentence"].startswith("Seasons Turn") and "The calendar stops" in told["note"]
    assert page(world)["plan"] is None
    # Its agent is sent to look, and from then on the plan knows better: of the worlds that lie there.
    assert deferred == [{"installation": str(world.installation.id), "only_look": True}]
    tell(world, "1.1.0", plan={**PLAN, "worlds": [{"sentence": "Seasons Turn 2.1.0 removed", "note": ""}]})
    assert [one["note"] for one in page(world)["worlds"]] == [""]
    choose(world, line_kb=300)
    assert len(deferred) == 1


def test_staying_at_a_release_ends_when_that_is_withdrawn(world: World) -> None:
    two_releases(world)
    choose(world, stays_at="1.0.0")
    report(world, "1.0.0")
    assert (page(world)["stays_at"], page(world)["target"]) == ("1.0.0", "1.0.0")
    assert world.as_("owner").post(f"{world.at}/releases/1.0.0/withdrawal", {"why": "It eats worlds."})[0] == 200
    shown = page(world)
    assert (shown["stays_at"], shown["target"]) == ("", "1.1.0")
    assert shown["standing"]["to_do"] == "Sync to release 1.1.0."


def test_while_no_release_is_open_a_machine_stays_at_what_it_has(world: World) -> None:
    owner = world.as_("owner")
    report(world, "1.0.0")
    evening = {"at": (timezone.now() + timedelta(hours=30)).isoformat(), "release": "1.0.0", "note": ""}
    assert owner.post(f"{world.at}/departures", evening)[0] == 200
    assert owner.post(f"{world.at}/releases/1.0.0/withdrawal", {"why": "It eats worlds."})[0] == 200
    row = called(world)
    assert (row["standing"]["state"], row["standing"]["to_do"], row["message"]) == ("behind", "", "")
    assert row["standing"]["since"] > row["heard_at"] and row["fit"]["minimum"] > 0
    told = world.agent().get("/api/agent/head")[1]
    assert (told["number"], told["newest"]) == ("1.0.0", "")
    shown = page(world)
    assert (shown["current"], shown["target"], shown["changes"]) == ("", "1.0.0", [])
    assert world.as_("member").get(f"/api/codes/{world.code}")[1]["release"] == ""
    assert owner.get(world.at)[1]["newest_release"] == owner.get("/api/packs")[1][0]["newest_release"] == ""
    departure = owner.get(f"{world.at}/departures")[1][0]
    assert (departure["release"], departure["needed"]) == ("", "")
    assert "none is open" in departure["waiting"][0]["to_do"]
    # One that has nothing yet has nowhere to go.
    report(world, "")
    assert world.agent().get("/api/agent/head")[0] == 404
    edit(world, {"do": "steps", "steps": [{"id": "read", "text": "Read the rules."}]})
    publish(world, "1.1.0")
    assert owner.get(f"{world.at}/departures")[1][0]["needed"] == "1.1.0"
    assert called(world)["standing"]["to_do"] == "Install release 1.1.0."
    assert owner.get(world.at)[1]["newest_release"] == "1.1.0"


def test_an_agent_is_not_handed_what_its_member_may_not_have(world: World) -> None:
    two_releases(world, "trial")
    agent = world.agent()
    status, told = agent.get("/api/agent/releases/1.1.0")
    assert status == 404 and "for trial only" in told["what"]
    choose(world, trial=True)
    assert agent.client.get("/api/agent/releases/1.1.0").status_code == 200
    report(world, "1.1.0")
    at = f"{world.at}/releases/1.1.0/withdrawal"
    assert world.as_("owner").post(at, {"why": "It eats worlds."})[0] == 200
    # Whoever has it may look at what they have; nobody else gets it any more.
    assert agent.client.get("/api/agent/releases/1.1.0").status_code == 200
    report(world, "1.0.0")
    status, told = agent.get("/api/agent/releases/1.1.0")
    assert (status, told["why"]) == (404, "It eats worlds.")


def test_steps_are_told_before_anything_is_looked_at(world: World) -> None:
    steps = [{"id": "read", "text": "Read the rules."}, {"id": "patch", "text": "Run the patcher."}]
    edit(world, {"do": "steps", "steps": steps})
    publish(world, "1.1.0")
    assert [(one["text"], one["done"]) for one in page(world)["steps"]] == [
        ("Read the rules.", False), ("Run the patcher.", False),
    ]  # fmt: skip
    done = {"check": "none", "path": "", "done": True, "seen": False}
    tell(world, steps=[{**steps[0], **done}, {"id": "of another release", "text": "", **done}], undo="1.0.0")
    assert [(one["id"], one["done"]) for one in page(world)["steps"]] == [("read", True), ("patch", False)]
    assert page(world)["undo"] == "1.0.0"


def test_what_was_asked_of_one_run_is_not_asked_of_the_next(world: World) -> None:
    """Stopped, or killed while it paused: the next run from the command line begins as if nobody had asked."""
    at = f"/api/installations/{world.installation.id}"
    agent = world.agent()

    def tell_progress(**told: Any) -> str:
        return agent.post("/api/agent/progress", {"phase": "fetching", **told})[1]["hold"]

    assert tell_progress() == ""
    world.as_("member").post(f"{at}/hold", {"what": "stop"})
    assert tell_progress() == "stop"
    tell_progress(phase="stopped", error="It was stopped.")
    assert tell_progress() == ""
    world.as_("member").post(f"{at}/hold", {"what": "pause"})
    assert tell_progress() == "pause" and tell_progress(phase="paused") == "pause"
    Installation.objects.update(progress_at=timezone.now() - timedelta(minutes=1))
    assert tell_progress() == ""
    report(world)
    world.as_("member").post(f"{at}/hold", {"what": "stop"})
    assert tell_progress() == ""


def test_the_agent_that_the_site_hands_out_is_named_with_its_hash(
    world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    at = f"/api/installations/{world.installation.id}/pairing"
    for file, says in ((None, ""), ("true_convoy-9-py3-none-any.whl", "/agent/true_convoy-9-py3-none-any.whl#sha256=")):
        if file:
            (tmp_path / file).write_bytes(b"the agent")
        monkeypatch.setattr(settings, "AGENT_FILES", tmp_path)
        told = world.as_("member").post(at)[1]["install"]
        assert says in told and told.endswith(hashlib.sha256(b"the agent").hexdigest() if file else "")
    assert world.as_("member").client.get("/agent/not-there.whl").status_code == 404


# --- What the agent tells, and what is made of it


def test_a_machine_too_small_cannot_run_the_pack_and_is_told_its_figure(world: World) -> None:
    tell(world, machine={**ABOUT["machine"], "memory_mb": 2048, "runtimes": ["17"]})
    row = called(world)
    assert row["standing"]["state"] == "cannot run" and len(row["fit"]["obstacles"]) == 2
    assert "wants runtime 21" in row["fit"]["obstacles"][1]
    tell(world)
    row = called(world)
    assert row["standing"]["state"] == "in step" and row["fit"]["obstacles"] == []
    assert row["fit"]["minimum"] <= row["fit"]["figure"] <= 8192


def test_who_leaves_a_heavy_choice_out_needs_less(world: World) -> None:
    Build.objects.filter(mod__slug="green-water").update(memory=3000)
    edit(world, {"do": "add", "mod": "green-water"}, {"do": "describe", "mod": "green-water", "optional": True})
    publish(world, "1.1.0")
    tell(world, machine={**ABOUT["machine"], "memory_mb": 8 * 1024})
    row = called(world)
    assert (row["standing"]["state"], row["fit"]["leave_out"]) == ("cannot run", ["Green Water"])
    assert row["standing"]["to_do"] == "Leave out Green Water: then memory will do."
    assert page(world)["choices"][0]["memory"] == 3000
    before = row["fit"]["minimum"]
    choose(world, left_out=["green-water"])
    row = called(world)
    assert row["standing"]["state"] == "behind" and 0 <= row["fit"]["minimum"] - (before - 3000) < STEP
    # The server never gets what is for players alone, and is judged by its own share.
    Installation.objects.update(side="server", left_out=[])
    assert called(world)["fit"]["obstacles"] == []


def test_another_build_is_recognised_by_what_lies_there(world: World) -> None:
    lock = read_recipe(bytes(world.pack.releases.get().document)).lock
    other = Build.objects.filter(mod__slug="lock-ledger").exclude(version=lock.by_mod["lock-ledger"].version).first()
    assert other is not None
    theirs = {path: sha256 for path, _, sha256 in other.files}
    altered = {
        file.path: theirs[file.member]
        for file in lock.files
        if file.mod == "lock-ledger" and theirs.get(file.member, file.sha256) != file.sha256
    }
    stranger = Build.objects.filter(mod__slug="quiet-deck").first()
    assert stranger is not None
    extra = {f"mods/quiet-deck/{path}": sha256 for path, _, sha256 in stranger.files}
    deviations = {**dict.fromkeys(altered, "altered"), **dict.fromkeys(extra, "extra")}
    tell(world, deviations=deviations, found={**altered, **extra})
    found = {one["what"]: one for one in called(world)["standing"]["differences"]}
    assert found["altered"]["has"] == other.version and "in place of" in found["altered"]["sentence"]
    assert found["extra"]["sentence"] == f"not of the pack: Quiet Deck {stranger.version}"
    assert found["extra"]["counts"] == (stranger.reach != "own")
    Build.objects.filter(pk=stranger.pk).update(reach="own")
    tell(world, deviations=dict.fromkeys(extra, "extra"), found=extra)
    assert called(world)["standing"]["state"] == "in step"
    Build.objects.filter(pk=stranger.pk).update(reach="crew")
    tell(world, deviations=dict.fromkeys(extra, "extra"), found=extra)
    assert called(world)["standing"]["state"] == "differs"
    assert called(world)["standing"]["since"]


def test_since_when_somebody_differs_is_kept_until_it_changes(world: World) -> None:
    one = {"mods/lock-ledger/readme.md": "altered"}
    tell(world, deviations=one)
    Installation.objects.update(since=timezone.now() - timedelta(days=2))
    tell(world, deviations=one)
    assert called(world)["standing"]["since"] < (timezone.now() - timedelta(days=1)).isoformat()
    tell(world, deviations={**one, "mods/x.zip": "extra"})
    assert called(world)["standing"]["since"] > (timezone.now() - timedelta(days=1)).isoformat()


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("plan", {**PLAN, "counts": {"eat": 1}}),
        ("plan", {**PLAN, "aside": ["x" * 301]}),
        ("machine", {**ABOUT["machine"], "memory_mb": -1}),
        ("found", {"x": "no hash"}),
        ("strayed", [{"path": "a\u0000b", "key": "k", "wanted": "1", "there": "2"}]),
        ("backups", [BACKUP]),
        ("history", [{}] * 31),
    ],
)  # fmt: skip
def test_a_telling_that_makes_no_sense_is_refused(world: World, field: str, value: Any) -> None:
    status, told = tell(world, **{field: value})
    assert status == 422 and any(name.startswith(f"about.{field}") for name in told["fields"]), told


def test_what_a_backup_holds_and_what_is_wrong_is_shown(world: World) -> None:
    backup = {**BACKUP, "id": "2026-11-25-200000-000004", "holds": "1 world (“canal”) in 2 files, 3 KB"}
    entry = {
        "id": "2026-11-25-200001-000005", "before": "", "release": "1.0.0", "counts": {}, "moved": [], "notes": [],
        "backup": backup["id"], "undoes": False, "mods": ["Lock Ledger 3.4.1 added"],
    }  # fmt: skip
    wrong = "1 of 2 files damaged, worlds/canal/map.dat among them."
    assert tell(
        world, backups=[{**backup, "damaged": wrong}], history=[entry], had_before=234, remarks=["A copy was damaged."]
    )[0] == 200  # fmt: skip
    shown = page(world)
    assert (shown["backups"][0]["holds"], shown["backups"][0]["damaged"]) == (backup["holds"], wrong)
    assert shown["history"][0]["mods"] == entry["mods"]
    assert (shown["had_before"], shown["remarks"]) == (234, ["A copy was damaged."])
    assert tell(world, remarks=["x"] * 21)[0] == 422


def test_optional_mods_are_choices_and_what_must_match_is_none(world: World) -> None:
    edit(
        world,
        {"do": "add", "mod": "rain-on-tin"},
        {"do": "describe", "mod": "rain-on-tin", "optional": True, "advice": "Nice with headphones."},
        {"do": "describe", "mod": "heron-almanac", "optional": True},
    )
    publish(world, "1.1.0")
    [choice] = page(world)["choices"]
    assert (choice["mod"], choice["advice"], choice["taken"], choice["fresh"]) == (
        "rain-on-tin", "Nice with headphones.", True, True,
    )  # fmt: skip
    assert choose(world, left_out=["rain-on-tin", "lock-ledger"], asked_about=["rain-on-tin"])[0] == 200
    [choice] = page(world)["choices"]
    assert (choice["taken"], choice["fresh"]) == (False, False)
    assert "rain-on-tin" not in [one["mod"] for one in page(world)["changes"]]
    assert "lock-ledger" in [one["mod"] for one in page(world)["changes"]]
    assert world.agent().get("/api/agent/head")[1]["left_out"] == ["lock-ledger", "rain-on-tin"]


def test_a_member_names_the_worlds_that_a_scenario_goes_into(world: World) -> None:
    assert page(world)["into_worlds"] == []
    edit(world, {"do": "add", "mod": "towpath-trial"})
    publish(world, "1.1.0")
    lock = read_recipe(bytes(world.pack.releases.get(number="1.1.0").document)).lock
    [path] = [file.path for file in lock.files if file.path.endswith("towpath-trial/waybill.toml")]
    assert path == "worlds/{world}/scenarios/towpath-trial/waybill.toml"
    [found] = page(world)["into_worlds"]
    assert (found["name"], found["folder"], found["chosen"], found["lies_in"]) == ("Towpath Trial", "worlds", [], [])
    assert choose(world, worlds={"towpath-trial": ["worlds/fen", "worlds/fen"], "quiet-deck": []})[0] == 200
    assert world.agent().get("/api/agent/head")[1]["worlds"] == {"towpath-trial": ["worlds/fen"]}
    here = [{"world": "worlds/fen", "holds": ["towpath-trial"]}, {"world": "worlds/lake", "holds": []}]
    missing = {path.replace("{world}", "fen"): "missing"}
    assert tell(world, "1.1.0", missing, worlds=here)[0] == 200
    shown = page(world)
    assert shown["worlds_here"] == ["worlds/fen", "worlds/lake"] and shown["into_worlds"][0]["lies_in"] == [
        "worlds/fen"
    ]
    assert shown["standing"]["differences"][0]["sentence"].startswith("Towpath Trial: worlds/fen/")
    for bad in (["fen"], ["worlds/fen/"], ["worlds/a\0"], ["worlds/" + "x" * 300], ["worlds/x"] * 201):
        assert choose(world, worlds={"towpath-trial": bad})[0] == 422
    choose(world, worlds={})
    assert world.agent().get("/api/agent/head")[1]["worlds"] == {}
    assert world.as_("stranger").post(
        f"/api/installations/{world.installation.id}/choices", {"worlds": {"towpath-trial": ["worlds/fen"]}}
    )[0] in (403, 404)  # fmt: skip
    # A listing says nothing of who plays what: content for worlds is no difference in it.
    rows = [f"{file.sha256}  {file.path}" for file in lock.files if "{world}" not in file.path]
    status, row = hand_in(world, "owner", "\n".join(rows).encode())
    assert (status, row["standing"]["state"], row["fingerprint"]) == (200, "in step", row["wanted"])


def test_tweaks_and_steps_are_published_and_can_be_taken_back(world: World) -> None:
    tweak = {"path": "mods/lock-ledger/settings.toml", "key": ["strength"], "value": 7, "how": "enforced"}
    step = {"id": "patch", "text": "Run the patcher once.", "check": "exists", "path": "patched.txt"}
    edit(world, set_edit(tweak), {"do": "steps", "steps": [step]})
    publish(world, "1.1.0")
    terms = read_recipe(bytes(world.pack.releases.get(number="1.1.0").document)).lock.terms
    assert [one.as_data() for one in terms.tweaks] == [tweak] and [one.as_data() for one in terms.steps] == [step]
    for bad in ({**tweak, "path": "../x.toml"}, {**tweak, "how": "maybe"}, {**tweak, "value": {}}, {"key": ["a"]}):
        body = {"revision": world.revision(), "edits": [set_edit(bad)]}
        assert world.as_("owner").post(f"{world.at}/draft/edits", body)[0] == 422
    edit(world, {"do": "take back", "revision": 2})
    draft = world.as_("owner").get(f"{world.at}/draft")[1]
    assert (draft["tweaks"], draft["steps"]) == ([], [])


def test_a_tweak_is_taken_as_a_person_writes_it(world: World) -> None:
    """A mod for its settings file, a value as typed: what a format can hold is the core's to say."""

    def send(path: str, text: str) -> tuple[int, Any]:
        tweak = {"path": path, "key": ["strength"], "text": text, "how": "enforced"}
        body = {"revision": world.revision(), "edits": [set_edit(tweak)]}
        return world.as_("owner").post(f"{world.at}/draft/edits", body)

    for path, text, kept in (
        ("lock-ledger", "7", ("mods/lock-ledger/settings.toml", 7)),
        ("config/game.ini", "1.50", ("config/game.ini", "1.50")),
    ):
        assert send(path, text)[0] == 200
        *_, tweak = world.as_("owner").get(f"{world.at}/draft")[1]["tweaks"]
        assert (tweak["path"], tweak["value"]) == kept
    edit(world, {"do": "add", "mod": "green-water"})
    for path, says in (
        ("green-water", "no settings file"),
        ("ferry-hands", "no mod of the draft"),
        ("no-such-mod", "no-such-mod"),
    ):
        status, told = send(path, "7")
        assert 400 <= status < 500 and says in f"{told['what']} {told['why']}", told


def test_who_leaves_is_heard_from_no_more_and_can_be_paired_anew(on_stand_in: World, deferred: list[dict]) -> None:
    world = on_stand_in
    tell(world, deviations={"mods/x.zip": "extra"})
    at = f"/api/installations/{world.installation.id}"
    world.as_("member").post(f"{at}/orders", {"what": "leave"})
    world.agent().post("/api/agent/order", {"id": 1, "said": "9 files removed.", "refused": False})
    assert world.agent().get("/api/agent/head")[0] == 401
    now = page(world)
    assert (now["standing"]["state"], now["release"], now["paired"], now["answer"]) == (
        "not heard from", "", False, "9 files removed.",
    )  # fmt: skip
    assert world.as_("member").send("DELETE", at)[0] == 200
    assert world.as_("owner").get(f"{world.at}/roll-call")[1]["rows"] == []


def test_what_two_releases_do_not_have_in_common_is_told_either_way(world: World) -> None:
    edit(world, {"do": "steps", "steps": [{"id": "read", "text": "Read the rules."}]})
    two_releases(world)
    ask = world.as_("member").get
    there, back = (
        ask(f"{world.at}/change-log?{way}")[1]["rows"] for way in ("since=1.0.0&until=1.1.0", "since=1.1.0&until=1.0.0")
    )
    assert [(one["what"], one["name"]) for one in there] == [
        ("removed", "Heron Almanac"), ("removed", "Rivet"), ("set", "step: Read the rules."),
    ]  # fmt: skip
    assert [(one["what"], one["after"]) for one in back] == [
        ("added", there[0]["before"]), ("added", there[1]["before"]), ("set", ""),
    ]  # fmt: skip
    assert page(world)["changes"][-1]["name"] == "step: Read the rules."
    assert ask(f"{world.at}/change-log?since=1.0.0&until=9.9")[0] == 404


# --- Listings


def listing(world: World, root: str = "", drop: str = "", **changed: str) -> bytes:
    lock = read_recipe(bytes(world.pack.releases.get(number="1.0.0").document)).lock
    rows = {file.path: file.sha256 for file in lock.files if not drop or drop not in file.path} | changed
    return "\n".join(f"{sha256}  {root}{path}" for path, sha256 in rows.items()).encode()


def hand_in(world: World, who: str, data: bytes) -> tuple[int, Any]:
    file = SimpleUploadedFile("SHA256SUMS", data)
    reply = world.as_(who).client.post(f"{world.at}/listing", {"file": file})
    return reply.status_code, json.loads(reply.content)


def test_a_listing_gives_the_same_row_as_an_agent(world: World) -> None:
    bring_aboard(world.users["stranger"], world.crew)
    status, row = hand_in(world, "stranger", listing(world, root="./Games/tillerway/"))
    assert (status, row["standing"]["state"], row["by_listing"]) == (200, "in step", True)
    assert row["fingerprint"] == row["wanted"]
    mine = {"mods/mine.zip": "1" * 64, "worlds/w": "2" * 64, "mods/lock-ledger/settings.toml": "3" * 64}
    status, row = hand_in(world, "stranger", listing(world, drop="heron-almanac/readme", **mine))
    told = {one["sentence"] for one in row["standing"]["differences"]}
    assert told == {"Heron Almanac: mods/heron-almanac/readme.md missing", "not of the pack: mods/mine.zip"}
    assert Installation.objects.filter(by_listing=True).count() == 1
    assert world.as_("member").send("DELETE", f"{world.at}/listing/{row['installation']}")[0] == 404
    assert world.as_("stranger").send("DELETE", f"{world.at}/listing/{row['installation']}")[0] == 200
    assert world.as_("member").send("DELETE", f"{world.at}/listing/{world.installation.id}")[0] == 404


def test_a_listing_may_be_made_above_and_beside_a_copy_and_is_cut_to_what_somebody_reads(world: World) -> None:
    """The folder in which most is right is the one meant; of endless strangers as many are kept as an agent tells."""
    stale = listing(world, root="backup/mods/old/", **{f"mods/m{n}.zip": "0" * 64 for n in range(3)})
    here = listing(world, root="Games/Tillerway/", **{f"mods/x{n}.zip": "1" * 64 for n in range(10_500)})
    damaged = stale.replace(b"heron-almanac/data", b"heron-almanac/gone")
    status, row = hand_in(world, "member", damaged + b"\n" + here)
    assert (status, row["standing"]["state"]) == (200, "differs")
    assert [(one["what"], len(one["paths"])) for one in row["standing"]["differences"]] == [("extra", 50)]
    assert len(Installation.objects.get(by_listing=True).deviations) == 10_000


def test_a_listing_never_takes_the_place_of_an_installation(world: World) -> None:
    status, told = world.as_("member").post("/api/installations", {"code": world.code, "name": "by Listing"})
    assert (status, told["code"]) == (409, "name-taken")
    report(world)
    assert hand_in(world, "member", listing(world, drop="heron"))[0] == 200
    assert called(world)["standing"]["state"] == "in step"


def test_a_listing_of_something_else_is_refused(world: World) -> None:
    other = "\n".join(f"{hashlib.sha256(str(n).encode()).hexdigest()}  photos/{n}.jpg" for n in range(30)).encode()
    for data, says in (
        (other, "next to nothing"),
        (b"\xfe\xfe", "no text"),
        (b"\xff\xfea", "no text"),
        (b"not a sum", "no checksum"),
        (b"", "no file"),
    ):
        status, told = hand_in(world, "member", data)
        assert status == 422 and says in f"{told['what']} {told['why']}", told
    assert hand_in(world, "stranger", listing(world))[0] == 404
    assert not Installation.objects.filter(by_listing=True).exists()


# --- Departures


def depart(world: World, who: str = "owner", **given: Any) -> tuple[int, Any]:
    body = {"at": (timezone.now() + timedelta(hours=3)).isoformat(), **given}
    return world.as_(who).post(f"{world.at}/departures", body)


def test_readiness_counts_who_comes_and_has_what_is_needed(world: World) -> None:
    status, [told] = depart(world, note="Night run to Fenwick.")
    assert (status, told["needed"], told["coming"], told["ready"]) == (200, "1.0.0", ["owner"], 0)
    assert told["silent"] == ["curator", "member"]
    at = f"{world.at}/departures/{told['id']}"
    for who, comes in (("member", True), ("curator", False), ("owner", False)):
        assert world.as_(who).post(f"{at}/answer", {"comes": comes})[0] == 200
    [told] = world.as_("member").get(f"{world.at}/departures")[1]
    assert (told["mine"], told["coming"], told["absent"], told["ready"]) == (True, ["member"], ["curator", "owner"], 0)
    assert told["waiting"][0]["who"] == "member"
    report(world)
    assert world.as_("owner").get(f"{world.at}/departures")[1][0]["ready"] == 1
    report(world, **{"mods/lock-ledger/readme.md": "altered"})
    assert world.as_("owner").get(f"{world.at}/departures")[1][0]["ready"] == 0
    assert world.as_("owner").send("DELETE", at)[0] == 200
    assert world.as_("owner").get(f"{world.at}/departures")[1] == []
    assert world.as_("member").post(f"{at}/answer", {"comes": True})[0] == 404


def started(world: World, state: str, **more: Any) -> int:
    release = world.pack.releases.get(number="1.0.0")
    told = {"began": timezone.now().isoformat(), "release": "1.0.0", "release_sha256": release.sha256, "in_step": True}
    return world.agent().post("/api/agent/started", {**told, "state": state, **more})[0]


def test_the_crew_sees_who_has_started_the_right_thing_around_a_departure_alone(world: World) -> None:
    _, [told] = depart(world)
    at = f"{world.at}/departures"
    assert world.agent().get("/api/agent/game")[1]["departs"] is False
    assert started(world, "up") == 200 and world.as_("owner").get(at)[1][0]["started"] == []
    soon = (timezone.now() + timedelta(hours=1)).isoformat()
    assert world.as_("owner").send("PUT", f"{at}/{told['id']}", {"at": soon, "release": "", "note": ""})[0] == 200
    assert world.agent().get("/api/agent/game")[1]["departs"] is True
    for state, more, right in (
        ("starting", {}, True), ("up", {"in_step": False}, False), ("crashed", {"release_sha256": "0" * 64}, False),
    ):  # fmt: skip
        assert started(world, state, **more) == 200
        [one] = world.as_("owner").get(at)[1][0]["started"]
        assert (one["who"], one["state"], one["right"]) == ("member", state, right)
    assert started(world, "dancing") == 422
    # It is of that evening; and whoever leaves the pack takes it along.
    world.as_("owner").send("DELETE", f"{at}/{told['id']}")
    depart(world, at=(timezone.now() + timedelta(days=7)).isoformat())
    assert world.as_("owner").get(at)[1][0]["started"] == []
    world.agent().post("/api/agent/left")
    assert Installation.objects.get(pk=world.installation.pk).start == {}


def test_a_departure_may_ask_for_an_earlier_release_and_says_what_changed_since_last_time(world: World) -> None:
    depart(world, release="1.0.0")
    two_releases(world)
    report(world, "1.0.0")
    later = (timezone.now() + timedelta(days=7)).isoformat()
    _, told = depart(world, at=later)
    world.as_("member").post(f"{world.at}/departures/{told[0]['id']}/answer", {"comes": True})
    world.as_("member").post(f"{world.at}/departures/{told[1]['id']}/answer", {"comes": True})
    first, second = world.as_("owner").get(f"{world.at}/departures")[1]
    assert (first["ready"], second["ready"]) == (1, 0)
    assert (second["last"], {one["what"] for one in second["changes"]}) == ("1.0.0", {"removed"})
    assert [one["to_do"] for one in second["waiting"] if one["who"] == "member"] == ["Sync to release 1.1.0."]
    past = (timezone.now() - timedelta(minutes=1)).isoformat()
    for given in ({"at": past}, {"release": "9.9"}, {"at": "next Thursday"}, {"note": "x" * 301}):
        assert depart(world, **given)[0] == 422


# --- Errands in the browser


def test_a_dropped_file_is_kept_only_when_it_is_wanted(on_stand_in: World, sources: Path, deferred: list[dict]) -> None:
    world = on_stand_in
    edit(world, {"do": "add", "mod": "deep-holds"})
    publish(world, "1.1.0")
    build = read_recipe(bytes(world.pack.releases.get(number="1.1.0").document)).lock.by_mod["deep-holds"]
    tell(world, release="", errands=["deep-holds", "lock-ledger"])
    [errand] = page(world)["errands"]  # the ledger is fetched by the agent, whatever it says
    assert errand["page"].endswith("/pages/deep-holds") and errand["sha256"] == build.archive.sha256
    at = f"/api/installations/{world.installation.id}"
    reply = world.as_("member").client.post(f"{at}/brought", {"file": SimpleUploadedFile("../../x.zip", b"other")})
    assert json.loads(reply.content) == {"mod": "", "said": "No source of this game has this file."}
    machine = StandInMachine.objects.get()
    downloads = settings.STANDIN_MACHINES / machine.slug / "downloads"
    assert not downloads.exists()
    right = (sources / "reed-post" / "files" / build.archive.name).read_bytes()
    for who, status in (("owner", 404), ("member", 200)):
        reply = world.as_(who).client.post(f"{at}/brought", {"file": SimpleUploadedFile("../../x.zip", right)})
        assert reply.status_code == status
    assert json.loads(reply.content)["mod"] == "deep-holds"
    assert deferred == []  # no sync was waiting for it
    Installation.objects.update(answer={"what": "sync", "said": "One file has to be brought.", "refused": True})
    world.as_("member").client.post(f"{at}/brought", {"file": SimpleUploadedFile("again", right)})
    assert len(deferred) == 1
    assert [path.read_bytes() for path in downloads.iterdir()] == [right]
    known = world.as_("member").get(f"{at}/known/{build.archive.sha256}")[1]
    assert known["name"] == f"Deep Holds {build.version}"


def test_what_a_sync_was_refused_for_is_forgotten_when_it_went_on_by_itself(world: World) -> None:
    two_releases(world)
    refused = {"what": "sync", "said": "2 files have to be brought by hand.", "refused": True}
    newer = {**PLAN, "release": "1.1.0"}
    for release, deviations, stays in (
        ("1.0.0", {}, True),  # behind still: a look in between changes nothing about it
        ("1.1.0", {"mods/x.zip": "extra"}, True),
        ("1.1.0", {}, False),
    ):
        Installation.objects.update(answer=refused)
        tell(world, release, deviations, plan=newer)
        assert (page(world)["answer"] != "") == stays
    Installation.objects.update(answer={**refused, "what": "restore"})
    tell(world, "1.1.0", plan=newer)
    assert page(world)["refused"]


def test_the_roll_call_asks_as_much_for_thirty_as_for_three(world: World, django_assert_max_num_queries: Any) -> None:
    def ask() -> int:
        with django_assert_max_num_queries(30) as asked:
            assert world.as_("owner").get(f"{world.at}/roll-call")[0] == 200
            assert world.as_("owner").get(f"{world.at}/departures")[0] == 200
        return len(asked)

    depart(world)
    few = ask()
    for number in range(27):
        Installation.objects.create(pack=world.pack, member=world.users["member"], name=f"machine {number}")
    assert ask() == few
