"""Safe hands: whatever is the member's is there afterwards, in every command; whatever is spoilt is told and mended."""

import json
import os
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from convoy_agent import backing_up, taking_back
from convoy_agent.change import Wish
from convoy_agent.errors import BackupRefused, BadRelease, ErrandsLeft, FolderRefused, TooNew
from convoy_agent.folder.backups import KEPT as BACKUPS_KEPT
from convoy_agent.folder.backups import Backups
from convoy_agent.folder.folder import Folder
from convoy_agent.join import join
from convoy_agent.leave import KEPT, leave, look_ahead
from convoy_agent.mend import mend
from convoy_agent.storage import sealed
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.terms import How, Terms, Tweak
from convoy_core.sync.plan import SyncChoices
from convoy_core.trust.signing import new_key
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Pickup, Reach

from .conftest import MODS, NEWER, Member
from .harbour import CODE
from .test_sync import run

NOW = datetime(2026, 11, 25, 20, tzinfo=UTC)
TERMS = Terms(settings=("mods/*/settings.*",), worlds=("worlds",))
SAVE = {"reaches": {"ledger": Reach.SAVE}, "terms": TERMS}
THIRD = {"ledger": {**MODS["ledger"], "data/a.dat": "c" * 6000}}


def put(member: Member, path: str, text: str) -> Path:
    place = member.folder / path
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(text)
    return place


def everywhere(member: Member) -> dict[str, list[str]]:
    """Content of every file below the member's folder, the agent's own included, with where it lies."""
    found: dict[str, list[str]] = {}
    for path in sorted(member.folder.rglob("*")):
        if path.is_file():
            text = path.read_bytes().decode(errors="replace")
            found.setdefault(text, []).append(path.relative_to(member.folder).as_posix())
    return found


def stop_at(name: str) -> Callable[[str], None]:
    def step(now: str) -> None:
        if now == name:
            raise KeyboardInterrupt

    return step


def stopped(member: Member, at: str, **given: object) -> None:
    with pytest.raises(KeyboardInterrupt):
        member.sync(step=stop_at(at), **given)


# --- Leaving


def test_leaving_twice_keeps_what_was_kept_at_both(member: Member) -> None:
    for number in (1, 2):
        member.harbour.publish(f"1.{number}", MODS, **SAVE)
        if number == 2:
            join(CODE, member.harbour.address, member.folder, as_it_is=True)
        put(member, "worlds/canal/map.dat", f"world {number}")
        path = ["mods/ledger/data/a.dat", "mods/ledger/waybill.toml"][number - 1]
        put(member, path, f"in the way {number}")
        member.sync()
        backing_up.back_up(member.folder)
        put(member, ".convoy/inbox/brought.zip", f"brought {number}")
        put(member, path, f"again {number}")
        member.sync()
        left = leave(member.folder, NOW)
        assert left.kept.startswith(f"{KEPT}/2026-11-25")
    found = everywhere(member)
    for text in ("world 1", "world 2", "in the way 1", "in the way 2", "again 1", "again 2", "brought 1", "brought 2"):
        assert text in found, text
    assert not (member.folder / ".convoy").exists()


def test_what_lay_there_before_joining_stays_or_is_put_back(member: Member) -> None:
    folder = member.folder.with_name("filled-by-hand")
    filled = Member(member.harbour, folder, member.store)
    for mod, files in MODS.items():
        for path, text in files.items():
            put(filled, f"mods/{mod}/{path}", text)
    join(CODE, member.harbour.address, folder, as_it_is=True)
    filled.sync()
    before = filled.files()
    member.harbour.publish("1.1.0", {**NEWER, "bells": {"ring.dat": "ring"}})
    filled.sync()
    filled.holds({**NEWER, "bells": {"ring.dat": "ring"}})
    ahead = look_ahead(folder)
    assert (ahead.removed, ahead.had_before) == (
        2,
        6,
    )  # bells and the ledger's new file go; all others are as they were
    altered = put(filled, "mods/ledger/data/a.dat", "altered since")
    left = leave(folder, NOW)
    assert (left.removed, left.had_before, left.stayed) == (2, 5, ("mods/ledger/data/a.dat",))
    now = filled.files()
    assert {path: sha for path, sha in before.items() if now.get(path) != sha}.keys() == {"mods/ledger/data/a.dat"}
    # What it was before somebody altered it lies in plain sight, by its name.
    kept = folder / left.kept / "before/mods/ledger/data/a.dat"
    assert (kept.read_text(), altered.read_text()) == (MODS["ledger"]["data/a.dat"], "altered since")


def test_leaving_asks_and_a_script_has_to_say_yes(member: Member) -> None:
    member.sync()
    asked_for = run(member, "leave", "--folder", str(member.folder))
    assert asked_for.returncode == 2 and "--yes" in asked_for.stderr
    member.holds(MODS)
    assert run(member, "leave", "--yes", "--folder", str(member.folder)).returncode == 0
    assert member.files() == {}


def test_leaving_that_is_stopped_and_repeated_loses_nothing(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    member.harbour.publish("1.1.0", MODS, **SAVE)
    put_first = {"worlds/w/a": "world", "mods/ledger/data/a.dat": "in the way"}
    for number in range(1, 12):
        folder = member.folder.with_name(f"stopped{number}")
        here = Member(member.harbour, folder, member.store)
        for path, text in put_first.items():
            put(here, path, text)
        join(CODE, member.harbour.address, folder, as_it_is=True)
        here.sync()
        calls = iter(range(1, 1000))

        def moving(source: Path, target: Path, number: int = number, calls: Iterator[int] = calls) -> None:
            if next(calls) == number:
                raise KeyboardInterrupt
            target.parent.mkdir(parents=True, exist_ok=True)
            source.replace(target)

        monkeypatch.setattr("convoy_agent.leave.move", moving)
        try:
            leave(folder, NOW)
        except KeyboardInterrupt:
            leave(folder, NOW)
        assert {"world", "in the way"} <= everywhere(here).keys()
        assert not (folder / ".convoy").exists()


def test_after_leaving_what_was_backed_up_is_still_restored(member: Member, tmp_path: Path) -> None:
    member.harbour.publish("1.1.0", MODS, **SAVE)
    member.sync()
    put(member, "worlds/canal/map.dat", "eight evenings")
    made = backing_up.back_up(member.folder)
    leave(member.folder, NOW)
    put(member, "worlds/canal/map.dat", "spoilt")
    here = ["--folder", str(member.folder)]
    assert made.id in run(member, "backups", *here).stdout
    assert run(member, "restore", made.id, *here).returncode == 0
    assert (member.folder / "worlds/canal/map.dat").read_text() == "eight evenings"
    assert "spoilt" in everywhere(member)
    out = tmp_path / "out"
    assert run(member, "restore", made.id, "--into", str(out), *here).returncode == 0
    assert (out / "worlds/canal/map.dat").read_text() == "eight evenings"


# --- Backups


def with_world(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, **SAVE)
    member.sync()
    put(member, "worlds/canal/map.dat", "evening 0")


def test_a_clock_that_goes_back_retires_nothing_that_was_just_made(member: Member) -> None:
    member.harbour.stated_at = NOW - timedelta(days=6000)
    with_world(member)
    for number in range(BACKUPS_KEPT):
        member.harbour.publish(f"2.{number}", THIRD if number % 2 else MODS, **SAVE)
        member.sync(now=lambda number=number: NOW + timedelta(days=number))
        put(member, "worlds/canal/map.dat", f"evening {number + 1}")
    member.harbour.publish("3.0", NEWER, **SAVE)
    done = member.sync(now=lambda: NOW - timedelta(days=4000))
    assert done.backup and done.backup in Backups(Folder(member.folder)).all()
    oldest = Backups(Folder(member.folder)).all()[-1]
    put(member, "worlds/canal/map.dat", "tonight")
    before = backing_up.restore(member.folder, oldest.id, now=lambda: NOW - timedelta(days=5000))
    assert before in Backups(Folder(member.folder)).all() and "tonight" in everywhere(member)
    # Whatever comes after: what a restoring replaced stays until somebody drops it.
    for number in range(BACKUPS_KEPT + 2):
        member.harbour.publish(f"4.{number}", THIRD if number % 2 else MODS, **SAVE)
        member.sync(now=lambda: NOW - timedelta(days=6000))
        put(member, "worlds/canal/map.dat", f"later {number}")
    assert before in Backups(Folder(member.folder)).all()


def test_two_syncs_at_one_moment_are_two(member: Member) -> None:
    member.harbour.stated_at = NOW - timedelta(hours=1)
    member.sync(now=lambda: NOW)
    for number in range(3):
        put(member, "mods/ledger/data/a.dat", f"mine {number}")
        member.sync(now=lambda: NOW)
    assert len({one["id"] for one in Folder(member.folder).entries()}) == 4
    assert {"mine 0", "mine 1", "mine 2"} <= everywhere(member).keys()


def test_worlds_behind_a_link_are_backed_up_and_restored_without_writing_through_it(
    member: Member, tmp_path: Path
) -> None:
    with_world(member)
    elsewhere = tmp_path / "big-disk"
    (member.folder / "worlds").rename(elsewhere)
    (member.folder / "worlds").symlink_to(elsewhere)
    made = backing_up.back_up(member.folder)
    assert made.worlds == ("canal",) and "1 world (“canal”) in 1 file" in made.holds()
    (elsewhere / "canal/map.dat").write_text("spoilt")
    with pytest.raises(BackupRefused, match="is a link"):
        backing_up.restore(member.folder, made.id)
    assert (elsewhere / "canal/map.dat").read_text() == "spoilt"
    assert backing_up.extract(member.folder, made.id, tmp_path / "out")[0] >= 1
    assert (tmp_path / "out/worlds/canal/map.dat").read_text() == "evening 0"
    (member.folder / "worlds").unlink()
    backing_up.restore(member.folder, made.id)
    assert (member.folder / "worlds/canal/map.dat").read_text() == "evening 0"


@pytest.mark.parametrize("leads", ["nowhere", "the installation", "above it"])
def test_a_world_that_cannot_be_read_stops_the_plan_that_needs_its_backup(member: Member, leads: str) -> None:
    with_world(member)
    to = {"nowhere": "/nowhere/at/all", "the installation": ".", "above it": str(member.folder.parent)}[leads]
    (member.folder / "worlds/linked").symlink_to(member.folder / to)
    member.harbour.publish("1.2.0", THIRD, **SAVE)
    with pytest.raises(BackupRefused, match="worlds/linked"):
        member.sync()
    assert member.files()["mods/ledger/data/a.dat"] == sha256_hex(MODS["ledger"]["data/a.dat"].encode())


def test_a_damaged_copy_is_not_relied_on_and_told_before_it_is_needed(member: Member) -> None:
    with_world(member)
    first = backing_up.back_up(member.folder)
    kept = member.folder / ".convoy/backups/content" / sha256_hex(b"evening 0")
    kept.write_bytes(b"EVENING 0")  # the same size
    second = backing_up.back_up(member.folder)
    put(member, "worlds/canal/map.dat", "spoilt")
    backing_up.restore(member.folder, second.id)
    assert (member.folder / "worlds/canal/map.dat").read_text() == "evening 0"
    kept.write_bytes(b"EVENING 0")
    put(member, "worlds/canal/map.dat", "another evening")
    assert set(backing_up.rehearse(member.folder).bad) >= {first.id, second.id}
    assert "damaged" in run(member, "backups", "--folder", str(member.folder)).stdout
    member.harbour.publish("1.1.1", MODS, **SAVE)
    assert any("could not be restored whole" in one for one in member.sync().remarks)
    assert any(one["damaged"] for one in member.harbour.reports[-1]["about"]["backups"])
    # Where the very file still lies in the folder, a rehearsal puts its copy right by itself.
    put(member, "worlds/canal/map.dat", "evening 0")
    assert not backing_up.rehearse(member.folder).bad


def test_a_rehearsal_is_due_once_a_day_and_when_the_clock_went_back(member: Member) -> None:
    with_world(member)
    backing_up.back_up(member.folder)
    backups = Backups(Folder(member.folder))
    backups.rehearse(NOW)
    moments = {timedelta(hours=23): False, timedelta(hours=25): True, timedelta(hours=-1): True}
    assert {passed: backups.is_due(NOW + passed) for passed in moments} == moments


def test_while_a_list_is_damaged_nothing_that_it_may_name_is_swept(member: Member) -> None:
    with_world(member)
    first = backing_up.back_up(member.folder)
    put(member, "worlds/canal/map.dat", "evening 1")
    second = backing_up.back_up(member.folder)
    place = member.folder / ".convoy/backups" / first.id
    (place / "list.json").write_text("{cut")
    assert Backups(Folder(member.folder)).find(first.id) == first  # put back from its twin
    for name in ("list.json", "list.json.twin"):
        (place / name).write_text("{cut")
    backing_up.drop_backup(member.folder, second.id)
    assert "evening 0" in everywhere(member)
    assert "list is damaged" in mend(member.folder, member.store).left[0]


def test_what_a_member_played_between_a_stopped_restoring_and_its_end_goes_aside(member: Member) -> None:
    with_world(member)
    put(member, "worlds/canal/new.dat", "x")
    made = backing_up.back_up(member.folder)
    put(member, "worlds/canal/map.dat", "evening 1")
    put(member, "worlds/canal/extra.dat", "since then")
    with pytest.raises(KeyboardInterrupt):
        backing_up.restore(member.folder, made.id, step=stop_at("restore worlds/canal/map.dat"))
    put(member, "worlds/canal/map.dat", "played on")
    put(member, "worlds/canal/extra.dat", "played on, too")
    (member.folder / "worlds/canal/new.dat").unlink()
    put(member, "worlds/canal/new.dat/odd", "a folder in the way")
    assert member.sync().recovered
    assert (member.folder / "worlds/canal/map.dat").read_text() == "evening 0"
    for text in ("evening 1", "since then", "played on", "played on, too", "a folder in the way"):
        assert text in everywhere(member), text


# --- The store


def test_what_a_person_brought_and_what_a_moved_folder_needs_is_never_pruned_unasked(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.BY_HAND})
    lanterns = member.harbour.archive("lanterns")
    (member.folder / ".convoy/inbox/x.zip").write_bytes(lanterns.read_bytes())
    member.sync()
    moved = member.folder.with_name("moved")
    member.folder.rename(moved)
    assert run(member, "store", "prune").stdout.startswith("0 archives")  # nobody knows what the folder needs
    gone = run(member, "store", "prune", "--gone", str(member.folder))
    assert "brought by hand, stays: x.zip" in gone.stdout and gone.stdout.startswith("1 archive removed")
    assert [one.name for one in member.store.archives()] == [sha256_hex(lanterns.read_bytes())]
    member.folder = moved
    member.sync()
    assert [one.folder for one in member.store.served()] == [moved]
    member.harbour.publish("1.2.0", NEWER)
    member.sync()
    member.harbour.publish("1.3.0", THIRD)
    member.sync()
    assert "removed" in run(member, "store", "prune", "--brought").stdout
    assert sha256_hex(lanterns.read_bytes()) not in [one.name for one in member.store.archives()]


@pytest.mark.parametrize("pickup", [Pickup.DIRECT, Pickup.BY_HAND])
@pytest.mark.parametrize("spoil", ["cut", "flipped", "gone", "nonsense"])
def test_a_damaged_archive_is_thrown_away_and_got_anew(member: Member, spoil: str, pickup: Pickup) -> None:
    big = {"ledger": {"data/a.dat": "".join(f"{n:06}" for n in range(20_000)), "b.dat": "b"}}
    member.harbour.publish("1.1.0", big, pickups={"ledger": pickup})
    archive = member.harbour.archive("ledger")
    member.store.copy_in(archive, sha256_hex(archive.read_bytes()))
    place = member.store.path(sha256_hex(archive.read_bytes()))
    data = bytearray(archive.read_bytes())
    data[60_000:60_040] = bytes(40)
    place.write_bytes({"cut": data[:5000], "flipped": data, "gone": b"", "nonsense": b"PK\x05\x06" + bytes(30)}[spoil])
    if pickup is Pickup.BY_HAND:
        with pytest.raises(ErrandsLeft, match="copy that was brought is damaged"):
            member.sync()
        (member.folder / ".convoy/inbox/x").write_bytes(archive.read_bytes())
        member.sync()
    else:
        assert "thrown away and fetched again" in member.sync().remarks[0]
    member.holds(big)


# --- Journals and the agent's own files


NAMES = [
    "my pack: best.zip",
    os.fsdecode(b"mine-\xff.zip"),
    "aux.txt",
    "a\\b?.zip",
    "trailing. ",
    "x" * 250,
    ".convoy2",
]


@pytest.mark.parametrize("name", NAMES)
def test_a_members_own_names_go_aside_and_come_back(member: Member, name: str) -> None:
    member.sync()
    put(member, f"mods/{name}", "mine")
    put(member, f"mods/{name}2" if len(name) < 99 else "mods/y", "mine, too")
    assert len(member.sync(wish=Wish(SyncChoices(extras_aside=True))).aside) == 2
    member.holds(MODS)
    taking_back.undo(member.folder, member.store) if len(Folder(member.folder).entries()) > 1 else None
    assert (member.folder / f"mods/{name}").read_text() == "mine"
    member.sync(wish=Wish(SyncChoices(extras_aside=True)))
    assert f"mods/{name}" in taking_back.put_back(member.folder, f"mods/{name}")[0]


def test_a_folder_where_a_file_of_the_pack_was_goes_aside_and_comes_back(member: Member) -> None:
    member.sync()
    for path in ("mods/ledger/data/a.dat", "mods/ledger/waybill.toml"):
        (member.folder / path).unlink()
    (member.folder / "mods/ledger/data/a.dat").mkdir()
    put(member, "mods/ledger/waybill.toml/deep/mine.txt", "mine")
    member.sync()
    member.holds(MODS)
    taking_back.undo(member.folder, member.store)
    assert "mine" in everywhere(member)
    member.sync()
    member.holds(MODS)


OBSTACLES: dict[str, Callable[[Path], object]] = {
    "a file where a folder must be": lambda mods: (mods / "come").write_text("mine"),
    "a folder where a file must be": lambda mods: (mods / "come/deep/w.dat").mkdir(parents=True),
    "a link where a folder must be": lambda mods: (mods / "come").symlink_to(mods.parent.parent),
    "a link where a file must be": lambda mods: (
        (mods / "come").mkdir(),
        (mods / "come/z.dat").symlink_to("/etc/passwd"),
    ),
}


@pytest.mark.parametrize("obstacle", OBSTACLES.values(), ids=OBSTACLES.keys())
def test_whatever_comes_in_the_way_of_a_journal_it_is_ended(member: Member, obstacle: Callable[[Path], object]) -> None:
    member.sync()
    come = {**NEWER, "come": {"z.dat": "z", "deep/w.dat": "w"}}
    member.harbour.publish("1.1.0", come)
    stopped(member, "place mods/come/deep/w.dat")
    obstacle(member.folder / "mods")
    try:
        member.sync()
    except FolderRefused as error:
        assert "is a link" in error.what  # told, with what to do; and the journal has ended
        assert not (member.folder / ".convoy/journal.json").exists()
        (member.folder / "mods/come").unlink() if (member.folder / "mods/come").is_symlink() else None
        member.sync()
    member.holds(come)


def test_staged_files_that_were_altered_before_the_next_start_are_not_placed(member: Member) -> None:
    member.sync()
    member.harbour.publish("1.1.0", {**NEWER, "come": {"z.dat": "z" * 100, "y.dat": "y" * 100}})
    stopped(member, "place mods/come/y.dat")
    for staged in (member.folder / ".convoy/staging").iterdir():
        staged.write_bytes(b"!" + staged.read_bytes()[1:])
    done = member.sync()
    assert done.recovered and done.remarks
    member.holds({**NEWER, "come": {"z.dat": "z" * 100, "y.dat": "y" * 100}})
    assert member.status(thorough=True).deviations == {}


def test_what_verify_names_sync_mends(member: Member) -> None:
    """Same size, same times: only hashing finds it, and what was found is not forgotten."""
    member.sync()
    file = put(member, "mods/ledger/settings.toml", "on = TRUE")
    folder = Folder(member.folder)
    record = folder.record()
    info = file.stat()
    sight = (info.st_size, info.st_mtime_ns, info.st_ctime_ns)
    record.files["mods/ledger/settings.toml"] = (record.files["mods/ledger/settings.toml"][0], sight)
    folder.write_record(record)
    assert member.sync().plan.moves == ()
    assert member.status(thorough=True).deviations == {"mods/ledger/settings.toml": "altered"}
    assert member.sync().aside == ("mods/ledger/settings.toml",)
    member.holds(MODS)


def test_settings_edited_between_a_crash_and_its_completion_get_the_releases_keys(member: Member) -> None:
    path = "mods/ledger/settings.toml"
    terms = Terms(("mods/*/settings.*",), (), (Tweak(path, ("rate",), 3, How.ENFORCED),))
    old = {"ledger": {"settings.toml": "volume = 5\nrate = 1\n"}}
    new = {"ledger": {"settings.toml": "volume = 5\nrate = 1\nfresh = 1\n"}}
    member.harbour.publish("1.1.0", old, terms=terms)
    member.sync()
    put(member, path, "volume = 1\nrate = 3\n")
    member.harbour.publish("1.2.0", new, terms=terms)
    stopped(member, f"merge {path}")
    put(member, path, "volume = 2\nrate = 9\n")
    assert member.sync().recovered
    text = (member.folder / path).read_text()
    assert "volume = 2" in text and "fresh = 1" in text and "rate = 3" in text
    assert member.sync().plan.moves == ()


OWN = [
    "record",
    "pairing",
    "head",
    "count",
    "calm",
    "left-out",
    "steps",
    "journal",
    "restore",
    "history/*",
    "releases/*",
]
SPOILT = {
    "cut": lambda data: data[: len(data) // 2],
    "flipped": lambda data: data[:-3] + b"\x00\x01\x02",
    "empty": lambda data: b"",
    "other": lambda data: b'{"release": 7, "files": []}',
    "binary": lambda data: bytes(range(256)),
}


@pytest.mark.parametrize("name", OWN)
@pytest.mark.parametrize("spoil", SPOILT.values(), ids=SPOILT.keys())
def test_a_spoilt_file_of_the_agents_own_loses_nothing_and_stops_nothing(
    member: Member, name: str, spoil: Callable[[bytes], bytes]
) -> None:
    path = "mods/ledger/settings.toml"
    member.harbour.publish("1.0.1", MODS, terms=TERMS)
    member.sync()
    put(member, path, "on = true\nmine = 1\n")
    put(member, "mods/lanterns/data/light.dat", "altered by me")
    put(member, "mods/extra.zip", "my extra")
    put(member, "worlds/w/map", "my world")
    own = member.folder / ".convoy"
    places = list(own.glob(f"{name}.json")) or [own / f"{name}.json"]
    for place in places:
        place.write_bytes(spoil(place.read_bytes() if place.exists() else b'{"a": 1}'))
    member.harbour.publish(
        "1.1.0", {**NEWER, "ledger": {**NEWER["ledger"], "settings.toml": "on = true\nnew = 1"}}, terms=TERMS
    )
    member.sync()
    found = everywhere(member)
    for text in ("altered by me", "my extra", "my world"):
        assert text in found, text
    assert "mine = 1" in (member.folder / path).read_text() and "new = 1" in (member.folder / path).read_text()
    assert member.status(thorough=True).deviations == {"mods/extra.zip": "extra"}
    assert not mend(member.folder, member.store).left
    taking_back.undo(member.folder, member.store) if len(
        Folder(member.folder).entries()
    ) > 1 and "history" not in name else None
    left = leave(member.folder, NOW)
    assert left.removed > 0
    for text in ("altered by me", "my extra", "my world"):
        assert text in everywhere(member), text


def test_a_file_of_a_newer_agent_is_left_as_it_is(member: Member) -> None:
    member.sync()
    place = member.folder / ".convoy/record.json"
    data = place.read_bytes().replace(b"true-convoy record 2 ", b"true-convoy record 3 ")
    place.write_bytes(data)
    member.harbour.publish("1.1.0", NEWER)
    with pytest.raises(TooNew, match="newer agent"):
        member.sync()
    assert place.read_bytes() == data
    member.holds(MODS)


def test_what_an_earlier_agent_wrote_is_read(member: Member) -> None:
    """As the first releases of the agent kept it: bare JSON, one history file, two releases by name."""
    member.sync()
    own = member.folder / ".convoy"
    record = sealed.read(own / "record.json")
    [release] = [sealed.read(place) for place in (own / "releases").iterdir()]
    [by] = release["signatures"]
    record.pop("sha256")
    [entry] = Folder(member.folder).entries()
    for place in own.rglob("*.json*"):
        place.unlink()
    entry.pop("number")
    (own / "pairing.json").write_text(json.dumps({
        "site": member.harbour.address, "token": "t0ken", "public_key": by["key"], "pack_id": "pack-1",
        "pack": "Night Freight", "installation": "i1", "name": "Mine", "side": "player",
    }))  # fmt: skip
    (own / "record.json").write_text(json.dumps(record))
    earlier = {"document": release["document"], **by}
    (own / "release.json").write_text(json.dumps(earlier))
    (own / "history.jsonl").write_text(json.dumps({**entry, "id": "2026-11-01-200000-999999"}) + "\n{cut")
    member.harbour.publish("1.1.0", NEWER)
    assert member.sync().aside == ()
    member.holds(NEWER)
    assert taking_back.undo(member.folder, member.store).release == "1.0.0"
    member.holds(MODS)
    assert mend(member.folder, member.store).mended and not mend(member.folder, member.store).mended


def test_litter_and_what_belongs_to_others_is_nobodys_difference(member: Member) -> None:
    member.sync()
    for path in ("mods/.DS_Store", "mods/ledger/Thumbs.db", "mods/lost+found/x", "lost+found/y", "mods/._a.zip"):
        put(member, path, "litter")
    (member.folder / "mods/lost+found").chmod(0)
    assert member.status().deviations == {} and member.sync().plan.extras == ()
    bare = member.folder.with_name("mounted")
    (bare / "lost+found").mkdir(parents=True)
    join(CODE, member.harbour.address, bare)


def test_a_folder_that_cannot_be_read_is_passed_by(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """As root everything can be read, so the system's refusal is put in its place."""
    member.sync()
    (member.folder / "mods/theirs").mkdir()
    scandir = os.scandir

    def refusing(place: str) -> "os.ScandirIterator[str]":  # type: ignore[name-defined]
        if str(place).endswith("theirs"):
            raise PermissionError(13, "Permission denied", str(place))
        return scandir(place)

    monkeypatch.setattr(os, "scandir", refusing)
    assert member.status().deviations == {} and member.sync().plan.moves == ()


def test_a_wrong_key_burns_no_code_and_copies_no_game(member: Member, tmp_path: Path) -> None:
    game = tmp_path / "game"
    game.mkdir()
    (game / "start").write_text("start")
    member.harbour.shown_key = new_key()
    used = member.harbour.codes_used
    with pytest.raises(BadRelease, match="another key"):
        join(CODE, member.harbour.address, tmp_path / "new", "8Q2M-1111-1111-1111", game=game)
    with pytest.raises(ConvoyError):
        join("1111-1111-1111", member.harbour.address, tmp_path / "new", game=game)
    assert member.harbour.codes_used == used and not (tmp_path / "new").exists()


def test_copying_a_game_overwrites_nothing(member: Member, tmp_path: Path) -> None:
    game, folder = tmp_path / "game", tmp_path / "copy"
    for place, text in ((game, "the game's"), (folder, "mine")):
        place.mkdir()
        (place / "options.txt").write_text(text)
    join(CODE, member.harbour.address, folder, game=game, as_it_is=True)
    assert (folder / "options.txt").read_text() == "mine"


def test_verify_and_undo_need_no_site(member: Member) -> None:
    member.sync()
    member.harbour.publish("1.1.0", NEWER)
    member.sync()
    member.harbour.close()
    found = member.status(thorough=True)
    assert found.unheard and found.deviations == {} and found.current == "1.1.0"
    assert taking_back.undo(member.folder, member.store).unheard
    member.holds(MODS)
    with pytest.raises(ConvoyError):
        member.sync()


def test_working_names_that_somebody_uses_are_left_alone(member: Member) -> None:
    with_world(member)
    made = backing_up.back_up(member.folder)
    put(member, "worlds/canal/map.dat", "spoilt")
    put(member, "worlds/canal/map.dat.convoy-new", "my own file of that name")
    backing_up.restore(member.folder, made.id)
    assert "my own file of that name" in everywhere(member)
    options = put(member, "options.toml", "a = 1\n")
    put(member, "options.toml.new", "mine, too")
    assert run(member, "settings", "set", str(options), "a", "2").returncode == 0
    assert options.read_text() == "a = 2\n" and (member.folder / "options.toml.new").read_text() == "mine, too"


def test_where_the_list_of_what_lay_there_is_lost_nothing_of_it_is_removed(member: Member) -> None:
    folder = member.folder.with_name("filled-by-hand")
    filled = Member(member.harbour, folder, member.store)
    for mod, files in MODS.items():
        for path, text in files.items():
            put(filled, f"mods/{mod}/{path}", text)
    join(CODE, member.harbour.address, folder, as_it_is=True)
    filled.sync()
    before = filled.files()
    for name in ("list.json", "list.json.twin"):
        (folder / ".convoy/before" / name).write_text("{cut")
    member.harbour.publish("1.1.0", {**MODS, "bells": {"ring.dat": "ring"}})
    filled.sync()
    leave(folder, NOW)
    assert before.items() <= filled.files().items()
