"""Starting a member's game: only what they confirmed, only in step, watched to its end, and told as it was."""

import gzip
import json
import os
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest

from convoy_agent.call_for_help import call_for_help
from convoy_agent.errors import CannotPlay, NoProgram, NotInStep, SomebodyElse
from convoy_agent.folder.folder import Folder
from convoy_agent.play import How, Played, play
from convoy_agent.playing.runs import KEPT, Run, Runs
from convoy_core.log.fates import Fate, fates_of
from convoy_core.outside.calling import arguments_of
from convoy_core.outside.game_profile import read_profile
from convoy_core.words.errors import MalformedInput
from convoy_io.games import Limits, Stopped, open_plain, run_game
from convoy_standins.game import launcher

from .conftest import Member, needs_posix
from .harbour import Harbour

pytestmark = needs_posix

ROOT = Path(__file__).parents[2]
PROFILE = ROOT / "demo/games/tillerway.toml"
TILLERWAY = read_profile(PROFILE.read_text())
QUICK = {**os.environ, "GAME_STAYS": "0.05", "GAME_PACE": "0", "CONVOY_BASE": "2.1.0 bosun 5.2.0", "GAME_CHANCE": "1"}


def marker(mod: str, more: str = "") -> dict[str, str]:
    return {"waybill.toml": f'id = "{mod}"\nversion = "1.0"\n{more}\n', "data/a.dat": mod}


MODS = {"ledger": marker("ledger"), "lanterns": marker("lanterns", 'writes = { "config/lanterns.toml" = "glow = 3" }')}

FAULTS = {
    "a need that is missing": ('needs = { weir-core = ">=1.3" }', "Ledger needs weir-core >=1.3, which is not there."),
    "another loader": ('loaders = { capstan = "*" }', "Ledger was made for the loader capstan."),
    "another version of the game": ('games = "<2"', "Ledger was made for version <2 of the game, and this is 2.1.0."),
    "what another rebuilds": ('rebuilds = ["economy"]', "Ledger and Lanterns each rebuild economy."),
    "one key set twice": ('sets = ["tolls.night"]', "Lanterns and Ledger both set tolls.night"),
    "two that meet badly": ('trouble = { with = "lanterns" }', "Ledger and Lanterns fail together"),
    "at times, and nothing known": ("trouble = { chance = 1.0 }", "Likely Ledger: the last error before the end"),
    "too much memory": ("memory_mb = 90000", "4096 MB of memory are not enough."),
}


@pytest.fixture
def game(tmp_path: Path) -> Path:
    return launcher(tmp_path / "games/tillerway", PROFILE)


def started(member: Member, program: Path | None, **given: object) -> Played:
    asked = given.pop("asked", None)
    how = How(program=program, memory_mb=4096, **given)
    return play(member.folder, member.store, how, asked or (lambda question: True), environment=QUICK)


def ready(member: Member, mods: dict[str, dict[str, str]]) -> None:
    member.harbour.publish("2.0.0", mods)
    member.sync()


def test_an_evening(member: Member, game: Path) -> None:
    ready(member, MODS)
    done = started(member, game)
    assert (done.run.ended, done.run.exit, done.run.release, done.run.cause) == ("closed", 0, "2.0.0", "")
    assert done.run.to_main_screen is not None and "was played for" in done.sentence
    assert done.log.loaded == {"ledger": "1.0", "lanterns": "1.0"}
    assert done.run.new_files == ("config/lanterns.toml",)
    assert done.run.given_mb == 4096 and done.run.memory_mb > 20
    kept = Runs(Folder(member.folder).own)
    assert [one.id for one in kept.all()] == [done.run.id] and 0 < kept.played() < 30
    assert b"Moored at the main screen" in gzip.decompress(kept.log_of(done.run.id).read_bytes())
    again = started(member, None, asked=lambda question: pytest.fail(question))
    assert again.run.ended == "closed" and again.run.new_files == ()


@pytest.mark.parametrize("fault", FAULTS)
def test_a_crash_is_told_with_its_cause(member: Member, game: Path, fault: str) -> None:
    more, sentence = FAULTS[fault]
    beside = more if "rebuild" in more or "sets" in more else ""
    ready(member, {"ledger": marker("ledger", more), "lanterns": marker("lanterns", beside)})
    done = started(member, game)
    assert (done.run.ended, done.run.exit, done.run.to_main_screen) == ("crashed", 1, None)
    both = done.run.cause.replace("Lanterns and Ledger each", "Ledger and Lanterns each")
    assert both.startswith(sentence) or sentence in both
    fates = fates_of(["ledger", "lanterns"], done.log)
    assert (fates["ledger"] is Fate.FAILED) == ("memory" not in fault)


def test_a_mod_too_deep_is_silent_and_the_game_goes_on(member: Member, game: Path) -> None:
    ready(member, {"ledger": MODS["ledger"]})
    deep = member.folder / "mods/lamps/Lamps 1.0"
    deep.mkdir(parents=True)
    (deep / "waybill.toml").write_text('id = "lamps"')
    with pytest.raises(NotInStep) as refused:
        started(member, game)
    assert refused.value.data["differences"] == 1
    done = started(member, game, anyway=True)
    assert done.run.ended == "closed"
    assert fates_of(["ledger", "lamps"], done.log) == {"ledger": Fate.LOADED, "lamps": Fate.SILENT}
    assert any(one.known and one.known.id == "wrong-level" for one in done.log.entries)


def test_a_game_that_hangs_is_ended_when_its_person_says_so_and_nothing_of_it_is_left(
    member: Member, game: Path
) -> None:
    ready(member, {"ledger": marker("ledger", "trouble = { hangs = true }")})
    at = time.monotonic()
    done = play(
        member.folder, member.store, How(program=game), lambda question: True,
        wanted=lambda up: Stopped.ASKED if time.monotonic() - at > 1 else None, environment=QUICK,
    )  # fmt: skip
    assert (done.run.ended, done.run.stopped) == ("running", "somebody stopped it")
    assert "It never reached the main screen; it was stopped" in done.sentence
    assert str(member.folder) not in subprocess.run(["ps", "-eo", "args"], capture_output=True, text=True).stdout


def test_no_sync_changes_the_folder_under_a_running_game(member: Member, game: Path) -> None:
    ready(member, MODS)
    running = threading.Thread(target=lambda: play(
        member.folder, member.store, How(program=game), lambda question: True, environment={**QUICK, "GAME_STAYS": "3"},
    ))  # fmt: skip
    running.start()
    try:
        while not (member.folder / "logs/helm.log").exists():
            time.sleep(0.02)
        member.harbour.publish("2.1.0", {"ledger": MODS["ledger"]})
        with pytest.raises(SomebodyElse, match="The game runs"):
            member.sync()
        assert (member.folder / "mods/lanterns").exists()
        assert member.status().release == "2.0.0"
    finally:
        running.join()
    assert member.sync().release == "2.1.0"


# --- What may run


def test_nothing_runs_that_its_person_did_not_confirm(member: Member, game: Path) -> None:
    ready(member, MODS)
    asked: list[str] = []

    def no(question: str) -> bool:
        asked.append(question)
        return False

    with pytest.raises(NoProgram, match="Nothing here says"):
        started(member, None)
    with pytest.raises(NoProgram, match="was not confirmed"):
        started(member, game, asked=no)
    assert str(game) in asked[0] and "--heap {memory_mb}" in asked[0]
    assert not (member.folder / "logs").exists()
    started(member, game)
    game.write_text(game.read_text() + "# another\n")
    with pytest.raises(NoProgram, match="was not confirmed"):
        started(member, None, asked=no)
    assert "not as it was" in asked[-1]


def test_a_site_that_calls_the_program_otherwise_is_told_of_first(member: Member, game: Path) -> None:
    ready(member, MODS)
    started(member, game)
    member.harbour.profile = member.harbour.profile.replace(
        '"--home", "{folder}"', '"--home", "{folder}", "--erase-all"'
    )
    asked: list[str] = []
    with pytest.raises(NoProgram):
        started(member, None, asked=lambda question: asked.append(question) is not None)
    assert "--erase-all" in asked[0]


@pytest.mark.parametrize("name", ["tillerway", "TillerWay", ".convoy/inbox/tillerway"])
def test_what_a_pack_lays_down_is_never_run(member: Member, name: str) -> None:
    evil = "#!/bin/sh\ntouch stolen\n"
    own = {} if name.startswith(".") else {"own": {name: evil}}
    member.harbour.publish("2.0.0", {"ledger": MODS["ledger"], **own}, at_the_root="own")
    member.sync()
    place = member.folder / name
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(evil)
    place.chmod(0o755)
    with pytest.raises(NoProgram):
        started(member, None, anyway=True)
    with pytest.raises(NoProgram, match="came with the pack"):
        started(member, place, anyway=True)
    outside = member.folder.parent / "looks-fine"
    outside.symlink_to(place)
    with pytest.raises(NoProgram, match="came with the pack"):
        started(member, outside, anyway=True)
    assert not (member.folder / "stolen").exists()


HOSTILE = {
    'arguments = ["--home", "{folder}"]': 'arguments = ["--run", "{program}"]',
    'files = { linux = "tillerway"': 'files = { linux = "../../bin/sh"',
    'place = "logs/helm.log"': 'place = "/etc/passwd"',
}


@pytest.mark.parametrize("good", HOSTILE)
def test_a_hostile_profile_is_refused_whole(member: Member, game: Path, good: str) -> None:
    ready(member, MODS)
    member.harbour.profile = member.harbour.profile.replace(good, HOSTILE[good])
    with pytest.raises(MalformedInput):
        started(member, game)
    assert not (member.folder / "logs").exists()


FINE = ("kestrel.example:7000", "10.1.2.3", "[fd00::1]:7000")
SERVERS = {**dict.fromkeys(FINE, True), **dict.fromkeys(("--exec=sh", "a b", "a;b", "$(id)", "-h", "a\nb"), False)}


@pytest.mark.parametrize("server", SERVERS)
def test_a_value_never_becomes_an_option_of_its_own(server: str) -> None:
    assert TILLERWAY.start is not None
    if not SERVERS[server]:
        with pytest.raises(MalformedInput):
            arguments_of(TILLERWAY.start, {"folder": "/x", "server": server})
        return
    made = arguments_of(TILLERWAY.start, {"folder": "/x y", "server": server}, plain=True)
    assert made == ("--home", "/x y", "--moor-at", server, "--bare")
    assert arguments_of(TILLERWAY.start, {"memory_mb": "4096"}) == ("--home", "--heap", "4096")


def test_a_link_that_the_game_left_where_its_log_lies_leads_nowhere(tmp_path: Path) -> None:
    secret = tmp_path / "secret"
    secret.write_text("12:0 INFO (game) Moored at the main screen\n")
    folder = tmp_path / "folder"
    (folder / "logs").mkdir(parents=True)
    command = [sys.executable, "-c", f"import os, time; os.symlink({str(secret)!r}, 'logs/helm.log'); time.sleep(0.3)"]
    run = run_game(command, folder, TILLERWAY, {}, Limits())
    assert (run.log.lines, run.to_main_screen) == (0, None)
    # Neither is a crash report, and none of what the agent keeps is one.
    reports = replace(TILLERWAY.log, reports=("logs/*", ".convoy/*"))
    code = "import os; os.makedirs('.convoy'); open('.convoy/a', 'w').write('token'); os.symlink('{}', 'logs/wreck'); "
    code += "open('logs/real', 'w').write('fell\\x1b[31m')"
    run = run_game([sys.executable, "-c", code.format(secret)], folder, replace(TILLERWAY, log=reports), {}, Limits())
    assert [(one.path, one.text) for one in run.reports] == [("logs/real", "fell[31m")]
    os.mkfifo(folder / "pipe")
    with pytest.raises(OSError, match="no plain file"):
        open_plain(folder, "pipe")


LIMITS = {
    Stopped.TOO_LONG: ("import time; time.sleep(60)", Limits(seconds=0.4)),
    Stopped.TOO_MUCH_MEMORY: ("import time; x = b'1' * 300_000_000; time.sleep(60)", Limits(20, memory_mb=150)),
    Stopped.TOO_MUCH_SAID: (
        "f = open('logs/helm.log', 'w')\nfor _ in range(9**6): print('x' * 90, file=f)",
        Limits(20, output=1e6),
    ),
}


@pytest.mark.parametrize("why", LIMITS)
def test_limits_hold(tmp_path: Path, why: Stopped) -> None:
    (tmp_path / "logs").mkdir()
    code, limits = LIMITS[why]
    run = run_game([sys.executable, "-c", code], tmp_path, TILLERWAY, {}, limits)
    assert run.stopped is why and not run.came_up and run.seconds < 15


def test_a_log_that_goes_on_is_read_from_where_this_start_begins(tmp_path: Path) -> None:
    log = tmp_path / "logs/helm.log"
    log.parent.mkdir()
    log.write_text("12:0 INFO (game) Moored at the main screen\n" * 30)
    code = (
        "f = open('logs/helm.log', 'a'); f.write('13:0 ERROR (game) Now\\n'); f.close(); import time; time.sleep(0.2)"
    )
    run = run_game([sys.executable, "-c", code], tmp_path, TILLERWAY, {}, Limits())
    assert [one.text for one in run.log.entries] == ["Now"] and not run.came_up


def test_old_starts_go_and_pinned_ones_stay(tmp_path: Path) -> None:
    runs = Runs(tmp_path)
    for at in range(KEPT + 4):
        id = f"2026-11-{at + 10}"
        (tmp_path / "runs" / id).mkdir(parents=True)
        runs.keep(Run(id, "1", "", 1, None, 1, 1, False, "closed", 0, "", "", {}, pinned=at == 1))
    left = [one.id for one in runs.all()]
    assert len(left) == KEPT + 1 and "2026-11-11" in left and "2026-11-10" not in left


def test_the_command_and_a_start_without_a_site(member: Member, game: Path, tmp_path: Path, harbour: Harbour) -> None:
    ready(member, MODS)
    run = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root)]
    here = ["--folder", str(member.folder), "--json"]
    refused = subprocess.run([*run, "play", *here], capture_output=True, text=True, env=QUICK)
    assert refused.returncode == 2 and "--program" in refused.stderr + refused.stdout
    (member.folder / "mods/ledger/data/a.dat").unlink()
    command = [*run, "play", *here, "--program", str(game), "--yes", "--sync"]
    done = subprocess.run(command, capture_output=True, text=True, env=QUICK)
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert (told["ended"], told["log"]["main_screen"]) == ("closed", True)
    harbour.close()
    plain = subprocess.run([*run, "play", *here, "--plain"], capture_output=True, text=True, env=QUICK)
    assert plain.returncode == 0 and json.loads(plain.stdout)["log"]["loaded"] == {}
    kept = subprocess.run([*run, "runs", *here], capture_output=True, text=True, env=QUICK)
    assert len(json.loads(kept.stdout)["runs"]) == 2


def test_a_profile_that_says_nothing_of_starting(member: Member, game: Path) -> None:
    ready(member, MODS)
    member.harbour.profile = member.harbour.profile.partition("# By which a member")[0]
    with pytest.raises(CannotPlay, match="does not say how it is started"):
        started(member, game)


def test_a_call_for_help_tells_what_helps_and_nothing_private(
    member: Member, game: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("USER", "annika")
    monkeypatch.setattr(Path, "home", lambda: Path("/home/annika"))
    ready(member, MODS)
    started(member, game)
    grumbles = 'grumbles = ["No lamp in /home/annika/lamps", "token=Zx81kLm02pQ", "peer 10.20.30.40 left"]'
    bad = marker("ledger", f'{grumbles}\ntrouble = {{ with = "lanterns" }}')
    ready(member, {"ledger": bad, "lanterns": MODS["lanterns"]})
    started(member, game)
    (member.folder / "mods/ledger/data/a.dat").write_text("otherwise")
    call = call_for_help(member.folder, member.store, "It falls over as soon as Annika starts it.")
    for wanted in (
        "mods/ledger/data/a.dat: altered", "Ledger and Lanterns fail together", "crashed after",
        "- error, ledger, new: Could not steer", "> It falls over as soon as ‹account 1› starts it.", "MB of memory",
    ):  # fmt: skip
        assert wanted in call.text, call.text
    for secret in ("annika", "Zx81kLm02pQ", "10.20.30.40"):
        assert secret not in call.text.casefold()
    assert {one.what.casefold() for one in call.replaced} >= {"annika", "zx81klm02pq", "10.20.30.40"}
    assert member.status().fingerprint in call.text


def test_a_yes_to_the_program_is_no_yes_to_anything_else(member: Member, game: Path) -> None:
    """Neither to going back, which only the page asks for, nor to a sync that nobody asked for."""
    ready(member, MODS)
    member.harbour.publish("3.0.0", MODS)
    run = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root), "play", "--json"]
    command = [*run, "--folder", str(member.folder), "--program", str(game), "--yes"]
    done = subprocess.run(command, capture_output=True, text=True, env=QUICK)
    assert done.returncode == 2 and "not in step" in done.stdout + done.stderr
    assert member.status().release == "2.0.0"


def test_a_program_that_cannot_be_started_leaves_no_start_behind(member: Member, tmp_path: Path) -> None:
    ready(member, MODS)
    broken = tmp_path / "broken"
    broken.write_text("#!/nowhere/at-all\n")
    broken.chmod(0o755)
    with pytest.raises(CannotPlay, match="could not be started"):
        started(member, broken)
    assert [one.name for one in (member.folder / ".convoy/runs").iterdir()] == []
