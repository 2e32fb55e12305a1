"""What a page may ask of a machine in an evening: a start, a setting, a call for help. And what it tells."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

import pytest

from convoy_agent import sync as work
from convoy_agent.errors import NotInStep
from convoy_agent.folder.folder import Folder
from convoy_agent.narrowing_here import go_on
from convoy_agent.playing.runs import Runs
from convoy_agent.setting_back import set_own
from convoy_agent.watch import Watcher
from convoy_core.lock.terms import Terms
from convoy_core.words.errors import MalformedInput

from .conftest import Member, needs_posix
from .test_playing import MODS, QUICK, game, marker, ready, started

__all__ = ["game"]
pytestmark = needs_posix

GLOW = {**marker("lanterns"), "settings.toml": "# How bright\nglow = 3\n[night]\nfog = true\n"}
TERMS = Terms(settings=("mods/*/settings.toml",), worlds=("worlds",))


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, value in QUICK.items():
        monkeypatch.setenv(name, value)


def ordered(member: Member, *orders: tuple[str, dict[str, Any]], allow: bool = True) -> list[dict[str, Any]]:
    """What the site is answered to orders of the page."""
    before = len(member.harbour.done)
    member.harbour.orders = [{"id": at, "what": what, "given": given} for at, (what, given) in enumerate(orders)]
    Watcher(member.folder, member.store, [], lambda text: None, work.Silent(), lambda question: allow).run(once=True)
    return member.harbour.done[before:]


def test_a_crew_learns_who_has_started_the_right_thing_and_only_around_a_departure(member: Member, game: Path) -> None:
    ready(member, MODS)
    started(member, game)
    started(member, None, plain=True)
    assert member.harbour.starts == []
    member.harbour.departs = True
    started(member, None)
    told = member.harbour.starts
    assert [one["state"] for one in told] == ["starting", "up", "closed"]
    assert all(one["release"] == "2.0.0" and one["in_step"] and one["began"] == told[0]["began"] for one in told)
    (member.folder / "mods/ledger/data/a.dat").write_text("otherwise")
    member.harbour.starts = []
    started(member, None, anyway=True)
    assert not member.harbour.starts[0]["in_step"]
    # What is started to narrow a fault down is nobody's evening, and says nothing of the pack.
    member.harbour.starts = []
    go_on(member.folder, member.store)
    started(member, None)
    assert member.harbour.starts == [] and Runs(Folder(member.folder).own).all()[0].narrowing


def test_what_nobody_else_has_is_off_while_it_runs_and_on_again_after_a_kill(member: Member, game: Path) -> None:
    ready(member, MODS)
    own = member.folder / "mods/own-horn/waybill.toml"
    own.parent.mkdir()
    own.write_text('id = "own-horn"\nversion = "1"\n')
    with pytest.raises(NotInStep):
        started(member, game)
    assert "own-horn" in started(member, game, anyway=True).log.loaded
    member.harbour.departs = True
    alone = started(member, game, alone=True)
    assert all(one["in_step"] for one in member.harbour.starts) and len(member.harbour.starts) == 3
    member.harbour.departs = False
    assert set(alone.log.loaded) == {"ledger", "lanterns"} and own.exists()
    (member.folder / "mods/ledger/data/a.dat").write_text("otherwise")
    with pytest.raises(NotInStep):
        started(member, game, alone=True)
    code = (
        "import sys; from pathlib import Path; from convoy_agent.play import How, play\n"
        "from convoy_agent.storage.store import Store\n"
        "play(Path(sys.argv[1]), Store(Path(sys.argv[2])), How(program=Path(sys.argv[3]), alone=True, anyway=True), "
        "lambda question: True)"
    )
    command = [sys.executable, "-c", code, str(member.folder), str(member.store.root), str(game)]
    running = subprocess.Popen(command, env={**QUICK, "GAME_STAYS": "30"}, start_new_session=True)
    off = member.folder / ".convoy/off/mods/own-horn/waybill.toml"
    while not off.exists():
        time.sleep(0.02)
    # While it runs a look puts nothing back under it.
    member.status()
    assert off.exists() and not own.exists()
    os.killpg(running.pid, 9)
    running.wait()
    member.status()
    assert own.read_text().startswith('id = "own-horn"') and not (member.folder / ".convoy/off").exists()


@pytest.mark.usefixtures("quick")
def test_the_pages_button_starts_what_was_confirmed_here_and_nothing_else(member: Member, game: Path) -> None:
    ready(member, MODS)
    refused = ordered(member, ("play", {}), allow=False)[0]
    assert refused["refused"] and "never allowed on this machine" in refused["said"]
    # Allowed, but nobody said yet which program the game is; and the page cannot.
    unknown = ordered(member, ("play", {"program": str(game)}))[0]
    assert unknown["refused"] and "which program" in unknown["said"]
    named = Watcher(member.folder, member.store, [], lambda text: None, work.Silent(), program=game)
    member.harbour.orders = [{"id": 0, "what": "play", "given": {}}]
    named.run(once=True)
    assert not member.harbour.done[-1]["refused"]
    before = len(Runs(Folder(member.folder).own).all())
    assert ordered(member, ("play", {}))[0] == {"id": 0, "said": "The game is started.", "refused": False}
    assert len(Runs(Folder(member.folder).own).all()) == before + 1


@pytest.mark.usefixtures("quick")
def test_orders_go_on_while_a_game_runs_that_the_page_started(
    member: Member, game: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ready(member, MODS)
    started(member, game)
    monkeypatch.setenv("GAME_STAYS", "2")
    first, look, again, sync = ordered(member, ("play", {}), ("look", {}), ("play", {}), ("sync", {}))
    assert not first["refused"] and "Every file is as release 2.0.0" in look["said"]
    assert again["refused"] and "runs" in again["said"] and not sync["refused"]
    assert threading.active_count() < 40


def test_a_setting_is_taken_on_key_by_key_where_the_pack_has_settings_and_it_was_allowed(member: Member) -> None:
    ready(member, {"lanterns": GLOW})
    member.harbour.publish("2.1.0", {"lanterns": GLOW}, terms=TERMS)
    member.sync()
    place = member.folder / "mods/lanterns/settings.toml"

    def order(key: list[str], value: object, path: str = "mods/lanterns/settings.toml") -> tuple[str, dict[str, Any]]:
        return "set own", {"settings": [{"path": path, "key": key, "value": value}]}

    assert ordered(member, order(["glow"], 9), allow=False)[0]["refused"] and "glow = 3" in place.read_text()
    assert ordered(member, order(["glow"], 9), order(["night", "fog"], False))[1]["said"] == "1 setting set."
    assert place.read_text() == "# How bright\nglow = 9\n[night]\nfog = false\n"
    before = place.read_text()
    for odd in (
        order(["glow2"], 1), order(["glow"], [1]), order(["night"], 1), order(["glow"], None),
        order(["id"], "x", "mods/lanterns/waybill.toml"), order(["a"], 1, "../outside.toml"),
        ("set own", {"settings": [3]}),
    ):  # fmt: skip
        assert ordered(member, odd)[0]["refused"], odd
    assert place.read_text() == before
    with pytest.raises(MalformedInput):
        set_own(member.folder, {("mods/lanterns/data/a.dat", ("a",)): 1})


@pytest.mark.usefixtures("quick")
def test_what_a_page_has_gathered_is_sent_to_nobody_and_nothing_private_leaves(
    member: Member, game: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("USER", "annika")
    bad = marker("ledger", 'grumbles = ["token=Zx81kLm02pQ"]\ntrouble = { with = "lanterns" }')
    ready(member, MODS)
    started(member, game)
    ready(member, {"ledger": bad, "lanterns": MODS["lanterns"]})
    started(member, game)
    assert not ordered(member, ("call for help", {"words": "Annika sees fog"}))[0]["refused"]
    told = member.harbour.help[0]
    assert told["send"] is False and told["number"] == "2.0.0" and told["words"] == "‹account 1› sees fog"
    assert (told["cause"]["known"], {told["cause"]["mod"], told["cause"]["other"]}) == (
        "meet-badly",
        {"ledger", "lanterns"},
    )
    assert [one["good"] for one in told["starts"]] == [False, True]
    assert "‹secret 1›" in json.dumps(told["logs"]["last"], ensure_ascii=False) and told["logs"]["good"]
    assert {one["mod"] for one in told["logs"]["last"] if one["new"]} >= {"ledger"}
    assert "## Crash report: logs/wrecks/" in told["text"] and "Stopped with 2 aboard." in told["text"]
    assert "annika" not in json.dumps(told).casefold() and "Zx81kLm02pQ" not in json.dumps(told)
    command = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root), "help-me", "Still"]
    for more, many in ((["--json"], 1), (["--json", "--send"], 2), ([], 2)):
        done = subprocess.run([*command, "--folder", str(member.folder), *more], capture_output=True, text=True)
        assert done.returncode == 0 and len(member.harbour.help) == many, done.stderr
    assert member.harbour.help[1]["send"] is True
