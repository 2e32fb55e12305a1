"""What a member has of their own: settings, choices, worlds, files aside, errands, steps; none of it is ever lost."""

import errno
import json
import os
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

import pytest

from convoy_agent import backing_up, by_hand, taking_back
from convoy_agent import sync as work
from convoy_agent.change import Wish
from convoy_agent.commands.archive_store import wanted
from convoy_agent.errors import (
    BackupRefused,
    BadRelease,
    DiskFull,
    ErrandsLeft,
    FolderRefused,
    LineLimit,
    NothingInstalled,
    Stopped,
)
from convoy_agent.fetching.fetch import Fetcher
from convoy_agent.folder.allowed import Allowed
from convoy_agent.folder.backups import KEPT, Backups
from convoy_agent.folder.folder import Folder
from convoy_agent.folder.releases import Releases
from convoy_agent.join import join
from convoy_agent.leave import leave
from convoy_agent.setting_back import set_back
from convoy_agent.storage.store import Store
from convoy_agent.watch import Watcher
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import LockedBuild
from convoy_core.lock.terms import Check, HandStep, How, Offer, Terms, Tweak
from convoy_core.settings.formats import UnreadableSettings
from convoy_core.sync.orders import Allowance
from convoy_core.sync.plan import Act, SyncChoices
from convoy_core.trust.signing import new_key
from convoy_core.trust.statement import Named
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Pickup, Reach
from convoy_site import clean
from convoy_site.installations.shapes.agent import AboutIn

from .conftest import MODS, NEWER, Member
from .harbour import CODE
from .test_sync import run

SETTINGS = "mods/ledger/settings.toml"
PATTERNS = {"settings": ("mods/*/settings.*",), "worlds": ("worlds",)}
PLAIN = Terms(**PATTERNS)


def ledger(settings: str, data: str = "a" * 5000) -> dict[str, dict[str, str]]:
    return {"ledger": {"waybill.toml": "id = 'ledger'", "data/a.dat": data, "settings.toml": settings}}


def tweaked(value: int, how: How = How.ENFORCED) -> Terms:
    return Terms(**PATTERNS, tweaks=(Tweak(SETTINGS, ("tolls", "rate"), value, how),))


def text(member: Member, path: str = SETTINGS) -> str:
    return (member.folder / path).read_text()


# --- Settings


FIRST = "# Tolls\nvolume = 5\nold = 1\n\n[tolls]\nrate = 2 # crew\n"
SECOND = "# Tolls\nvolume = 9\nnew = 1\n\n[tolls]\nrate = 3 # crew\n"


def test_a_members_settings_are_merged_into_a_new_release(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=PLAIN)
    member.sync()
    (member.folder / SETTINGS).write_text(FIRST.replace("volume = 5", "volume = 1   # quiet") + "mine = true\n")
    assert member.sync().plan.moves == ()
    assert member.harbour.reports[-1]["deviations"] == {}
    member.harbour.publish("1.2.0", ledger(SECOND), terms=PLAIN)
    done = member.sync()
    assert "volume = 1   # quiet" in text(member) and "# Tolls" in text(member)
    assert "new = 1" in text(member) and "old" not in text(member) and "rate = 3 # crew" in text(member)
    assert "mine = true" in text(member)
    assert done.notes[0]["kept"] == [{"key": "volume", "mine": "1", "new": "9"}]
    assert done.aside == () and member.sync().plan.moves == ()
    assert member.harbour.reports[-1]["about"]["plan"]["mine"] == [SETTINGS]
    # Nobody changed anything since: the way back takes the release's keys back, and keeps the member's.
    work.sync(member.folder, member.store, wish=Wish(to=Named("1.1.0", "")))
    assert "rate = 2" in text(member) and "volume = 1   # quiet" in text(member)


def test_an_enforced_setting_wins_and_is_put_right_again(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=tweaked(4))
    member.sync()
    assert "rate = 4" in text(member)
    right = member.harbour.reports[-1]["fingerprint"]
    (member.folder / SETTINGS).write_text(FIRST.replace("rate = 2", "rate = 7").replace("volume = 5", "volume = 0"))
    found = member.status()
    assert found.deviations == {SETTINGS: "setting"} and found.fingerprint != right
    assert member.harbour.reports[-1]["about"]["strayed"] == [
        {"path": SETTINGS, "key": "tolls.rate", "wanted": "4", "there": "7"}
    ]
    done = member.sync()
    assert done.notes[0]["overruled"] == [{"key": "tolls.rate", "mine": "7", "new": "4"}]
    assert "rate = 4" in text(member) and "volume = 0" in text(member)
    assert member.status().fingerprint == right


def test_a_starting_value_is_set_once_and_then_the_members(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=tweaked(4, How.START))
    member.sync()
    assert "rate = 4" in text(member)
    (member.folder / SETTINGS).write_text(text(member).replace("rate = 4", "rate = 8"))
    assert member.sync().plan.moves == ()
    member.harbour.publish("1.2.0", ledger(FIRST), terms=tweaked(5, How.START))
    member.sync()
    assert "rate = 8" in text(member)


def test_what_a_member_changed_is_told_where_they_allowed_it_and_nowhere_else(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=tweaked(4, How.START))
    member.sync()
    (member.folder / SETTINGS).write_text(text(member).replace("volume = 5", f"volume = 1\nmine = '{'x' * 400}'"))
    member.status()
    assert member.harbour.reports[-1]["about"]["settings"] == []
    member.harbour.choice = {"tells_settings": True}
    member.status()
    # A value that nobody would read is not told either; nor is what is as the pack placed it.
    assert member.harbour.reports[-1]["about"]["settings"] == [
        {"path": SETTINGS, "key": ["volume"], "mine": 1, "was": 5}
    ]
    (member.folder / SETTINGS).write_text("this is [no TOML")
    member.status()
    assert member.harbour.reports[-1]["about"]["settings"] == []


def test_whatever_a_settings_file_holds_the_site_hears_of_the_rest(member: Member) -> None:
    rates = (Tweak(f"mods/ledger/settings.{name}", ("rate",), 2, How.ENFORCED) for name in ("json", "toml"))
    terms = Terms(**PATTERNS, tweaks=tuple(rates))
    files = {"waybill.toml": "id = 'ledger'", "settings.json": '{"kept": 1, "all": 1}', "settings.toml": "rate = 2\n"}
    member.harbour.choice = {"tells_settings": True}
    member.harbour.publish("1.1.0", {"ledger": files}, terms=terms)
    member.sync()
    path, deep = member.folder / "mods/ledger/settings.json", '{"k":' * 45 + "1" + "}" * 45
    path.with_suffix(".toml").write_text("rate = 2024-05-01\n")
    for value in ('"\\u0000"', '"\\ud800"', "9" * 30, "NaN", "1e999", "-1e30", "[" * 40 + "1" + "]" * 40):
        path.write_text(f'{{"rate": {value}, "kept": {value}, "all": 3, "deep": {deep}}}')
        member.status()
        told = _as_sites_take_it(member.harbour.reports[-1])
        assert [one["key"] for one in told["strayed"]] == ["rate", "rate"], value
        assert (["all"], 3, 1) in [(row["key"], row["mine"], row["was"]) for row in told["settings"]]
    member.harbour.publish("1.2.0", {"ledger": {**files, "settings.json": '{"kept": 5, "all": 1}'}}, terms=terms)
    path.write_text('{"rate": 2, "kept": "\\u0000", "all": 3}')
    assert "kept" in [one["key"] for note in member.sync().notes for one in note["kept"]]
    _as_sites_take_it(member.harbour.reports[-1])


def _as_sites_take_it(report: dict[str, Any]) -> dict[str, Any]:
    told = clean.parsed(json.dumps(report, allow_nan=False).encode())["about"]
    AboutIn(**told)
    return told


def test_settings_are_set_back_key_by_key_where_asked_and_backed_up_before(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=tweaked(4, How.START))
    member.sync()
    mine = text(member).replace("volume = 5", "volume = 1 # mine\nown = 2").replace("rate = 4", "rate = 8")
    (member.folder / SETTINGS).write_text(mine)
    places = [(SETTINGS, ("tolls", "rate")), (SETTINGS, ("own",))]
    assert set_back(member.folder, places) == 2
    assert text(member) == mine.replace("rate = 8", "rate = 4").replace("own = 2\n", "")
    [kept] = Backups(Folder(member.folder)).all()
    assert kept.why == "Before settings were set back" and kept.files
    assert set_back(member.folder, places) == 0 and len(Backups(Folder(member.folder)).all()) == 1
    for odd in ("mods/ledger/data.bin", "../outside.toml", "notes/mine.toml"):
        with pytest.raises(ConvoyError):
            set_back(member.folder, [(odd, ("a",))])
    (member.folder / SETTINGS).write_text("this is [no TOML")
    with pytest.raises(UnreadableSettings):
        set_back(member.folder, places)
    assert text(member) == "this is [no TOML"


GAMES = "mods/engine/settings.toml"


def games(**values: tuple[Any, How]) -> Terms:
    """Keys of a file that no build carries."""
    tweaks = (Tweak(GAMES, (key,), value, how) for key, (value, how) in values.items())
    return Terms(**PATTERNS, tweaks=tuple(tweaks))


def test_the_games_own_file_gets_single_keys_once_it_is_written_and_says_its_own_again(member: Member) -> None:
    own = member.folder / GAMES
    member.harbour.publish("1.1.0", ledger(FIRST), terms=games(fps=(60, How.START), fog=(True, How.ENFORCED)))
    assert not member.sync().plan.paths(Act.ADJUST) and not own.exists()
    own.parent.mkdir()
    own.write_text("# by the game\nfps = 30 # a second\nfog = false\nsound = 7\n")
    assert member.status().deviations == {GAMES: "setting"}
    assert member.sync().plan.paths(Act.ADJUST) == (GAMES,)
    assert own.read_text() == "# by the game\nfps = 60 # a second\nfog = true\nsound = 7\n"
    assert member.sync().plan.moves == () and member.status().deviations == {}
    # From then on a starting value is the member's, an enforced one is not; and neither is anybody's file.
    own.write_text(own.read_text().replace("60", "144").replace("true", "false"))
    assert [one["key"] for one in member.sync().notes[0]["overruled"]] == ["fog"]
    assert own.read_text() == "# by the game\nfps = 144 # a second\nfog = true\nsound = 7\n"
    member.harbour.publish("1.2.0", ledger(FIRST), terms=games(fps=(90, How.START), sound=(1, How.START)))
    member.sync()
    assert own.read_text() == "# by the game\nfps = 144 # a second\nfog = false\nsound = 1\n"
    own.write_text("fps = [no TOML")
    member.harbour.publish("1.3.0", ledger(FIRST), terms=games(fps=(91, How.START), sound=(1, How.START)))
    assert member.sync().notes[0]["problem"] and own.read_text() == "fps = [no TOML"
    own.write_text("fps = 1\nsound = 1\n")
    leave(member.folder, datetime.now(UTC))
    assert own.read_text() == "fps = 1\nsound = 7\n" and not (member.folder / SETTINGS).exists()


def test_what_the_game_wrote_is_read_for_the_site_where_allowed_without_what_is_private(member: Member) -> None:
    own = member.folder / GAMES
    own.parent.mkdir(parents=True)
    data = b"# Frames a second\nfps = 30\n[login]\nname = 'me'\n"
    own.write_bytes(data)
    sha256 = sha256_hex(data)
    asked = {"archive_sha256": "", "files": [{"member": "", "path": GAMES, "sha256": sha256}]}
    outside = {"member": "", "path": "../outside.toml", "sha256": sha256_hex(b"a = 1\n")}
    (member.folder.parent / "outside.toml").write_bytes(b"a = 1\n")
    member.harbour.wanted_readings = [asked, {"archive_sha256": "", "files": [outside, {}, 7]}]
    member.harbour.publish("1.1.0", ledger(FIRST), terms=PLAIN)
    member.sync()
    assert member.harbour.reports[-1]["about"]["written"] == {} and not member.harbour.readings
    member.harbour.choice = {"tells_settings": True}
    member.sync()
    assert member.harbour.reports[-1]["about"]["written"] == {GAMES: sha256}
    [told] = member.harbour.readings
    assert told == {"sha256": sha256, "keys": [[["fps"], 30, "Frames a second", ""]], "trouble": ""}


def test_a_setting_that_its_member_keeps_stays_and_a_set_that_they_chose_comes(member: Member) -> None:
    calm = Offer("calm", "Calm", (Tweak(SETTINGS, ("volume",), 2, How.START),))
    member.harbour.publish("1.1.0", ledger(FIRST), terms=PLAIN)
    member.harbour.choice = {"pinned": [[SETTINGS, ["volume"]], [SETTINGS, ["tolls", "rate"]]]}
    member.sync()
    # Both are as they were placed: without being kept, they would follow the release.
    member.harbour.publish("1.2.0", ledger(SECOND), terms=replace(tweaked(3), offers=(calm,)))
    note = member.sync().notes[0]
    assert "volume = 5" in text(member) and "rate = 3" in text(member) and "new = 1" in text(member)
    told = {name: [one["key"] for one in note[name]] for name in ("kept", "overruled")}
    assert told == {"kept": ["volume"], "overruled": ["tolls.rate"]}
    member.harbour.choice = {"sets": ["calm", "gone"]}
    member.sync()
    assert "volume = 5" in text(member)
    member.harbour.choice = {}
    (member.folder / SETTINGS).write_text(SECOND)
    member.sync()
    member.harbour.choice = {"sets": ["calm"]}
    member.sync()
    assert "volume = 2" in text(member) and member.sync().plan.moves == ()
    # Mending alone keeps to what was installed, whatever was chosen since.
    member.harbour.choice = {}
    assert member.sync(wish=Wish(SyncChoices(only=frozenset({SETTINGS})))).plan.moves == ()
    member.sync()
    assert "volume = 9" in text(member)


def test_a_plan_tells_beforehand_where_a_list_loses_its_comments(member: Member) -> None:
    listed = "ports = [\n  1, # home\n  2,\n]\nvolume = 1\n"
    member.harbour.publish("1.1.0", ledger(listed), terms=PLAIN)
    member.sync()
    (member.folder / SETTINGS).write_text(listed.replace("volume = 1", "volume = 3"))
    member.harbour.publish("1.2.0", ledger(listed.replace("  2,", "  2, 3,")), terms=PLAIN)
    assert member.status().plan.rewritten == {}  # Its archive is still to come.
    assert member.sync().notes[0]["comments_lost"] == 1
    member.sync(wish=Wish(to=Named("1.1.0", "")))
    (member.folder / SETTINGS).write_text(listed.replace("volume = 1", "volume = 4"))
    assert member.status().plan.rewritten == {SETTINGS: 1}
    assert member.harbour.reports[-1]["about"]["plan"]["rewritten"] == [{"path": SETTINGS, "comments": 1}]


def test_settings_that_cannot_be_read_are_never_rewritten(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=tweaked(2))
    member.sync()
    (member.folder / SETTINGS).write_text("this is [no TOML")
    assert member.sync().plan.moves == ()
    assert member.harbour.reports[-1]["about"]["strayed"][0]["there"] == "cannot be read"
    member.harbour.publish("1.2.0", ledger(SECOND), terms=tweaked(2))
    done = member.sync()
    assert text(member) == "this is [no TOML"
    assert "volume = 9" in text(member, done.notes[0]["beside"])
    assert member.sync().plan.moves == () and member.sync().plan.extras == ()


def test_settings_that_are_too_large_to_be_read_come_whole_and_stay_whole(member: Member) -> None:
    large = f"volume = 5\n# {'x' * 4_400_000}\n"
    member.harbour.publish("1.1.0", ledger(large), terms=games(fps=(60, How.ENFORCED)))
    own = member.folder / GAMES
    own.parent.mkdir(parents=True)
    own.write_text(f"fps = 30\n# {'x' * 4_400_000}\n")
    notes = member.sync().notes
    assert text(member) == large and "too large" in notes[0]["problem"] and own.read_text().startswith("fps = 30")
    assert member.harbour.reports[-1]["about"]["strayed"][0]["there"] == "cannot be read"
    mine = large.replace("5", "6", 1)
    (member.folder / SETTINGS).write_text(mine)
    member.harbour.publish("1.2.0", ledger(large.replace("5", "7", 1)), terms=PLAIN)
    done = member.sync()
    assert text(member) == mine and text(member, done.notes[0]["beside"]).startswith("volume = 7")
    assert member.sync().plan.moves == ()


def test_settings_that_change_while_they_are_merged_are_left_as_they_are(member: Member) -> None:
    member.harbour.publish("1.1.0", ledger(FIRST), terms=PLAIN)
    member.sync()
    (member.folder / SETTINGS).write_text(FIRST.replace("volume = 5", "volume = 1"))
    member.harbour.publish("1.2.0", ledger(SECOND), terms=PLAIN)

    def meanwhile(name: str) -> None:
        if name == f"merge {SETTINGS}":
            (member.folder / SETTINGS).write_text("volume = 7\n")

    member.sync(step=meanwhile)
    assert text(member) == "volume = 7\n"


def test_a_large_merge_is_told_within_bounds(member: Member) -> None:
    keys = {f"key{number}": number for number in range(3000)}
    before = "".join(f"{key} = {value}\n" for key, value in keys.items())
    member.harbour.publish("1.1.0", ledger(before), terms=PLAIN)
    member.sync()
    (member.folder / SETTINGS).write_text(before.replace("key1 = 1\n", f"key1 = '{'x' * 5000}'\n"))
    member.harbour.publish("1.2.0", ledger(before.replace(" = ", " = 1")), terms=PLAIN)
    member.sync()
    [note] = member.harbour.reports[-1]["about"]["history"][0]["notes"]
    assert len(note["changed"]) == 200 and note["kept"][0]["key"] == "key1" and len(note["kept"][0]["mine"]) <= 300


# --- SyncChoices, versions, mending


def test_optional_mods_are_left_out_and_taken_again(member: Member) -> None:
    reaches = {"lanterns": Reach.OWN}
    member.harbour.publish("1.1.0", MODS, optional=["lanterns"], reaches=reaches)
    member.sync()
    assert member.harbour.reports[-1]["about"]["choices"] == ["lanterns"]
    right = member.harbour.reports[-1]["fingerprint"]
    member.harbour.choice = {"left_out": ["lanterns"]}
    member.sync()
    member.holds({"ledger": MODS["ledger"]})
    assert member.harbour.reports[-1]["deviations"] == {} and member.harbour.reports[-1]["fingerprint"] == right
    member.harbour.publish("1.2.0", {**NEWER, "lanterns": MODS["lanterns"]}, optional=["lanterns"], reaches=reaches)
    member.sync()
    member.holds(NEWER)
    member.harbour.choice = {}
    member.sync()
    member.holds({**NEWER, "lanterns": MODS["lanterns"]})


def test_a_change_that_is_completed_later_keeps_the_choice_it_began_with(member: Member) -> None:
    options = {"optional": ["lanterns"], "reaches": {"lanterns": Reach.OWN}}
    member.harbour.publish("1.1.0", MODS, **options)
    member.harbour.choice = {"left_out": ["lanterns"]}
    member.sync()

    def stop(name: str) -> None:
        if name == "record":
            raise KeyboardInterrupt

    member.harbour.publish("1.2.0", {**NEWER, "lanterns": MODS["lanterns"]}, **options)
    with pytest.raises(KeyboardInterrupt):
        member.sync(step=stop)
    member.harbour.choice = {}
    assert member.sync().recovered
    member.holds({**NEWER, "lanterns": MODS["lanterns"]})


def test_only_chosen_differences_are_mended(member: Member) -> None:
    member.sync()
    one, other = (f"mods/{mod}/data/{name}" for mod, name in (("ledger", "a.dat"), ("lanterns", "light.dat")))
    (member.folder / one).write_text("mine")
    (member.folder / other).write_text("mine too")
    done = run(member, "sync", "--folder", str(member.folder), "--only", one)
    assert done.returncode == 0, done.stderr
    assert text(member, other) == "mine too" and text(member, one) == MODS["ledger"]["data/a.dat"]
    assert member.status().deviations == {other: "altered"}


def test_mending_chosen_files_neither_updates_nor_follows_a_new_choice(member: Member) -> None:
    options = {"optional": ["lanterns"], "reaches": {"lanterns": Reach.OWN}}
    with pytest.raises(NothingInstalled):
        member.sync(wish=Wish(SyncChoices(only=frozenset({"mods/x"}))))
    member.harbour.publish("1.0.1", MODS, **options)
    member.sync()
    member.harbour.publish("1.1.0", {**NEWER, "lanterns": MODS["lanterns"]}, **options)
    member.harbour.choice = {"left_out": ["lanterns"]}
    altered = "mods/ledger/data/a.dat"
    (member.folder / altered).write_text("altered")
    assert member.sync(wish=Wish(SyncChoices(only=frozenset({altered})))).release == "1.0.1"
    member.holds(MODS)
    assert member.sync().aside == ()  # everything of 1.0.1 is still known as the pack's
    member.holds(NEWER)


def test_steps_are_listed_and_ticked_on_the_command_line(member: Member) -> None:
    steps = (HandStep("barge", "Name your barge.", Check.EXISTS, "barge.toml"), HandStep("read", "Read the rules."))
    here = ["--folder", str(member.folder)]
    assert run(member, "steps", *here).returncode == 2
    member.harbour.publish("1.1.0", MODS, terms=Terms(steps=steps))
    member.sync()
    (member.folder / "barge.toml").write_text("name = 'Heron'")
    found = run(member, "steps", "--json", *here)
    assert found.returncode == 1
    assert [(one["id"], one["done"], one["seen"]) for one in json.loads(found.stdout)] == [
        ("barge", True, True), ("read", False, False),
    ]  # fmt: skip
    assert run(member, "steps", "--done", "read", *here).returncode == 0
    assert run(member, "steps", "--undone", "read", *here).returncode == 1
    assert "There is no step" in run(member, "steps", "--done", "rea", *here).stderr


def test_a_file_that_a_step_changes_stays_changed_and_the_step_is_seen(member: Member) -> None:
    steps = (
        HandStep("patch", "Run the patcher.", Check.CHANGED, "mods/ledger/data/a.dat"),
        HandStep("read", "Read the harbour rules."),
    )
    member.harbour.publish("1.1.0", MODS, terms=Terms(steps=steps))
    member.sync()
    told = member.harbour.reports[-1]["about"]["steps"]
    assert [(one["id"], one["done"]) for one in told] == [("patch", False), ("read", False)]
    (member.folder / "mods/ledger/data/a.dat").write_text("patched")
    member.harbour.orders = [{"id": 1, "what": "step", "given": {"step": "read", "done": True}}]
    watch(member)
    told = member.harbour.reports[-1]["about"]["steps"]
    assert [(one["done"], one["seen"]) for one in told] == [(True, True), (True, False)]
    assert member.sync().plan.moves == () and text(member, "mods/ledger/data/a.dat") == "patched"
    member.harbour.publish("1.2.0", NEWER, terms=Terms(steps=steps))
    assert member.sync().aside == ("mods/ledger/data/a.dat",)
    assert not member.harbour.reports[-1]["about"]["steps"][0]["done"]


# --- Worlds


SAVE = {"reaches": {"ledger": Reach.SAVE}, "terms": PLAIN}


def worlds(member: Member) -> dict[str, str]:
    root = member.folder / "worlds"
    return {path.relative_to(root).as_posix(): path.read_text() for path in root.rglob("*") if path.is_file()}


def with_world(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, **SAVE)
    member.sync()
    (member.folder / "worlds/canal").mkdir(parents=True)
    (member.folder / "worlds/canal/map.dat").write_text("before")
    (member.folder / "worlds/canal/crew.dat").write_text("eight aboard")


def test_worlds_are_backed_up_before_a_save_mod_changes_and_restoring_can_be_undone(member: Member) -> None:
    with_world(member)
    member.harbour.publish("1.2.0", NEWER, **SAVE)
    plan = member.status().plan
    assert plan is not None and "older one again" in plan.worlds[0].note
    member.sync()
    [made] = Backups(Folder(member.folder)).all()
    assert made.why == "Before release 1.2.0" and not made.by_hand
    (member.folder / "worlds/canal/map.dat").write_text("spoilt")
    (member.folder / "worlds/canal/new.dat").write_text("since then")
    (member.folder / "worlds/canal/crew.dat").unlink()
    before = backing_up.restore(member.folder, made.id).id
    assert worlds(member) == {"canal/map.dat": "before", "canal/crew.dat": "eight aboard"}
    backing_up.restore(member.folder, before)
    assert worlds(member) == {"canal/map.dat": "spoilt", "canal/new.dat": "since then"}


def test_restoring_that_is_stopped_anywhere_is_completed(member: Member) -> None:
    with_world(member)
    made = backing_up.back_up(member.folder).id
    number, seen = 0, [""]
    while seen[-1] != "done":
        number += 1
        (member.folder / "worlds/canal/map.dat").write_text(f"spoilt {number}")
        (member.folder / "worlds/canal/new.dat").write_text("since then")
        seen = []

        def step(name: str, number: int = number, seen: list[str] = seen) -> None:
            seen.append(name)
            if len(seen) == number:
                raise KeyboardInterrupt

        try:
            backing_up.restore(member.folder, made, step=step)
            seen.append("done")
        except KeyboardInterrupt:
            assert member.sync().recovered
        assert worlds(member) == {"canal/map.dat": "before", "canal/crew.dat": "eight aboard"}
    assert number > 3


def test_a_damaged_backup_changes_nothing_and_a_world_being_played_is_not_copied(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    with_world(member)
    made = backing_up.back_up(member.folder).id
    for kept in (member.folder / ".convoy/backups/content").iterdir():
        kept.write_text("rot")
    with pytest.raises(BackupRefused, match="damaged"):
        backing_up.restore(member.folder, made)
    assert worlds(member)["canal/map.dat"] == "before"
    world = member.folder / "worlds/canal/map.dat"
    for playing in (lambda: world.write_text("played on"), world.unlink):

        def copied(here: IO[bytes], there: IO[bytes], size: int, playing: Callable[[], Any] = playing) -> None:
            there.write(here.read())
            playing()

        monkeypatch.setattr("convoy_agent.folder.backups.shutil.copyfileobj", copied)
        world.write_text("another evening")
        with pytest.raises(BackupRefused, match="Close it"):
            backing_up.back_up(member.folder)


def test_a_copy_that_a_power_cut_left_short_is_made_anew(member: Member) -> None:
    with_world(member)
    backing_up.back_up(member.folder)
    for kept in (member.folder / ".convoy/backups/content").iterdir():
        kept.write_bytes(b"")
    backing_up.restore(member.folder, backing_up.back_up(member.folder).id)
    assert worlds(member)["canal/map.dat"] == "before"


def test_backups_that_nobody_asked_for_retire_and_content_is_kept_once(member: Member) -> None:
    with_world(member)
    on_request = backing_up.back_up(member.folder).id
    for number in range(KEPT + 3):
        member.harbour.publish(f"2.{number}", NEWER if number % 2 else MODS, **SAVE)
        member.sync()
        (member.folder / "worlds/canal/map.dat").write_text(f"evening {number}")
    found = Backups(Folder(member.folder)).all()
    assert sum(not one.by_hand for one in found) == KEPT and on_request in [one.id for one in found]
    content = list((member.folder / ".convoy/backups/content").iterdir())
    assert len(content) == len({sha256 for one in found for _, _, sha256 in one.files})
    # As its member or their crew wants it.
    member.harbour.choice = {"keep": 2}
    member.harbour.publish("3.0", NEWER, **SAVE)
    member.sync()
    assert sum(not one.by_hand for one in Backups(Folder(member.folder)).all()) == 2


def test_worlds_that_lie_in_a_folder_that_is_taken_over_are_backed_up_first(member: Member) -> None:
    folder = member.folder.with_name("old-game")
    (folder / "worlds").mkdir(parents=True)
    (folder / "worlds/w").write_text("played for years")
    member.harbour.publish("1.1.0", MODS, **SAVE)
    join(CODE, member.harbour.address, folder, as_it_is=True)
    Member(member.harbour, folder, member.store).sync()
    [made] = Backups(Folder(folder)).all()
    assert [(path, size) for path, size, _ in made.files] == [("worlds/w", 16)]


# --- Back, and away


def test_undo_takes_back_the_release_and_what_it_moved_aside(member: Member) -> None:
    member.sync()
    (member.folder / "mods/ledger/data/new.dat").write_text("mine")
    (member.folder / "mods/ledger/data/a.dat").write_text("altered")
    was = member.files()
    member.harbour.publish("1.1.0", NEWER)
    member.sync()
    member.holds(NEWER)
    assert taking_back.undo(member.folder, member.store).release == "1.0.0"
    assert member.files() == was
    entries = Folder(member.folder).entries()
    assert [(one["from"], one["release"], one["undoes"]) for one in entries] == [
        ("", "1.0.0", False), ("1.0.0", "1.1.0", False), ("1.1.0", "1.0.0", True),
    ]  # fmt: skip
    with pytest.raises(BackupRefused, match="nothing to take back"):
        taking_back.undo(member.folder, member.store)


def test_undo_takes_back_what_stands_even_after_an_undo(member: Member) -> None:
    """Each sync moves another file of the member's aside; each undo returns the one of the sync that it undoes."""
    member.sync()
    where = member.folder / "mods/ledger/data"
    for number, release in enumerate(("1.1.0", "1.2.0")):
        (where / "new.dat").write_text(f"mine {number}")
        member.harbour.publish(release, NEWER)
        member.sync()
        assert text(member, "mods/ledger/data/new.dat") == "n"
        assert member.harbour.reports[-1]["about"]["undo"] == "1.0.0"
        assert taking_back.undo(member.folder, member.store).release == "1.0.0"
        assert text(member, "mods/ledger/data/new.dat") == f"mine {number}"
        told = member.harbour.reports[-1]
        assert (told["release"], told["about"]["undo"]) == ("1.0.0", "")
        assert told["about"]["plan"]["release"] == release  # what the next sync would do, not the one just done


def test_a_mend_is_taken_back_too(member: Member) -> None:
    member.sync()
    (member.folder / "mods/ledger/data/a.dat").write_text("as I like it")
    member.sync()
    member.holds(MODS)
    taking_back.undo(member.folder, member.store)
    assert text(member, "mods/ledger/data/a.dat") == "as I like it"
    assert member.harbour.reports[-1]["deviations"] == {"mods/ledger/data/a.dat": "altered"}
    assert member.sync().aside == ("mods/ledger/data/a.dat",)
    member.holds(MODS)


def test_leaving_takes_the_packs_files_and_keeps_every_other(member: Member) -> None:
    harbour, folder = member.harbour, member.folder.with_name("old-game")
    (folder / "mods/ledger").mkdir(parents=True)
    (folder / "game.bin").write_text("the game")
    (folder / SETTINGS).write_text("before the pack")
    (folder / "mods/ledger/waybill.toml").write_text(MODS["ledger"]["waybill.toml"])
    with pytest.raises(FolderRefused, match="--as-it-is"):
        join(CODE, harbour.address, folder)
    join(CODE, harbour.address, folder, as_it_is=True)
    grown = Member(harbour, folder, member.store)
    done = grown.sync()
    assert done.aside == (SETTINGS,) and done.plan.left_alone == 1
    (folder / "mods/lanterns/data/light.dat").write_text("altered")
    (folder / "worlds").mkdir()
    (folder / "worlds/w").write_text("world")
    left = leave(folder, work.utc_now())
    assert (left.removed, left.stayed, left.brought_back, left.had_before) == (
        4,
        ("mods/lanterns/data/light.dat",),
        1,
        1,
    )
    assert grown.files() == {
        path: sha256_hex(content.encode())
        for path, content in {
            "game.bin": "the game", SETTINGS: "before the pack", "mods/lanterns/data/light.dat": "altered",
            "mods/ledger/waybill.toml": MODS["ledger"]["waybill.toml"],
            "worlds/w": "world",
        }.items()
    }  # fmt: skip
    assert not (folder / ".convoy").exists() and harbour.left == 1


def test_a_game_is_copied_and_stays_untouched(member: Member, tmp_path: Path) -> None:
    game = tmp_path / "game"
    (game / "bin").mkdir(parents=True)
    (game / "bin/start").write_text("start")
    (game / "secret").symlink_to("/etc/passwd")
    for inside in (game, game / "copy", tmp_path):
        with pytest.raises(FolderRefused):
            join(CODE, member.harbour.address, inside, game=game)
    copy = Member(member.harbour, tmp_path / "copy", member.store)
    join(CODE, member.harbour.address, copy.folder, game=game)
    copy.sync()
    copy.holds(MODS, "bin/start")
    (copy.folder / "bin/start").write_text("modded")
    assert (game / "bin/start").read_text() == "start" and not (copy.folder / "secret").exists()


def test_a_folder_that_the_site_no_longer_knows_is_paired_again_and_keeps_all(member: Member) -> None:
    member.sync()
    with pytest.raises(FolderRefused, match="--again"):
        member.join()
    here = ["--site", member.harbour.address, "--into", str(member.folder), "--again"]
    assert run(member, "join", CODE, *here).returncode == 0
    assert member.sync().plan.moves == () and len(Folder(member.folder).entries()) == 1
    member.harbour.side = "server"
    with pytest.raises(FolderRefused, match="as a server"):
        join(CODE, member.harbour.address, member.folder, again=True)
    member.harbour.side, member.harbour.shown_key = "player", new_key()
    with pytest.raises(BadRelease, match="other keys"):
        join(CODE, member.harbour.address, member.folder, again=True)
    member.sync()
    fresh = member.folder.with_name("fresh")
    assert run(member, "join", CODE, "--site", member.harbour.address, "--into", str(fresh), "--again").returncode == 2


# --- Errands, the store, the line


def test_while_one_waits_the_right_file_is_taken_whatever_its_name(member: Member, tmp_path: Path) -> None:
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.CLICK})
    downloads = tmp_path / "downloads"
    downloads.mkdir()
    here = ["--folder", str(member.folder), "--downloads", str(downloads)]
    first = run(member, "sync", *here)
    assert first.returncode == 2 and "pages/lanterns" in first.stderr and "Everything else has been" in first.stderr
    assert member.harbour.reports == []
    right = member.harbour.archive("lanterns").read_bytes()

    def bring() -> None:
        (downloads / "lanterns-0.9.zip").write_bytes(right[:-1])
        time.sleep(1.5)
        (downloads / "no name at all").write_bytes(right)

    thread = threading.Thread(target=bring)
    thread.start()
    done = run(member, "sync", "--wait", *here)
    thread.join()
    assert done.returncode == 0, done.stderr
    assert "lanterns-0.9.zip is another build" in done.stdout and "has arrived, 0 to go" in done.stdout
    member.holds(MODS)
    assert sorted(path.name for path in downloads.iterdir()) == ["lanterns-0.9.zip", "no name at all"]


def test_a_brought_file_is_told_right_from_wrong(member: Member, tmp_path: Path) -> None:
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.BY_HAND})
    with pytest.raises(ErrandsLeft):
        member.sync()
    older = tmp_path / "lanterns (1).zip"
    older.write_text("an older build")
    member.harbour.known = {sha256_hex(b"an older build"): "Night Lanterns 0.9"}
    wrong = run(member, "bring", str(older), "--folder", str(member.folder))
    assert wrong.returncode == 1 and "it is Night Lanterns 0.9" in " ".join(wrong.stdout.split()), wrong.stdout
    right = run(member, "bring", str(member.harbour.archive("lanterns")), "--folder", str(member.folder))
    assert right.returncode == 0 and "Nothing is left to bring" in right.stdout
    member.sync()
    member.holds(MODS)


def test_a_watch_that_waits_for_an_errand_goes_on_when_it_comes(
    member: Member, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("convoy_agent.watch.ASK_EVERY", 0.05)
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.CLICK})
    member.harbour.orders = [{"id": 1, "what": "sync", "given": {}}]
    watcher = Watcher(member.folder, member.store, [tmp_path / "downloads"], lambda text: None, work.Silent())
    watcher.run(seconds=0.5)
    assert member.harbour.done[0]["refused"] and member.files() == {}
    (tmp_path / "downloads").mkdir()
    (tmp_path / "downloads/x.bin").write_bytes(member.harbour.archive("lanterns").read_bytes())
    watcher.run(seconds=1)
    member.holds(MODS)


@pytest.mark.parametrize("trouble", [OSError(errno.EIO, "Input/output error", "x"), DiskFull("The disk is full.")])
def test_an_order_that_the_disk_refuses_is_answered_and_the_watch_goes_on(
    member: Member, monkeypatch: pytest.MonkeyPatch, trouble: Exception
) -> None:
    def refuse(*_: object, **__: object) -> None:
        raise trouble

    member.sync()
    monkeypatch.setattr("convoy_agent.watch.ASK_EVERY", 0)
    monkeypatch.setattr("convoy_agent.folder.backups.walk", refuse)
    member.harbour.orders = [{"id": 1, "what": "back up", "given": {}}, {"id": 2, "what": "look", "given": {}}]
    watch(member)
    assert [one["refused"] for one in member.harbour.done] == [True, False]
    assert "The disk is full" in (said := member.harbour.done[0]["said"]) or "x cannot be used" in said


def test_extras_are_off_for_the_time_of_play_and_come_back(member: Member) -> None:
    member.sync()
    (member.folder / "mods/mine.zip").write_text("mine")
    member.sync(wish=Wish(SyncChoices(extras_aside=True)))
    member.holds(MODS)
    entry = Folder(member.folder).entries()[-1]
    assert taking_back.put_back(member.folder, entry["id"]) == (("mods/mine.zip",), ())
    assert text(member, "mods/mine.zip") == "mine" and taking_back.put_back(member.folder, entry["id"]) == ((), ())


def test_the_store_keeps_what_is_referred_to_and_drops_what_is_damaged(member: Member) -> None:
    member.sync()
    for number, mods in (("1.1.0", NEWER), ("1.2.0", {"ledger": {"a.dat": "c"}})):
        member.harbour.publish(number, mods)
        member.sync()
    use = member.store.use(wanted(member.store))
    assert (use.archives, len(use.idle)) == (4, 2)  # the release that taking back leads to is kept, too
    assert run(member, "store", "prune").stdout.startswith("2 archives removed")
    assert taking_back.undo(member.folder, member.store).release == "1.1.0" and member.sync().release == "1.2.0"
    place, spare = member.store.archives()
    spare.unlink()
    place.write_bytes(b"rot")
    checked = run(member, "store", "check")
    assert checked.returncode == 1 and place.name in checked.stdout
    assert run(member, "store", "check", "--mend").returncode == 0
    assert list(member.store.archives()) == []
    assert json.loads(run(member, "store", "show", "--json").stdout)["installations"] == [str(member.folder)]


def test_a_metered_line_is_asked_about_and_a_slow_one_is_kept_below_its_rate(member: Member) -> None:
    big = {"ledger": {"waybill.toml": "x", "data.bin": "".join(f"{n:07}" for n in range(300_000))}}
    member.harbour.publish("1.1.0", big)
    member.harbour.choice = {"most": 1, "line": 4096}
    with pytest.raises(LineLimit, match="3 MB are to be fetched, and you allow 1 MB"):
        member.sync()
    assert member.files() == {}
    began = time.monotonic()
    member.sync(wish=Wish(anyway=True))
    # 2.1 MB at 4 MB a second: half a second at the least, whatever the machine.
    assert time.monotonic() - began > 0.45
    member.holds(big)


def test_fetching_pauses_and_stops_from_the_page_and_goes_on_later(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("convoy_agent.site.progress.TELL_EVERY", 0.02)
    big = {f"mod{n}": {"waybill.toml": f"{n}", "data.bin": f"{n:09}" * 40_000} for n in range(4)}
    member.harbour.publish("1.1.0", big)

    def phases() -> list[str]:
        return [one["phase"] for one in member.harbour.progress]

    # Whatever is told meanwhile: pause until it has paused for three tellings, then stop.
    member.harbour.hold = lambda: (
        "" if "fetching" not in phases() else "pause" if phases().count("paused") < 3 else "stop"
    )
    with pytest.raises(Stopped):
        member.sync()
    assert phases().count("paused") >= 3 and phases()[-1] == "stopped" and member.files() == {}
    member.harbour.hold = str
    member.sync()
    member.holds(big)


def test_two_agents_of_one_machine_fetch_each_archive_once(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """Both would write into one unfinished file: what one hashed and what lies on the disk would be two things."""
    big = {f"mod{n}": {"data.bin": f"{n:09}" * 60_000} for n in range(5)}
    member.harbour.publish("1.1.0", big)
    other = Member(member.harbour, member.folder.with_name("second"), Store(member.store.root))
    other.join()
    attempts: list[str] = []
    attempt = Fetcher._attempt

    def slowly(self: Fetcher, build: LockedBuild, address: str) -> None:
        attempts.append(build.mod)
        time.sleep(0.05)
        attempt(self, build, address)

    monkeypatch.setattr(Fetcher, "_attempt", slowly)
    threads = [threading.Thread(target=one.sync) for one in (member, other)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    member.holds(big)
    other.holds(big)
    assert sorted(attempts) == sorted(big)
    assert member.store.installations() in ([member.folder, other.folder], [other.folder, member.folder])
    assert [path.name for path in member.store.partial.iterdir()] == []


def test_what_another_installation_holds_is_shared_and_verified(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where the disk can share blocks; copying stands for it here, as not every disk that tests run on can."""
    shared: list[str] = []

    def share(source: Path, target: Path) -> bool:
        shared.append(source.name)
        target.write_bytes(source.read_bytes())
        return True

    monkeypatch.setattr("convoy_agent.folder.blocks.clone_blocks", share)
    member.sync()
    assert shared == []  # there is no other installation yet: nothing is even tried
    (member.folder / "mods/lanterns/data/light.dat").write_text("altered")
    (member.folder / "mods/lanterns/waybill.toml").unlink()
    other = Member(member.harbour, member.folder.with_name("second"), member.store)
    other.join()
    other.sync()
    other.holds(MODS)
    assert sorted(shared) == [
        "a.dat",
        "light.dat",
        "probe",
        "settings.toml",
        "settings.toml",
        "waybill.toml",
        "waybill.toml",
    ]
    assert text(other, "mods/lanterns/data/light.dat") == MODS["lanterns"]["data/light.dat"]


def test_pruning_takes_nothing_whose_need_is_not_known_and_what_was_begun_long_ago(member: Member) -> None:
    member.sync()
    old = member.store.partial / ("0" * 64)
    old.write_bytes(b"begun")
    [kept] = (member.folder / ".convoy/releases").iterdir()
    kept.write_text("{torn")
    assert run(member, "store", "prune").stdout.startswith("0 archives removed") and old.exists()
    os.utime(old, (0, 0))
    assert run(member, "store", "prune").returncode == 0
    assert not old.exists() and len(list(member.store.archives())) == 2


def test_what_was_done_is_done_though_the_site_goes_away_before_it_hears(member: Member) -> None:
    def step(name: str) -> None:
        if name == "end of journal":
            member.harbour.close()

    done = member.sync(step=step)
    assert done.release == "1.0.0" and done.unheard
    member.holds(MODS)


# --- Watching


def watch(member: Member, ask: Callable[[str], bool] = lambda question: False) -> list[str]:
    said: list[str] = []
    Watcher(member.folder, member.store, [], said.append, work.Silent(), ask).run(once=True)
    return said


def test_what_is_asked_on_the_page_is_done_and_answered(member: Member) -> None:
    with_world(member)
    member.harbour.publish("1.2.0", NEWER, **SAVE)
    orders = [
        ("sync", {}),
        ("back up", {}),
        ("look", {"thorough": True}),
        ("undo", {}),
        ("restore", {"backup": "../../outside"}),
        ("sync", {"only": "not a list"}),
        ("format the disk", {}),
    ]
    member.harbour.orders = [{"id": n, "what": what, "given": given} for n, (what, given) in enumerate(orders)]
    Allowed(member.folder / ".convoy").keep(Allowance)
    watch(member)
    assert [(one["id"], one["refused"]) for one in member.harbour.done] == [
        (0, False), (1, False), (2, False), (3, False), (4, True), (5, True), (6, True),
    ]  # fmt: skip
    assert "There is no backup ../../outside" in member.harbour.done[4]["said"]
    assert member.harbour.reports[-1]["release"] == "1.1.0"
    member.harbour.orders = [{"id": 9, "what": "leave", "given": {}}]
    watch(member)
    assert {path.split("/")[0] for path in member.files()} == {"worlds", "Kept by True Convoy"}


def test_a_folder_that_rests_is_known_by_one_walk_and_one_that_moved_is_not(
    member: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.harbour.publish("1.0.1", MODS, terms=Terms(steps=(HandStep("read", "Read the rules."),)))
    member.sync()
    reads: list[str] = []
    trusted = Releases.trusted
    monkeypatch.setattr(Releases, "trusted", lambda *given: reads.append("read") or trusted(*given))
    again = member.sync()
    assert (again.plan.left_alone, again.plan.moves, reads) == (6, (), [])
    assert member.harbour.reports[-1]["fingerprint"] == member.harbour.reports[-2]["fingerprint"]
    (member.folder / "mods/mine.zip").write_text("mine")
    assert member.sync().plan.extras == ("mods/mine.zip",) and reads
    (member.folder / "mods/mine.zip").unlink()
    member.sync()
    by_hand.tick(member.folder, "read", True)  # not seen in the folder's files, and told all the same
    reads.clear()
    assert member.sync().plan.moves == () and reads
    (member.folder / ".convoy/calm.json").write_text("{nonsense")
    assert member.sync().plan.left_alone == 6


def test_a_release_that_was_looked_at_is_not_sent_for_again_unless_somebody_altered_it(member: Member) -> None:
    member.sync()
    member.harbour.publish("1.1.0", NEWER)
    for _ in range(3):
        assert member.status().plan is not None
    assert member.harbour.sent == ["1.0.0", "1.1.0"]
    for kept in (member.folder / ".convoy/releases").iterdir():
        kept.write_text(kept.read_text().replace("Night Freight", "Night Fright!"))
    member.sync()
    member.holds(NEWER)
    assert member.harbour.sent == ["1.0.0", "1.1.0", "1.1.0", "1.0.0"]


@pytest.mark.parametrize("name", ["journal.json", "history.jsonl", "steps.json", "left-out.json", "record.json"])
def test_an_agents_file_that_somebody_spoilt_loses_nothing(member: Member, name: str) -> None:
    member.sync()
    (member.folder / ".convoy" / name).write_text('{"release": 7')
    member.harbour.publish("1.1.0", NEWER)
    try:
        member.sync()
    except ConvoyError as error:
        assert name == "journal.json" and "cannot be read" in error.what
        (member.folder / ".convoy" / name).unlink()
        member.sync()
    assert set(NEWER["ledger"]) <= {path.removeprefix("mods/ledger/") for path in member.files()}
