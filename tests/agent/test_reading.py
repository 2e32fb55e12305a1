"""What a member reads: one next thing, sentences, short lists, and JSON for whoever is a script."""

import json
import subprocess
import sys
from pathlib import Path

import pytest

from convoy_agent import by_hand
from convoy_agent.leave import leave
from convoy_agent.sync import utc_now
from convoy_core.lock.terms import Check, HandStep, Terms
from convoy_core.words.model import Pickup, Reach

from .conftest import MODS, NEWER, Member
from .test_sync import run

STEPS = Terms(worlds=("worlds",), steps=(HandStep("barge", "Name your barge.", Check.EXISTS, "barge.toml"),))
SAVE = {"terms": STEPS, "reaches": {"ledger": Reach.SAVE}}


def bare(member: Member, folder: Path | None = None) -> "subprocess.CompletedProcess[str]":
    command = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root)]
    return subprocess.run(command, capture_output=True, text=True, cwd=folder or member.folder)


def test_convoy_alone_says_how_the_folder_stands_and_the_one_next_thing(member: Member, tmp_path: Path) -> None:
    assert "Next: convoy sync" in bare(member).stdout
    member.sync()
    told = bare(member)
    assert told.returncode == 0 and "release 1.0.0" in told.stdout and "In step. Nothing is left" in told.stdout
    (member.folder / "mods/ledger/waybill.toml").unlink()
    member.harbour.close()
    assert "1 file to be put right. Next: convoy sync" in bare(member).stdout
    head = member.folder / ".convoy/head.json"
    kept = head.read_bytes()
    head.write_text("{cut")
    assert "lost here" in (told := bare(member).stdout) and "In step" not in told and "Next: convoy status" in told
    head.write_bytes(kept)
    (member.folder / ".convoy/restore.json").write_text("{}")
    assert "interrupted" in bare(member).stdout
    (member.folder / ".convoy/restore.json").unlink()
    leave(member.folder, utc_now())
    assert "is no installation" in bare(member).stdout
    assert "convoy join" in bare(member, tmp_path).stdout


def test_a_sync_says_what_comes_what_it_does_to_worlds_and_which_steps_are_left(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, **SAVE)
    member.sync()
    (member.folder / "worlds/canal").mkdir(parents=True)
    (member.folder / "worlds/canal/map.dat").write_text("eight evenings")
    member.harbour.publish("1.2.0", NEWER, **SAVE)
    told = run(member, "sync", "--folder", str(member.folder)).stdout
    for said in (
        "Ledger updated from 1.1.0 to 1.2.0", "Lanterns 1.1.0 removed", "worlds: Ledger updated",
        "Backed up before: 1 world (“canal”) in 1 file", "convoy restore", "1 step that only you can do:",
        "Name your barge.", "Next: convoy steps",
    ):  # fmt: skip
        assert said in told, told
    here = ["--folder", str(member.folder)]
    listed = run(member, "history", *here).stdout
    assert "From release 1.1.0 to 1.2.0: " in listed and "worlds backed up before" in listed
    assert run(member, "undo", *here).stdout.startswith("Back at release 1.1.0.")
    assert "Release 1.2.0 taken back to 1.1.0" in run(member, "history", *here).stdout


def test_twenty_thousand_extras_are_one_line(member: Member) -> None:
    member.sync()
    many = member.folder / "mods/mine"
    many.mkdir()
    for number in range(20_000):
        (many / f"{number}").touch()
    told = run(member, "sync", "--folder", str(member.folder)).stdout
    assert "20,000 files are not of the pack" in told and len(told.splitlines()) < 6
    status = run(member, "status", "--folder", str(member.folder)).stdout
    assert "and 19992 more that are extra" in status and "Next: convoy sync --extras-aside" in status


def test_what_lies_aside_is_put_back_by_what_it_was(member: Member) -> None:
    member.sync()
    here = ["--folder", str(member.folder)]
    assert "Nothing lies aside." in run(member, "put-back", *here).stdout
    for name in ("one.zip", "two.zip"):
        (member.folder / "mods" / name).write_text(name)
    run(member, "sync", "--extras-aside", *here)
    assert "2 files aside." in run(member, "put-back", *here).stdout
    assert "back in place: mods/one.zip" in run(member, "put-back", "mods/one.zip", *here).stdout
    (member.folder / "mods/two.zip").write_text("another")
    stays = run(member, "put-back", "mods", *here)
    assert stays.returncode == 1 and "stays aside, as something lies there: mods/two.zip" in stays.stdout
    assert (member.folder / "mods/two.zip").read_text() == "another"
    assert run(member, "put-back", "mods/three.zip", *here).returncode == 2


def test_errands_are_listed_with_their_page(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.WITHHELD})
    here = ["--folder", str(member.folder)]
    told = run(member, "errands", *here)
    assert told.returncode == 1 and f"{member.harbour.address}/harbour/pages/lanterns" in told.stdout
    assert "gives nothing to programs" in told.stdout and "Next: convoy sync --wait" in told.stdout
    [one] = json.loads(run(member, "errands", "--json", *here).stdout)
    assert one["page"].endswith("pages/lanterns") and len(one["sha256"]) == 64
    assert "1 file to bring by hand. Next: convoy errands" in run(member, "status", *here).stdout


SCRIPTED = [
    ["status"], ["verify"], ["sync"], ["undo"], ["history"], ["backup"], ["backups"], ["restore", "x"], ["put-back"],
    ["errands"], ["bring", "x"], ["steps"], ["mend"], ["leave", "--yes"],
]  # fmt: skip


@pytest.mark.parametrize("words", SCRIPTED, ids=[words[0] for words in SCRIPTED])
def test_whatever_a_script_asks_it_gets_json_refusals_too(member: Member, tmp_path: Path, words: list[str]) -> None:
    told = run(member, *words, "--json", "--folder", str(tmp_path))
    refusal = json.loads(told.stdout)
    assert told.returncode == refusal["exit"] == 2 and "Traceback" not in told.stderr
    assert refusal["error"]["code"] in ("not-paired", "file-trouble") and refusal["error"]["what"]
    member.harbour.publish("1.1.0", MODS, terms=Terms(settings=("mods/*/settings.*",)))
    member.sync()
    done = run(member, *words, "--json", "--folder", str(member.folder))
    json.loads(done.stdout)


def test_a_site_that_is_away_has_an_exit_code_of_its_own(member: Member) -> None:
    member.sync()
    member.harbour.close()
    told = run(member, "sync", "--json", "--folder", str(member.folder))
    assert told.returncode == 3 and json.loads(told.stdout)["error"]["data"]["reason"] == "refused"
    assert run(member, "verify", "--folder", str(member.folder)).returncode == 0
    assert by_hand.steps_of(member.folder) == []
