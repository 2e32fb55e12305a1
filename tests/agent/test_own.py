"""The agent looks after itself: started with a session, brought up to date, and back; only what the site signed."""

import plistlib
import shlex
import xml.etree.ElementTree as ElementTree
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from convoy_agent.commands import groups
from convoy_agent.folder.folder import Folder
from convoy_agent.site.site import Site
from convoy_agent.updating import NoUpdate, ThisAgent, back, update
from convoy_agent.with_session import Command, NoSession, Start, install, remove, start_of
from convoy_core.lock.canonical import sha256_hex
from convoy_core.trust.agent_file import CONTEXT, AgentFile, read_offer, write_offer
from convoy_core.trust.charter import first_charter
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import new_key, public_half
from convoy_core.words.errors import BadSignature, MalformedInput

from .conftest import Member

AGENT = ("/opt/con voy/python", "-m", "convoy_agent")
ODD = Path('/home/wren/Night $HOME "Freight" 100%/a\\b')


def test_a_systemd_unit_starts_exactly_this() -> None:
    start = start_of("linux", Path("/home/wren"), AGENT, ODD)
    assert start.place.parent == Path("/home/wren/.config/systemd/user")
    line = next(one for one in start.file.decode().splitlines() if one.startswith("ExecStart="))
    # What systemd makes of it: its own doubled signs once, then words as a shell's double quotes hold them.
    told = line.removeprefix("ExecStart=").replace("%%", "%").replace("$$", "$")
    assert shlex.split(told) == [*AGENT, "watch", "--folder", str(ODD)]
    assert start.begin[-1] == ("systemctl", "--user", "enable", "--now", f"{start.name}.service")
    assert start.end == (("systemctl", "--user", "disable", "--now", f"{start.name}.service"),)


def test_a_launch_agent_starts_exactly_this() -> None:
    start = start_of("darwin", Path("/Users/wren"), AGENT, ODD, uid=501)
    told = plistlib.loads(start.file)
    assert told["ProgramArguments"] == [*AGENT, "watch", "--folder", str(ODD)]
    assert start.begin == (("launchctl", "bootstrap", "gui/501", str(start.place)),)
    assert start.place.name == f"{told['Label']}.plist"


def test_a_scheduled_task_starts_exactly_this() -> None:
    start = start_of("win32", Path("/Users/wren"), AGENT, ODD)
    tree = ElementTree.fromstring(start.file.decode("utf-16"))
    names = {"t": "http://schemas.microsoft.com/windows/2004/02/mit/task"}
    assert tree.findtext(".//t:Command", namespaces=names) == AGENT[0]
    arguments = tree.findtext(".//t:Arguments", namespaces=names) or ""
    assert arguments.startswith("-m convoy_agent watch --folder ")
    assert '\\"Freight\\"' in arguments
    assert start.begin[0][:4] == ("schtasks", "/Create", "/TN", start.name)


@pytest.mark.parametrize("folder", ["a\nExecStart=/bin/evil", "a\0b"])
def test_a_folder_cannot_write_into_the_file(folder: str) -> None:
    with pytest.raises(NoSession):
        start_of("linux", Path("/home/wren"), AGENT, Path(folder))
    with pytest.raises(NoSession):
        start_of("plan9", Path("/home/wren"), AGENT, ODD)


def test_what_cannot_be_taken_up_leaves_nothing(tmp_path: Path) -> None:
    start = start_of("linux", tmp_path, AGENT, ODD)
    ran: list[Command] = []

    def refuse(command: Command) -> None:
        ran.append(command)
        if "enable" in command:
            raise NoSession("no bus")

    with pytest.raises(NoSession):
        install(start, refuse)
    assert not start.place.exists()
    install(start, ran.append)
    assert start.place.read_bytes() == start.file
    assert remove(start, ran.append)
    assert not start.place.exists()
    assert not remove(start, ran.append)


def test_another_folder_is_another_unit() -> None:
    found: set[Start] = {start_of("linux", Path("/h"), AGENT, Path(one)) for one in ("/a", "/b", "/a")}
    assert len(found) == 2


KEY = new_key()
NEW = b"a newer agent" * 100
FILE = AgentFile("convoy-0.2.0-linux-x86_64", "linux-x86_64", "0.2.0", len(NEW), sha256_hex(NEW))
THIS = ThisAgent("0.1.0", "linux-x86_64", None)


CHARTER = first_charter("crew-1", public_half(KEY), public_half(new_key()))


def offer(files: list[AgentFile], key: bytes = KEY) -> Signed:
    return Signed(write_offer(files)).with_signature(CONTEXT, key)


@pytest.fixture
def offered(member: Member, monkeypatch: pytest.MonkeyPatch) -> dict[str, Any]:
    """A paired folder whose site offers an agent; a test may change what it says."""
    told: dict[str, Any] = {"offer": offer([FILE]), "blocks": [NEW]}
    monkeypatch.setattr(Site, "agent_offer", lambda self: told["offer"])
    monkeypatch.setattr(Site, "agent_file", lambda self, name: iter(told["blocks"]))

    told["pairing"] = Folder(member.folder).pairing()
    return told


def test_a_newer_agent_is_taken_and_the_way_back_needs_no_site(offered: dict[str, Any], tmp_path: Path) -> None:
    put: list[bytes] = []

    def taken(place: Path, this: ThisAgent) -> None:
        put.append(place.read_bytes())

    running = tmp_path / "convoy"
    running.write_bytes(b"older")
    done = update(offered["pairing"], CHARTER, tmp_path / "kept", replace(THIS, place=running), taken)
    assert (done.before, done.now, put) == ("0.1.0", "0.2.0", [NEW])
    (tmp_path / "kept" / "0.1.0" / "convoy.part").write_bytes(b"not whole")
    now = ThisAgent("0.2.0", "linux-x86_64", running)
    assert back(tmp_path / "kept", now, taken).now == "0.1.0"
    assert put[-1] == b"older"
    with pytest.raises(NoUpdate):
        back(tmp_path / "kept", THIS, taken)


LIES = {
    "another key": ({"offer": offer([FILE], new_key())}, BadSignature),
    "other bytes": ({"blocks": [NEW[:-1] + b"!"]}, NoUpdate),
    "more bytes": ({"blocks": [NEW, b"and more"]}, NoUpdate),
    "fewer bytes": ({"blocks": [NEW[:-1]]}, NoUpdate),
    "an older one": ({"offer": offer([AgentFile("x", "linux-x86_64", "0.0.9", 1, "0" * 64)])}, NoUpdate),
    "the same": ({"offer": offer([AgentFile("x", "linux-x86_64", "0.1.0", 1, "0" * 64)])}, NoUpdate),
    "another system's": ({"offer": offer([AgentFile("x", "macos-arm64", "9", 1, "0" * 64)])}, NoUpdate),
    "a huge one": ({"offer": offer([AgentFile("x", "linux-x86_64", "9", 2**40, "0" * 64)])}, NoUpdate),
}


@pytest.mark.parametrize("name", LIES)
def test_a_lying_site_changes_nothing(offered: dict[str, Any], tmp_path: Path, name: str) -> None:
    changed, error = LIES[name]
    offered.update(changed)
    with pytest.raises(error):
        update(offered["pairing"], CHARTER, tmp_path / "kept", THIS, lambda *_: pytest.fail("it was put in place"))
    assert not [one for one in (tmp_path / "kept").rglob("*") if one.is_file()]


def test_a_name_that_climbs_is_no_offer() -> None:
    bad = offer([AgentFile("../x", "any", "9", 1, "0" * 64)])
    with pytest.raises(Exception, match="climbs"):
        read_offer(bad, CHARTER)
    with pytest.raises((MalformedInput, BadSignature)):
        read_offer(Signed(b"{}", bad.signatures), CHARTER)


def test_every_command_stands_in_the_table_of_its_module() -> None:
    for module, names in groups.GROUPS.items():
        part = groups.load(module)
        found = {one.name or (one.callback.__name__ if one.callback else "") for one in part.registered_commands}
        found |= {one.name or "" for one in part.registered_groups}
        assert found == set(names), module
