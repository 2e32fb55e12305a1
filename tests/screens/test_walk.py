"""The walk of the README, in a real browser over the real stack: an evening from an empty account to a crew in step.

Wren curates, on a machine of her own. Isbet is a member with a stand-in machine, on a phone. Pim is a member with a
machine of his own, on which he runs the agent by hand. The steps build on one another, in the order of the file.
"""

from __future__ import annotations

import hashlib
import os
import shlex
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import httpx
import pytest

from .browser import Browser

People = Callable[..., Browser]
PASSWORD = "towpath by moonlight"
PHONE = (390, 844)


@pytest.fixture(scope="module")
def kept() -> dict[str, str]:
    """What one step hands to the next: addresses and codes."""
    return {}


@pytest.fixture(scope="module")
def pims_machine(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("pims-machine")


def agent(machine: Path, command: str) -> subprocess.CompletedProcess[str]:
    """Runs a command as the page shows it, on Pim's machine."""
    assert command.startswith("convoy ")
    words = [sys.executable, "-m", "convoy_agent", "--store", str(machine / "store"), *shlex.split(command)[1:]]
    environment = {**os.environ, "COLUMNS": "200"}
    return subprocess.run(words, cwd=machine, capture_output=True, text=True, env=environment)


def sign_up(browser: Browser, name: str) -> None:
    browser.go("/sign-in?new=1")
    browser.fill("Name to sign in with", name)
    browser.fill("E-mail address", f"{name}@crew.example")
    browser.fill("Password", PASSWORD)
    browser.press("Make the account")
    browser.sees("Welcome aboard")


def test_sign_up_and_the_demo_accounts_beside_it(people: People) -> None:
    wren = people("wren")
    wren.go("/sign-in")
    wren.sees("The demo's crew", "maren", "kestrel-demo")
    assert wren.complaints() == []
    wren.fill("Name or e-mail address", "wren")
    wren.fill("Password", "not the one")
    wren.press("Sign in", within="page")
    wren.sees("not correct")
    sign_up(wren, "wren")
    wren.sees("A game that is there", "Gauge Hollow, Tillerway")
    assert wren.complaints() == []


def test_start_a_pack(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.press("Start a pack")
    wren.fill("Name", "Slow Water")
    wren.press("heron")
    wren.fill("Name of the crew", "The Reed Cutters")
    wren.choose("Game", "Tillerway")
    version = wren.find("Game version")
    assert "2.2 preview" not in version.text and "0.9" not in version.text
    wren.press("Previews and archived too")
    wren.until("the preview to be offered", lambda: "2.2 preview (preview)" in wren.find("Game version").text)
    assert "5.2.0 · recommended" in wren.find("Loader version").text
    assert "4.8.2" not in wren.find("Loader version").text
    wren.fill("Notes", "Calm evenings.")
    assert wren.complaints() == []
    wren.press("Start the pack")
    wren.sees("The pack is empty", "Tillerway 2.1")
    kept["pack"] = wren.driver.current_url.replace(wren.address, "").replace("/assemble", "")


def test_a_name_that_is_taken_is_said_beside_the_field(people: People) -> None:
    wren = people("wren")
    wren.go("/packs/new")
    wren.fill("Name", "slow water")
    wren.press("Start the pack")
    wren.sees("has a pack named “slow water” already")


def test_assemble(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble")
    wren.fill("Find a mod", "lock lerdger")
    wren.press("Add Lock Ledger")
    wren.sees("Lock Ledger added: brings in 1, nothing breaks.", "1 chosen + 1 brought in = 2")
    wren.fill("Find a mod", "herron")
    wren.press("Add Heron Almanac")
    wren.sees("Heron Almanac added: brings in 1", "2 chosen + 2 brought in = 4")
    wren.fill("Find a mod", "fog over")
    wren.press("Add Fog over Fen")
    wren.sees("Fog over Fen added: nothing breaks.")
    wren.click("[data-line=fog-over-fen]")
    wren.press("Remove", within="Inspector")
    wren.sees("Fog over Fen removed", "2 chosen + 2 brought in = 4")
    wren.fill("Find a mod", "sluice")
    wren.press("Fits 2.1, Bosun")
    wren.sees("does not fit", "made for Capstan, not Bosun")
    wren.fill("Find a mod", "tarred planks")
    wren.press("Add Tarred Planks")
    wren.sees("3 chosen + 2 brought in = 5")
    assert wren.complaints() == []


def test_the_inspector_holds_a_build_with_a_reason(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble?mod=lock-ledger")
    wren.sees("Keeps accounts at every lock", "Queues survive a restart")
    wren.press("Hold at 3.3.0")
    wren.fill("Why hold it here", "keeps our world")
    wren.press("Hold here")
    wren.sees("Lock Ledger held at 3.3.0", "keeps our world", "↑ 3.4.1")
    assert wren.complaints() == []


def test_keys_and_palette(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble")
    wren.sees("Chosen (3)")
    wren.keys("?")
    wren.sees("Keys here", "search the catalogue", "to Publish")
    assert wren.complaints() == []
    wren.keys("\ue00c")
    wren.sees_no_more("Keys here")

    def in_the_manifest() -> bool:
        # The dialog that was put away gives the focus back a moment later.
        wren.keys("m")
        return wren.driver.switch_to.active_element.get_attribute("id") == "manifest"

    wren.until("the manifest to have the focus", in_the_manifest)
    wren.keys("\ue015")
    wren.until("a line in hand", lambda: "mod=" in wren.driver.current_url)
    wren.keys("2")
    wren.sees("Nothing stands in the way")
    wren.driver.execute_script(
        "window.dispatchEvent(new KeyboardEvent('keydown', {key: 'k', ctrlKey: true, bubbles: true}))"
    )
    wren.find("Go to a pack, person, mod or place").send_keys("heron alm")
    wren.sees("mod · Weather")
    wren.keys("\ue007")
    wren.sees("Weather a day ahead")


def test_a_base_change_says_what_fits_before_it_is_made(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble")
    wren.press("Change base")
    wren.choose("Loader", "Capstan")
    wren.sees("1 of 3 chosen lines still fit", "Heron Almanac", "made for Bosun, not Capstan")
    assert wren.complaints() == []
    wren.press("Change the base")
    wren.sees("2 without a build", "Without a build (2)")
    wren.go(kept["pack"] + "/publish")
    wren.sees("2 blockers stand in the way")
    wren.go(kept["pack"] + "/check")
    wren.sees("Heron Almanac is for another loader.")
    assert wren.complaints() == []
    wren.go(kept["pack"] + "/assemble")
    wren.press("Change base")
    wren.choose("Loader", "Bosun")
    wren.press("Change the base")
    wren.sees("all lines have a build", "Chosen (3)")


def test_publish_and_hand_out_a_code(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/publish")
    wren.sees("The first release", "Added (5)")
    wren.fill("Notes for the crew", "Our first evening.")
    wren.press("Publish release 1.0.0")
    wren.sees("Release 1.0.0 is published and signed.", "Nothing has changed")
    wren.press("Make a join code")
    wren.sees("any number of uses")
    kept["code"] = wren.join_code()
    assert wren.complaints() == []


def test_join_on_a_phone_and_install_with_one_button(people: People, kept: dict[str, str]) -> None:
    isbet = people("isbet", *PHONE)
    isbet.sign_in("isbet")
    isbet.go("/join")
    wrong = kept["code"][:-1] + ("2" if kept["code"][-1] != "2" else "3")
    isbet.fill("Code", wrong)
    isbet.sees("This code has a slip in it.")
    isbet.fill("Code", kept["code"].lower())
    isbet.sees("The Reed Cutters", "Release 1.0.0: 5 mods")
    assert isbet.complaints() == []
    isbet.press("Join The Reed Cutters and install")
    isbet.sees("Nothing is installed yet", "Release 1.0.0", "Added (")
    isbet.press("Install release 1.0.0")
    isbet.sees("● in step", "· matches")
    assert isbet.complaints() == []
    kept["isbets"] = isbet.driver.current_url.replace(isbet.address, "")
    too_wide = "return document.documentElement.scrollWidth > window.innerWidth"
    assert not isbet.driver.execute_script(too_wide)


def test_join_with_a_machine_of_ones_own(people: People, kept: dict[str, str], pims_machine: Path) -> None:
    pim = people("pim")
    sign_up(pim, "pim")
    pim.go("/join/" + kept["code"])
    pim.fill("Name of this installation", "Pim's barge")
    pim.press("Join The Reed Cutters and install")
    pim.press("Show the pairing command")
    pim.sees("convoy join", "Make the folder and pair it: once, until")
    # Where the site has the agent as one file, that comes first, and this is folded in.
    pim.driver.execute_script("document.querySelectorAll('details').forEach(one => one.open = true)")
    pim.sees("pipx install")
    offered = next(one.text for one in pim.driver.find_elements("css selector", "code") if "pipx install" in one.text)
    address, sha256 = offered.removeprefix("pipx install ").split("#sha256=")
    assert hashlib.sha256(httpx.get(address).content).hexdigest() == sha256
    kept["pims"] = pim.driver.current_url.replace(pim.address, "")
    command = next(one.text for one in pim.driver.find_elements("css selector", "code") if "convoy join" in one.text)
    joined = agent(pims_machine, command)
    assert joined.returncode == 0, joined.stderr
    assert agent(pims_machine, command.replace("--into ", "--into again-")).returncode == 2
    done = agent(pims_machine, "convoy sync --folder pim-s-barge")
    assert done.returncode == 0 and "Release 1.0.0" in done.stdout, done.stderr
    pim.sees("● in step", "· matches")
    assert (pims_machine / "pim-s-barge/mods/lock-ledger/waybill.toml").is_file()


def test_the_roll_call_and_the_line_show_who_is_where(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/crew")
    wren.sees("2 of 2 installations in step with release 1.0.0", "Isbet Quill", "pim")
    wren.sees("In the crew without an installation of this pack: wren.")
    assert wren.complaints() == []


def test_an_update_turns_members_behind_and_a_sync_brings_them_back(
    people: People, kept: dict[str, str], pims_machine: Path
) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble?mod=lock-ledger")
    wren.press("Let go of 3.3.0")
    wren.sees("Lock Ledger let go: moves 1, nothing breaks.")
    wren.go(kept["pack"] + "/assemble?mod=heron-almanac")
    wren.press("Remove", within="Inspector")
    wren.sees("Heron Almanac removed?", "What it does in all: lets go of 1, nothing breaks.")
    assert wren.complaints() == []
    wren.press("Do it")
    wren.sees("Heron Almanac removed: lets go of 1, nothing breaks.")
    wren.go(kept["pack"] + "/publish")
    wren.sees("Changes since release 1.0.0", "Updated (1)", "3.3.0 → 3.4.1", "Removed (2)")
    wren.press("Publish release 1.1.0")
    wren.sees("Release 1.1.0 is published and signed.")
    wren.go(kept["pack"] + "/crew")
    wren.sees("0 of 2 installations in step with release 1.1.0", "◐ behind by 1", "Sync to release 1.1.0.")
    isbet = people("isbet", *PHONE)
    isbet.go(kept["isbets"])
    isbet.sees("behind by 1", "From 1.0.0 to 1.1.0")
    isbet.press("Sync to 1.1.0")
    isbet.sees("● in step")
    assert agent(pims_machine, "convoy status --folder pim-s-barge").returncode == 1
    done = agent(pims_machine, "convoy sync --folder pim-s-barge")
    assert "Release 1.1.0" in done.stdout
    assert not (pims_machine / "pim-s-barge/mods/heron-almanac").exists()
    wren.sees("2 of 2 installations in step with release 1.1.0")


def test_a_file_altered_by_hand_is_named_and_mended(people: People, kept: dict[str, str], pims_machine: Path) -> None:
    file = pims_machine / "pim-s-barge/mods/lock-ledger/readme.md"
    as_released = file.read_text()
    file.write_text("rewritten")
    settings = file.with_name("settings.toml")
    settings.write_text(settings.read_text().replace("strength = 5", "strength = 11"))
    found = agent(pims_machine, "convoy verify --folder pim-s-barge")
    assert found.returncode == 1 and "altered: mods/lock-ledger/readme.md" in found.stdout
    assert "settings.toml" not in found.stdout  # nobody enforces it: it is Pim's own
    wren = people("wren")
    wren.go(kept["pack"] + "/crew")
    wren.sees("◆ differs", "Lock Ledger: mods/lock-ledger/readme.md altered")
    wren.click("[aria-expanded=false]")
    wren.sees("altered files move aside", "The release", "A message, to copy", "Hello pim")
    done = agent(pims_machine, "convoy sync --folder pim-s-barge")
    assert "moved aside: mods/lock-ledger/readme.md" in done.stdout
    assert file.read_text() == as_released and "strength = 11" in settings.read_text()
    aside = list((pims_machine / "pim-s-barge/.convoy/aside").rglob("*.md"))
    assert [one.read_text() for one in aside] == ["rewritten"]
    wren.sees("2 of 2 installations in step")


def test_what_another_curator_does_shows_without_reloading(people: People, kept: dict[str, str]) -> None:
    """That stale writes are merged or refused is tested at the site; here, that they hardly come about."""
    wren = people("wren")
    wren.go(kept["pack"] + "/assemble")
    wren.sees("Chosen (2)")
    cookies = {one["name"]: one["value"] for one in wren.driver.get_cookies()}
    headers = {"X-CSRFToken": cookies["csrftoken"]}
    other = httpx.Client(base_url=wren.address, cookies=cookies, headers=headers)
    at = f"/api{kept['pack']}/draft"

    def meanwhile(edit: dict) -> None:
        revision = other.get(at).json()["revision"]
        assert other.post(f"{at}/edits", json={"revision": revision, "edits": [edit]}).status_code == 200

    meanwhile({"do": "add", "mod": "moon-tables"})
    wren.sees("Chosen (3)", "Moon Tables")
    wren.fill("Find a mod", "quiet deck")
    wren.press("Add Quiet Deck")
    wren.sees("Quiet Deck added", "Chosen (4)")
    meanwhile({"do": "hold", "mod": "quiet-deck", "version": "0.6.0", "because": ""})
    wren.sees("held")
    wren.press("Edits")
    wren.sees("Edits of this draft", "Quiet Deck held at 0.6.0")
    wren.press("Take back: Quiet Deck held at 0.6.0")
    wren.sees("taken back: Quiet Deck held at 0.6.0")
    assert wren.complaints() == []
    wren.press("Close")


def test_a_withdrawn_code_opens_nothing(people: People, kept: dict[str, str]) -> None:
    wren = people("wren")
    wren.go(kept["pack"] + "/publish")
    wren.press("Withdraw")
    wren.sees("withdrawn")
    pim = people("pim")
    pim.go("/join/" + kept["code"])
    pim.sees("This code for Slow Water was withdrawn.", "Ask wren for a new one.")


def test_what_is_not_yours_is_not_there(people: People, kept: dict[str, str]) -> None:
    stranger = people("stranger", dark=True)
    sign_up(stranger, "stranger")
    assert stranger.complaints() == []
    for address, says in (
        (kept["pack"], "This pack does not exist"),
        (kept["pims"], "This installation does not exist"),
    ):
        stranger.go(address)
        stranger.sees(says, "Try again")
    stranger.go("/no/such/page")
    stranger.sees("There is no such page")


def test_a_source_that_fails_is_named_on_the_members_page(
    people: People, kept: dict[str, str], stack: dict[str, str]
) -> None:
    wren, isbet = people("wren"), people("isbet", *PHONE)
    wren.go(kept["pack"] + "/publish")
    wren.press("Publish release 1.2.0")
    wren.sees("Release 1.2.0 is published and signed.")
    sources = stack["CONVOY_SOURCES"]
    # Isbet's other installation may have brought it into the store that both share: then nothing would be fetched.
    for archive in (Path(stack["CONVOY_DATA"]) / "machines/isbets-laptop/store").glob("??/*"):
        archive.unlink()
    httpx.post(f"{sources}/faults", json={"path": "moon-tables-2026-06-01.zip", "fault": "404", "times": 99})
    isbet.go(kept["isbets"])
    isbet.press("Sync to 1.2.0")
    isbet.sees("Moon Tables 2026-06-01 could not be fetched.", "no longer has the file (404)", "Nothing was changed.")
    httpx.post(f"{sources}/faults", json={"fault": "none"})
    isbet.press("Sync to 1.2.0")
    isbet.sees("● in step")
