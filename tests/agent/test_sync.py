"""A member's machine follows the pack: first install, update, what the member changed, and what must never happen."""

import errno
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from convoy_agent import sync as work
from convoy_agent.change import Wish
from convoy_agent.commands.screen import Bar
from convoy_agent.errors import (
    BadRelease,
    DiskFull,
    ErrandsLeft,
    FetchFailed,
    FolderRefused,
    NotPaired,
    SiteRefused,
    SomebodyElse,
)
from convoy_agent.folder.folder import Folder
from convoy_agent.join import join
from convoy_agent.site.site import Site
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.terms import Terms
from convoy_core.sync.plan import Act, SyncChoices
from convoy_core.trust.signing import key_fingerprint, new_key, public_half
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Pickup, Side
from convoy_io.zips import ArchiveWrong

from .conftest import MODS, NEWER, Member
from .harbour import CODE, Harbour


def test_first_install_update_and_nothing_to_do(member: Member) -> None:
    done = member.sync()
    assert done.release == "1.0.0" and len(done.plan.fetch) == 2
    member.holds(MODS)
    member.harbour.publish("1.1.0", NEWER)
    done = member.sync()
    assert (done.release, done.aside) == ("1.1.0", ())
    member.holds(NEWER)
    assert not (member.folder / "mods/lanterns").exists()
    again = member.sync()
    assert again.plan.moves == () and again.plan.fetch == ()


def test_what_the_site_itself_hands_out_is_asked_for_with_the_token_and_nothing_else_is(member: Member) -> None:
    with Site(Folder(member.folder).pairing()) as site:
        assert site.credentials(f"{member.harbour.address}/api/agent/own/x") == {"Authorization": "Bearer t0ken"}
        assert site.credentials(f"{member.harbour.address}/harbour/files/x") == {}
        assert site.credentials(f"{member.harbour.address}.evil.example/api/x") == {}
    member.harbour.files_address = "/api/agent"
    member.sync()
    member.holds(MODS)


def test_it_reports_what_it_has_and_how_far_it_is(member: Member) -> None:
    member.sync()
    lock = read_recipe(member.harbour.documents["1.0.0"]).lock
    told = member.harbour.reports[-1]
    assert (told["release"], told["deviations"], told["fingerprint"]) == ("1.0.0", {}, lock.fingerprint())
    assert told["about"]["plan"]["counts"] == dict.fromkeys(Act, 0)
    assert told["about"]["machine"]["memory_mb"] > 0 and told["about"]["history"][0]["counts"] == {"place": 6}
    phases = {one["phase"] for one in member.harbour.progress}
    assert phases >= {"checking", "fetching", "unpacking", "placing"}
    fetching = [one for one in member.harbour.progress if one["phase"] == "fetching"]
    assert fetching[0]["total"] == sum(build.archive.size for build in lock.builds)


def test_an_altered_file_is_named_and_mended_and_kept_aside(member: Member) -> None:
    member.sync()
    altered = member.folder / "mods/ledger/settings.toml"
    altered.write_text("on = false")
    (member.folder / "mods/lanterns/data/light.dat").unlink()
    (member.folder / "saves").mkdir()
    (member.folder / "saves/world").write_text("my world")
    found = member.status(thorough=True)
    assert found.deviations == {"mods/ledger/settings.toml": "altered", "mods/lanterns/data/light.dat": "missing"}
    assert member.harbour.reports[-1]["deviations"] == found.deviations
    assert member.sync().aside == ("mods/ledger/settings.toml",)
    member.holds(MODS, "saves/world")
    assert member.aside() == {"mods/ledger/settings.toml": "on = false"}


def test_only_a_thorough_look_finds_a_change_that_hides(member: Member) -> None:
    """Same size, same times: what a scan by looks takes for untouched, `verify` still finds."""
    member.sync()
    file = member.folder / "mods/ledger/settings.toml"
    file.write_text("on = TRUE")
    folder = Folder(member.folder)
    record = folder.record()
    info = file.stat()
    sha256, _ = record.files["mods/ledger/settings.toml"]
    record.files["mods/ledger/settings.toml"] = (sha256, (info.st_size, info.st_mtime_ns, info.st_ctime_ns))
    folder.write_record(record)
    assert member.status().deviations == {}
    assert member.status(thorough=True).deviations == {"mods/ledger/settings.toml": "altered"}


def test_extras_are_left_alone_until_asked(member: Member) -> None:
    member.sync()
    (member.folder / "mods/mine.zip").write_text("mine")
    assert member.sync().plan.extras == ("mods/mine.zip",)
    member.holds(MODS, "mods/mine.zip")
    assert member.harbour.reports[-1]["deviations"] == {"mods/mine.zip": "extra"}
    assert member.sync(wish=Wish(SyncChoices(extras_aside=True))).aside == ("mods/mine.zip",)
    member.holds(MODS)


def test_only_what_the_plan_needs_to_know_is_read(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """A copied game is large, and worlds change every evening: neither is hashed to see that the pack is in step."""
    member.sync()
    for path in ("game.bin", "worlds/w", "mods/mine.zip"):
        (member.folder / path).parent.mkdir(exist_ok=True)
        (member.folder / path).write_text("not the pack's")
    read: list[str] = []
    monkeypatch.setattr(
        "convoy_agent.storage.files.sha256_of", lambda file: read.append(file.name) or sha256_hex(file.read_bytes())
    )
    assert member.status().deviations == {"mods/mine.zip": "extra"}
    assert read == ["mine.zip"]
    member.status(thorough=True)
    assert len(read) == 8 and "game.bin" not in read and "w" not in read


def test_a_planted_link_under_a_working_name_is_not_written_through(member: Member, tmp_path: Path) -> None:
    """Two paths of one content: one is copied, under a name that anybody could guess."""
    member.sync()
    outside = tmp_path / "outside.txt"
    outside.write_text("mine")
    for name in ("settings.toml", "waybill.toml", "data/a.dat", "data/new.dat"):
        (member.folder / f"mods/ledger/{name}.convoy-new").symlink_to(outside)
    member.harbour.publish("1.1.0", {"ledger": {**NEWER["ledger"], "twin.dat": "b" * 7000, "data/b.dat": "b" * 7000}})
    member.sync()
    assert outside.read_text() == "mine"


def test_links_planted_among_the_agents_own_files_lead_nowhere(member: Member, tmp_path: Path) -> None:
    """A folder may have come from somebody else, with everything in it."""
    member.harbour.publish("1.1.0", NEWER, terms=Terms(("mods/*/settings.*",)))
    outside = tmp_path / "outside.txt"
    outside.write_text("mine")
    before = sorted(tmp_path.iterdir())
    own = member.folder / ".convoy"
    member.sync()
    member.holds(NEWER)
    for name in ("record.json.new", "history/x.json", "lock", "backups/content", "settings/x.new", "aside/x"):
        place = own / name
        place.parent.mkdir(exist_ok=True)
        kept = place.rename(own.parent / "kept") if place.exists() else None
        place.symlink_to(tmp_path if name.endswith("content") else outside)
        with pytest.raises(FolderRefused, match="is a link"):
            member.sync()
        place.unlink()
        if kept:
            kept.rename(place)
    assert outside.read_text() == "mine" and sorted(tmp_path.iterdir()) == before


def test_a_folder_on_another_disk_is_copied_to(member: Member, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Renaming ends at the edge of a disk; a folder of an installation may be one, and may be full of links."""
    member.sync()
    replace = Path.replace

    def within(self: Path, target: Path) -> Path:
        if (".convoy" in self.parts) != (".convoy" in Path(target).parts):
            raise OSError(errno.EXDEV, "Invalid cross-device link")
        return replace(self, target)

    monkeypatch.setattr(Path, "replace", within)
    (member.folder / "mods/ledger/data/new.dat").write_text("mine")
    (tmp_path / "outside.txt").write_text("mine")
    planted = "mods/ledger/data/a.dat.convoy-new"
    (member.folder / planted).symlink_to(tmp_path / "outside.txt")
    member.harbour.publish("1.1.0", NEWER)
    assert member.sync().aside == ("mods/ledger/data/new.dat",)
    assert (tmp_path / "outside.txt").read_text() == "mine"
    member.holds(NEWER, planted)
    assert member.aside() == {"mods/ledger/data/new.dat": "mine"}


def test_two_files_of_one_content_are_two_files(member: Member) -> None:
    member.sync()
    one, other = (member.folder / f"mods/{mod}/settings.toml" for mod in MODS)
    with one.open("a") as file:
        file.write("\nmore = 1")
    assert other.read_text() == "on = true"


def test_the_server_gets_the_servers_share(harbour: Harbour, tmp_path: Path, member: Member) -> None:
    harbour.publish("1.1.0", MODS, sides={"lanterns": Side.PLAYER})
    harbour.side = "server"
    server = Member(harbour, tmp_path / "server", member.store)
    server.join()
    server.sync()
    server.holds({"ledger": MODS["ledger"]})
    member.sync()
    assert harbour.reports[-1]["fingerprint"] == harbour.reports[-2]["fingerprint"]


FAULTS = [
    ("404", "no longer has the file"),
    ("500", "answered with 500"),
    ("429", "asks us to wait"),
    ("cut short", "cut|ended after"),
    ("wrong bytes", "other bytes"),
    ("slow", "bytes a second|in time"),
]


@pytest.mark.parametrize(("fault", "named"), FAULTS, ids=[fault for fault, _ in FAULTS])
def test_a_faulty_source_is_named_and_the_folder_stays(member: Member, fault: str, named: str) -> None:
    member.sync()
    member.harbour.publish("1.1.0", {**NEWER, "bells": {"waybill.toml": "b", "ring.dat": "ring" * 5000}})
    member.fault("bells", fault)
    with pytest.raises(FetchFailed, match=named) as caught:
        member.sync()
    assert "Bells 1.1.0" in caught.value.sentence()
    member.holds(MODS)
    assert member.harbour.progress[-1]["error"] == caught.value.sentence()
    assert sorted(path.name for path in member.store.root.glob("??/*")) == sorted(
        sha256_hex(path.read_bytes()) for path in member.store.root.glob("??/*")
    )


@pytest.mark.parametrize("fault", ["500", "429", "cut short", "wrong bytes"])
def test_a_fault_that_passes_is_got_over(member: Member, fault: str) -> None:
    member.fault("ledger", fault, times=1)
    member.sync()
    member.holds(MODS)


def test_a_fetch_goes_on_where_it_broke_off(member: Member) -> None:
    archive = member.harbour.archive("ledger")
    part = member.store.partial / sha256_hex(archive.read_bytes())
    part.write_bytes(archive.read_bytes()[:3000])
    member.fault("ledger", "404", times=0)
    member.sync()
    member.holds(MODS)
    fetched = max(one["done"] for one in member.harbour.progress if one["phase"] == "fetching")
    assert fetched <= sum(one.archive.size for one in read_recipe(member.harbour.documents["1.0.0"]).lock.builds)


def test_a_poisoned_beginning_is_thrown_away(member: Member) -> None:
    part = member.store.partial / sha256_hex(member.harbour.archive("ledger").read_bytes())
    part.write_bytes(b"not the beginning of it")
    member.sync()
    member.holds(MODS)


def test_an_old_release_under_a_new_number_is_refused(member: Member) -> None:
    member.harbour.publish("1.1.0", NEWER)
    member.harbour.documents["1.1.0"] = member.harbour.documents["1.0.0"]
    with pytest.raises(BadRelease, match=r"sent release 1\.0\.0 for 1\.1\.0"):
        member.sync()


def test_the_pairing_commands_key_is_compared(harbour: Harbour, tmp_path: Path) -> None:
    key = key_fingerprint(public_half(harbour.key))
    join(CODE, harbour.address, tmp_path / "good", key.lower())
    harbour.shown_key = new_key()
    with pytest.raises(BadRelease, match="another key"):
        join(CODE, harbour.address, tmp_path / "bad", key)
    assert not (tmp_path / "bad").exists()


def test_folders_that_cannot_be_installations(harbour: Harbour, tmp_path: Path, member: Member) -> None:
    full = tmp_path / "full"
    full.mkdir()
    (full / "holiday.jpg").write_text("mine")
    file = tmp_path / "file"
    file.write_text("mine")
    for folder, why in ((full, "not empty"), (file, "is a file"), (member.folder, "installation already")):
        with pytest.raises(FolderRefused, match=why):
            join(CODE, harbour.address, folder)
    assert [path.name for path in full.iterdir()] == ["holiday.jpg"]
    with pytest.raises(SiteRefused, match="opens nothing"):
        join("1111-1111-1111", harbour.address, tmp_path / "new")
    with pytest.raises(NotPaired):
        work.sync(full, member.store)


def test_a_folder_that_cannot_be_written_is_said_to_be(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """As root nothing is read-only, so the disk's own refusal is put in its place."""

    def refuse(*_: object, **__: object) -> None:
        raise PermissionError(13, "Permission denied", str(member.folder))

    monkeypatch.setattr("convoy_agent.folder.staging.disk.remove_tree", refuse)
    with pytest.raises(FolderRefused, match="cannot be written"):
        member.sync()
    assert member.files() == {}


def test_a_full_disk_while_fetching_changes_nothing(member: Member) -> None:
    """/dev/full stands in the place of the file that is to be written: it is always full."""
    digest = sha256_hex(member.harbour.archive("ledger").read_bytes())
    (member.store.partial / digest).symlink_to("/dev/full")
    with pytest.raises(DiskFull):
        member.sync()
    assert member.files() == {}
    (member.store.partial / digest).unlink()
    member.sync()
    member.holds(MODS)


def test_too_little_room_is_said_before_anything_is_fetched(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    usage = type("Usage", (), {"free": 1000})
    monkeypatch.setattr("convoy_agent.sync.shutil.disk_usage", lambda _: usage)
    with pytest.raises(DiskFull, match="are needed"):
        member.sync()
    assert list(member.store.root.glob("??/*")) == []


def test_a_damaged_archive_in_the_store_is_dropped_and_fetched_anew(member: Member) -> None:
    digest = sha256_hex(member.harbour.archive("ledger").read_bytes())
    place = member.store.path(digest)
    place.parent.mkdir()
    place.write_bytes(b"PK damaged")
    assert "thrown away and fetched again" in member.sync().remarks[0]
    member.holds(MODS)


def test_an_archive_that_does_not_hold_what_the_release_says_is_refused(member: Member) -> None:
    member.harbour.publish("1.1.0", NEWER, hashes={"data/new.dat": "0" * 64})
    with pytest.raises(ArchiveWrong, match=r"data/new\.dat"):
        member.sync()
    assert member.files() == {}


def test_links_in_the_folder_lead_nowhere(member: Member, tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "ledger").mkdir()
    (outside / "ledger/settings.toml").write_text("not the pack's")
    (member.folder / "mods").symlink_to(outside)
    with pytest.raises(FolderRefused, match="is a link"):
        member.sync()
    assert [path.name for path in outside.rglob("*")] == ["ledger", "settings.toml"]


def test_one_agent_per_folder(member: Member) -> None:
    with Folder(member.folder).held(), pytest.raises(SomebodyElse):
        member.sync()


def test_errands_are_listed_and_recognised_by_content(member: Member) -> None:
    member.harbour.publish("1.1.0", MODS, pickups={"lanterns": Pickup.BY_HAND})
    with pytest.raises(ErrandsLeft, match="pages/lanterns"):
        member.sync()
    assert member.files() == {}
    inbox = member.folder / ".convoy/inbox"
    (inbox / "wrong.zip").write_text("something else")
    (inbox / "download (3).bin").write_bytes(member.harbour.archive("lanterns").read_bytes())
    member.sync()
    member.holds(MODS)


def stopping_at(number: int):
    """Stops the agent as a power cut would, before its `number`th step; remembers how many there were."""
    seen: list[str] = []

    def step(name: str) -> None:
        seen.append(name)
        if len(seen) == number:
            raise KeyboardInterrupt(name)

    return step, seen


def test_a_stop_at_any_step_ends_in_old_or_new(member: Member) -> None:
    """Every step once: before the journal the old state stands, after it the next start completes the new one."""
    member.sync()
    number = 0
    while True:
        number += 1
        member.harbour.publish(f"2.{number}", NEWER if number % 2 else MODS)
        (member.folder / "mods/ledger/settings.toml").write_text(f"mine {number}")
        step, seen = stopping_at(number)
        try:
            member.sync(step=step)
        except KeyboardInterrupt:
            before = MODS if number % 2 else NEWER
            if seen[-1] == "journal":
                assert member.files()["mods/ledger/data/a.dat"] == sha256_hex(before["ledger"]["data/a.dat"].encode())
            again = member.sync()
            assert again.recovered == (seen[-1] != "journal")
            assert again.plan.moves == () or seen[-1] == "journal"
        member.holds(NEWER if number % 2 else MODS)
        assert f"mine {number}" in member.aside().values() or f"mine {number}" in texts_aside(member)
        if len(seen) < number:
            break
    assert number > 6


@pytest.mark.parametrize("step", ["place mods/lanterns/waybill.toml", "record", "end of journal"])
def test_what_the_member_did_between_a_stop_and_the_next_start_is_kept(member: Member, step: str) -> None:
    """The change is completed long after the scan; what was altered, added or deleted meanwhile is found out."""
    member.harbour.publish("1.0.1", {"ledger": MODS["ledger"]})
    member.sync()
    member.harbour.publish("1.1.0", MODS)

    def stop(name: str) -> None:
        if name == step:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        member.sync(step=stop)
    (member.folder / "mods/ledger/settings.toml").write_text("altered meanwhile")
    (member.folder / "mods/ledger/waybill.toml").unlink()
    (member.folder / "mods/lanterns").mkdir(exist_ok=True)
    (member.folder / "mods/lanterns/waybill.toml").write_text("put there meanwhile")
    done = member.sync()
    assert done.recovered
    member.holds(MODS)
    kept = [path.read_text() for path in (member.folder / ".convoy/aside").rglob("*") if path.is_file()]
    assert sorted(kept) == ["altered meanwhile", "put there meanwhile"]


def test_a_file_put_where_another_was_moved_aside_is_kept_too(member: Member) -> None:
    member.sync()
    settings = member.folder / "mods/ledger/settings.toml"
    settings.write_text("mine, first")

    def stop(name: str) -> None:
        if name == "place mods/ledger/settings.toml":
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        member.sync(step=stop)
    settings.write_text("mine, second")
    member.sync()
    member.holds(MODS)
    kept = [path.read_text() for path in (member.folder / ".convoy/aside").rglob("*") if path.is_file()]
    assert sorted(kept) == ["mine, first", "mine, second"]


def texts_aside(member: Member) -> list[str]:
    return [path.read_text() for path in (member.folder / ".convoy/aside").rglob("*.toml")]


def run(member: Member, *words: str) -> "subprocess.CompletedProcess[str]":
    command = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root), *words]
    return subprocess.run(command, capture_output=True, text=True, env={**os.environ, "COLUMNS": "200"})


def test_the_command_line_tells_and_its_exit_codes_agree(member: Member, tmp_path: Path) -> None:
    here = ["--folder", str(member.folder)]
    assert run(member, "status", *here).returncode == 1
    done = run(member, "sync", *here)
    assert done.returncode == 0 and "Release 1.0.0: 6 new." in done.stdout
    assert run(member, "verify", *here).returncode == 0
    # Its release was withdrawn, and none is open: nothing that a sync could do.
    member.harbour.choice, member.harbour.newest = {"number": "1.0.0", "newest": ""}, ""
    member.harbour.withdrawn = ["1.0.0"]
    told = run(member, "status", *here)
    assert told.returncode == 1 and "no other is open" in told.stdout and "Wait for a release." in told.stdout
    (member.folder / "mods/ledger/settings.toml").write_text("mine")
    found = run(member, "verify", *here)
    assert found.returncode == 1 and "altered: mods/ledger/settings.toml" in found.stdout
    assert "Release 1.0.0 installed: 2 mods." in run(member, "history", *here).stdout
    assert run(member, "history", "--folder", str(tmp_path)).returncode == 2
    refused = run(member, "sync", "--folder", str(tmp_path))
    assert refused.returncode == 2 and "is no installation" in refused.stderr and "Traceback" not in refused.stderr


@pytest.mark.parametrize(
    ("given", "code"),
    [
        ({"base": {"game": "1"}, "files": [{"mod": "x", "version": "1"}], "want": {"x": "*"}}, 0),
        ({"base": {"game": "1"}, "files": [], "want": {"x": "*"}}, 1),
        ({"files": [], "want": {}}, 2),
    ],
)
def test_the_resolver_as_a_command(given: dict, code: int) -> None:
    command = [sys.executable, "-m", "convoy_agent", "resolve"]
    done = subprocess.run(command, input=json.dumps(given), capture_output=True, text=True)
    assert done.returncode == code
    assert (done.stderr.count("\n") == 1) == (code == 2)
    if code < 2:
        assert json.loads(done.stdout)["status"] == ("solved", "impossible")[code]


def test_every_refusal_is_a_plain_sentence() -> None:
    error = ConvoyError("What happened.", "Why.", "What now.", thing=1)
    assert str(error) == "What happened. Why. What now."
    assert error.data == {"thing": 1}


def test_names_steer_no_terminal_and_stop_no_command(member: Member) -> None:
    member.sync()
    odd = member.folder / "mods/[red][/] :cat: \x1b[2J.zip"
    odd.parent.mkdir()
    odd.write_text("x")
    (member.folder / os.fsdecode(b"mods/\xff.zip")).write_text("y")
    told = run(member, "status", "--folder", str(member.folder))
    assert told.returncode == 1 and "extra: mods/[red][/] :cat: ?[2J.zip" in told.stdout and "mods/?.zip" in told.stdout
    listed = run(member, "status", "--json", "--folder", str(member.folder))
    assert set(json.loads(listed.stdout)["deviations"].values()) == {"extra"}
    bar = Bar()
    with bar:
        bar.phase("placing", 0)
        bar.move(1, "mods/[/] \udcff")
