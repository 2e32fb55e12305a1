"""Trials on the bench: the real sandbox, the stand-in game, what is kept of it, and what a hostile game finds there."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from convoy_core.words.log_shape import Mend
from convoy_io import sandbox
from convoy_io.judging import Cause
from convoy_io.sandbox import why_no_sandbox
from convoy_site.catalogue import reaching
from convoy_site.catalogue.models import Verdict
from convoy_site.packs.services import edit_draft
from convoy_site.packs.shapes.edits import AddMod, AddMods, EditIn, RemoveMod, SayVerdict
from convoy_site.releases.as_files.packing import subject_of
from convoy_site.releases.models import MakingState
from convoy_site.releases.services import publish
from convoy_site.trials import archives, bench, narrowing, services, starting, trying
from convoy_site.trials.bench import bench_game
from convoy_site.trials.following import Follow
from convoy_site.trials.models import Narrowing, Trial
from convoy_site.trials.ways import ways_of
from convoy_standins.game import bench_file

from .conftest import Api, World, serving

ROOT = Path(__file__).parents[2]


@pytest.fixture
def on_bench(world: World, sources: Path, settings: Any, tmp_path: Path, monkeypatch: Any) -> Iterator[World]:
    assert not why_no_sandbox(), "these tests need bubblewrap, and namespaces for it"
    settings.BENCH = str(bench_file(tmp_path / "bench", ROOT / "demo/games"))
    monkeypatch.setattr(reaching, "client", lambda *_, **__: serving(sources))
    yield world


def change(world: World, *edits: EditIn) -> None:
    edit_draft(world.users["curator"], world.pack.id, world.revision(), list(edits))


def tried(world: World, number: str = "") -> dict[str, Any]:
    """As the worker does it, and how it is told."""
    owner = world.as_("owner")
    status, told = owner.post(f"{world.at}/trials", {"number": number})
    assert status == 200, told
    trying.try_out(told["id"])
    return shown(owner, world, told["id"])


def shown(asker: Api, world: World, trial: str) -> dict[str, Any]:
    status, told = asker.get(f"{world.at}/trials/{trial}")
    assert status == 200
    return told


def test_a_draft_is_tried_its_log_is_read_and_publishing_it_is_the_same_lock(on_bench: World) -> None:
    change(on_bench, AddMod(do="add", mod="quiet-deck"))
    told = tried(on_bench)
    outcome = told["outcome"]
    assert (told["state"], outcome["came_up"], outcome["ended"], outcome["stopped"]) == (
        "done", True, "running", "it had done what was wanted",
    )  # fmt: skip
    assert {one["fate"] for one in told["fates"]} == {"loaded"} and outcome["loaded"] == len(told["fates"]) > 2
    assert outcome["memory_mb"] > 20 and 0 < outcome["to_main_screen"] <= outcome["seconds"] < 20
    assert told["is_current"] and not told["without"]
    status, log = on_bench.as_("member").get(f"{on_bench.at}/trials/{told['id']}/log?text=stowed")
    assert status == 200 and log["found"] == len(told["fates"]) and log["first_bad"] == -1
    release = publish(on_bench.users["owner"], on_bench.pack.id, on_bench.revision(), "7.0.0", "stable", "")
    assert release is not None
    status, of_release = on_bench.as_("member").get(f"{on_bench.at}/releases/7.0.0/trial")
    assert (status, of_release["id"]) == (200, told["id"])
    assert on_bench.as_("member").get(f"{on_bench.at}/releases/1.0.0/trial") == (200, None)
    change(on_bench, AddMod(do="add", mod="moon-tables"))
    assert not shown(on_bench.as_("owner"), on_bench, told["id"])["is_current"]


def test_two_that_fail_together_are_named_and_the_next_good_run_is_held_against_the_last(on_bench: World) -> None:
    good = tried(on_bench)
    change(on_bench, AddMod(do="add", mod="ghost-barge"), AddMod(do="add", mod="moon-tables"))
    bad = tried(on_bench)
    cause = bad["outcome"]["cause"]
    assert not bad["outcome"]["came_up"] and bad["outcome"]["ended"] == "crashed"
    assert cause["sentence"] == "Ghost Barge and Moon Tables fail together; each of them alone does not."
    assert (cause["mod"], cause["other"], cause["mend"]) == ("ghost-barge", "moon-tables", "one of the two")
    assert [one["mod"] for one in bad["fates"] if one["fate"] == "failed"] == ["ghost-barge", "moon-tables"]
    assert bad["outcome"]["against"] == good["id"] and bad["outcome"]["new"] >= 3
    _, log = on_bench.as_("owner").get(f"{on_bench.at}/trials/{bad['id']}/log?severity=error&fresh=true")
    assert log["entries"][0]["mod"] == "ghost-barge" and log["first_bad"] == 0
    _evidence(on_bench)
    change(on_bench, RemoveMod(do="remove", mod="ghost-barge"))
    again = tried(on_bench)
    assert again["outcome"]["came_up"] and again["outcome"]["against"] == good["id"]


def _evidence(world: World) -> None:
    """The trial is a check's, of exactly this draft, and a verdict's, of exactly this build."""

    def found() -> list[dict[str, Any]]:
        findings = world.as_("owner").get(f"{world.at}/findings")[1]["findings"]
        return [one for one in findings if one["check"] == "failed-trial"]

    assert "Ghost Barge and Moon Tables fail together" in found()[0]["what"]
    world.pack.draft.refresh_from_db()
    version = world.pack.draft.picks["ghost-barge"]
    for works, note, kept in ((True, "for me", "for me"), (False, "sinks", "sinks; bench, ")):
        change(world, SayVerdict(do="verdict", mod="ghost-barge", version=version, works=works, note=note))
        assert Verdict.objects.get(mod="ghost-barge").note.startswith(kept)
        world.pack.trials.filter(release=None).update(revision=world.revision())
    change(world, AddMod(do="add", mod="fog-over-fen"))
    assert found() == []


def test_one_that_hangs_is_ended_by_the_benchs_limit(on_bench: World, settings: Any) -> None:
    place = Path(settings.BENCH)
    place.write_text(place.read_text().replace("seconds = 6", "seconds = 2"))
    change(on_bench, AddMod(do="add", mod="slack-water"))
    outcome = tried(on_bench)["outcome"]
    assert (outcome["came_up"], outcome["stopped"]) == (False, "it took too long")
    assert outcome["last"] == "Slack Water spoke last: “Waiting for the lock keeper”"


def test_what_only_a_person_may_fetch_is_left_out_with_what_needs_it_and_said(on_bench: World) -> None:
    by_hand = "deep-holds"
    change(on_bench, AddMod(do="add", mod=by_hand))
    told = tried(on_bench)
    assert {one["mod"]: one["why"] for one in told["without"]}[by_hand] == archives.PERSONS
    assert told["outcome"]["came_up"] and {one["fate"] for one in told["fates"]} == {"loaded"}


def test_asking_twice_is_asking_once_and_one_that_waits_is_stopped(on_bench: World) -> None:
    owner = on_bench.as_("owner")
    first, second = (owner.post(f"{on_bench.at}/trials", {})[1]["id"] for _ in range(2))
    assert first == second
    assert owner.send("DELETE", f"{on_bench.at}/trials/{first}")[0] == 200
    trying.try_out(first)
    assert shown(owner, on_bench, first)["state"] == "stopped"
    third = owner.post(f"{on_bench.at}/trials", {})[1]["id"]
    change(on_bench, AddMod(do="add", mod="moon-tables"))
    trying.try_out(third)
    told = shown(owner, on_bench, third)
    assert told["state"] == "failed" and "changed before its turn" in told["told"]
    assert owner.send("DELETE", f"{on_bench.at}/trials/{third}")[0] == 200
    assert owner.get(f"{on_bench.at}/trials/{third}")[0] == 404


def test_one_that_runs_is_stopped_within_a_moment(on_bench: World) -> None:
    change(on_bench, AddMod(do="add", mod="slack-water"))
    _, told = on_bench.as_("owner").post(f"{on_bench.at}/trials", {})
    on_look = Follow.is_stopped

    def stop_now(self: Any) -> bool:
        Trial.objects.filter(pk=told["id"]).update(stop=True)
        return on_look(self)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Follow, "is_stopped", stop_now)
        trying.try_out(told["id"])
    assert Trial.objects.get(pk=told["id"]).state == MakingState.STOPPED
    assert not list((Path(archives.folder()).parent / "running").iterdir())


def test_without_a_bench_nothing_runs(world: World, settings: Any, tmp_path: Path, monkeypatch: Any) -> None:
    owner = world.as_("owner")
    status, told = owner.post(f"{world.at}/trials", {})
    assert (status, told["code"]) == (409, "no-bench")
    settings.BENCH = str(bench_file(tmp_path, ROOT / "demo/games"))
    monkeypatch.setattr(bench, "why_no_sandbox", lambda: "bubblewrap, the sandbox, is not installed.")
    status, told = owner.post(f"{world.at}/trials", {})
    assert (status, told["why"]) == (409, "bubblewrap, the sandbox, is not installed.")
    assert not Trial.objects.exists()


HOSTILE = """#!/bin/sh
exec 2>/dev/null
mkdir -p logs
say() { echo "12:0 INFO (game) $1" >> logs/helm.log; }
cat "%(secret)s" && say "read the secret"
ls "%(data)s" && say "saw the site's data"
[ -n "$CONVOY_SECRET$CONVOY_DB_PASSWORD" ] && say "saw the environment"
kill -0 %(pid)d && say "saw another process"
(exec 3<>/dev/tcp/127.0.0.1/%(port)d) && say "reached the network"
touch /usr/bin/planted && say "wrote outside"
echo x > "%(program)s" && say "wrote over the program"
[ $(wc -l < /proc/net/route) -gt 1 ] && say "has a way out"
ln -s %(secret)s logs/linked.log
say "Moored at the main screen"
sleep 3
"""


def test_a_hostile_game_finds_nothing_in_the_sandbox(on_bench: World, settings: Any, tmp_path: Path) -> None:
    secret = Path(settings.DATA) / "signing.key"
    told = {"secret": secret, "data": settings.DATA, "pid": os.getpid(), "port": 5432, "program": tmp_path / "evil.sh"}
    assert secret.exists()
    program = tmp_path / "evil.sh"
    program.write_text(HOSTILE.replace("#!/bin/sh", "#!/bin/bash") % told)
    program.chmod(0o755)
    Path(settings.BENCH).write_text(f"[games.tillerway]\nprogram = {json.dumps(str(program))}\n")
    outcome = tried(on_bench)
    trial = Trial.objects.get(pk=outcome["id"])
    texts = [one["text"] for one in services.log_of(on_bench.users["owner"], on_bench.pack.id, trial.pk).entries]
    assert texts == ["Moored at the main screen"]
    assert program.read_text().startswith("#!/bin/bash")
    assert not Path("/usr/bin/planted").exists()


def test_no_profile_names_what_is_run(on_bench: World) -> None:
    game = on_bench.pack.game
    game.profile_text = game.profile_text.replace('linux = "tillerway"', 'linux = "bin/sh"')
    game.save()
    program = bench_game("tillerway").program
    called = sandbox.command(
        bench_game("tillerway"), game.profile, game.profile.bases()[0], Path("/x"), 512, plain=False
    )
    assert called[called.index("--chdir") + 2] == str(program)
    assert called[-4:] == ["--home", "/game", "--heap", "512"] and "bin/sh" not in called


def test_old_trials_are_forgotten_and_pinned_ones_stay(on_bench: World) -> None:
    told = tried(on_bench)
    owner = on_bench.as_("owner")
    assert owner.send("PATCH", f"{on_bench.at}/trials/{told['id']}", {"pinned": True})[0] == 200
    for _ in range(services.MOST_KEPT + 2):
        Trial.objects.create(
            pack=on_bench.pack, by=on_bench.users["owner"], revision=1, lock_sha256="0" * 64, state=MakingState.DONE
        )
    assert services.forget_old() == 2
    assert owner.get(f"{on_bench.at}/trials/{told['id']}")[0] == 200


def narrowed(world: World, trial: str, chance: float = 1.0) -> dict[str, Any]:
    owner = world.as_("owner")
    status, told = owner.post(f"{world.at}/trials/{trial}/narrowing", {"chance": chance})
    assert status == 200, told
    narrowing.narrow_down(told["id"])
    return owner.get(f"{world.at}/narrowings/{told['id']}")[1]


def test_what_a_trial_fails_by_is_found_and_a_killed_worker_asks_nothing_twice(on_bench: World) -> None:
    change(on_bench, AddMods(do="add many", mods=["ghost-barge", "moon-tables", "quiet-deck", "market-makers"]))
    bad = tried(on_bench)
    told = narrowed(on_bench, bad["id"])
    found = told["found"]
    assert sorted(one["mod"] for one in found["culprits"]) == ["ghost-barge", "moon-tables"]
    assert (found["without_it_works"], found["sure"], told["state"]) == (True, 1.0, "done")
    assert found["tries"] == len(told["tries"]) <= 2 * told["planned"]
    assert [way["text"] for way in told["ways"]] == ["Leave out Ghost Barge", "Leave out Moon Tables"]
    # Each way out was started, and nothing in the draft has changed.
    rehearsed = {way["text"]: way["outcome"] for way in told["rehearsed"]}
    assert rehearsed["Leave out Ghost Barge"] == rehearsed["Leave out Moon Tables"] == "works"
    assert rehearsed["Lay Moon Tables down before Ghost Barge"] == "fails" and told["is_current"]
    assert all(way["edits"] and way["seconds"] > 0 for way in told["rehearsed"])
    # Half of the answers are lost with the worker: the search goes on from there, and ends alike.
    row = Narrowing.objects.get(pk=told["id"])
    kept = row.answers
    Narrowing.objects.filter(pk=row.pk).update(answers=kept[: len(kept) // 2], found={}, state=MakingState.WORKING)
    starts: list[object] = []
    with pytest.MonkeyPatch.context() as patch:
        began = starting.start
        patch.setattr(starting, "start", lambda *given: (starts.append(given), began(*given))[1])
        narrowing.narrow_down(row.pk)
    again = Narrowing.objects.get(pk=row.pk)
    assert len(starts) == len(kept) - len(kept) // 2
    assert [one["mods"] for one in again.answers] == [one["mods"] for one in kept] and again.found == row.found


def test_a_good_trial_or_one_of_another_draft_is_not_narrowed_down(on_bench: World) -> None:
    owner = on_bench.as_("owner")
    good = tried(on_bench)
    status, told = owner.post(f"{on_bench.at}/trials/{good['id']}/narrowing", {})
    assert (status, told["code"]) == (422, "not-failing")
    change(on_bench, AddMods(do="add many", mods=["ghost-barge", "moon-tables"]))
    bad = tried(on_bench)
    change(on_bench, RemoveMod(do="remove", mod="ghost-barge"))
    status, told = owner.post(f"{on_bench.at}/trials/{bad['id']}/narrowing", {})
    assert (status, told["code"]) == (409, "draft-changed")


def test_what_lies_on_the_bench_for_another_crew_is_no_crews_but_theirs(on_bench: World) -> None:
    """A build that only a person may fetch, although its archive lies there."""
    change(on_bench, AddMod(do="add", mod="deep-holds"))
    on_bench.pack.draft.refresh_from_db()
    builds = subject_of(on_bench.pack, "").recipe.lock.builds
    build = next(one for one in builds if one.mod == "deep-holds")
    archives.place_of(build.archive.sha256).write_bytes(b"somebody's own")
    told = tried(on_bench)
    assert [one["mod"] for one in told["without"]] == ["deep-holds"] and told["outcome"]["came_up"]


def test_one_narrowing_of_a_pack_at_a_time(on_bench: World) -> None:
    owner = on_bench.as_("owner")
    change(on_bench, AddMods(do="add many", mods=["ghost-barge", "moon-tables"]))
    first, second = tried(on_bench)["id"], tried(on_bench)["id"]
    asked = owner.post(f"{on_bench.at}/trials/{first}/narrowing", {})[1]["id"]
    assert owner.post(f"{on_bench.at}/trials/{first}/narrowing", {})[1]["id"] == asked
    assert owner.post(f"{on_bench.at}/trials/{second}/narrowing", {})[0] == 429
    assert owner.send("DELETE", f"{on_bench.at}/narrowings/{asked}")[0] == 200
    narrowing.narrow_down(asked)
    assert owner.get(f"{on_bench.at}/narrowings/{asked}")[1]["state"] == "stopped"
    assert owner.post(f"{on_bench.at}/trials/{second}/narrowing", {})[0] == 200


WAYS = {
    ("weir-core", Mend.BRING_IN): ["Bring in Weir Core", "Leave out Quiet Deck"],
    ("sluice-speech", Mend.BRING_IN): ["Leave out Quiet Deck"],
    ("moon-tables", Mend.ONE_OF_TWO): ["Leave out Quiet Deck", "Leave out Moon Tables"],
    ("", Mend.OTHER_BUILD): ["Leave out Quiet Deck"],
    ("", Mend.MORE_MEMORY): [],
}


@pytest.mark.parametrize("named", WAYS)
def test_only_what_the_draft_can_do_is_offered(on_bench: World, named: tuple[str, Mend]) -> None:
    """A need may be a name that mods provide, which nobody can bring in."""
    change(on_bench, AddMods(do="add many", mods=["quiet-deck", "moon-tables"]))
    on_bench.pack.draft.refresh_from_db()
    cause = Cause("It failed.", "quiet-deck", named[0], "known", str(named[1]))
    assert [way.text for way in ways_of(on_bench.pack, cause)] == WAYS[named]
