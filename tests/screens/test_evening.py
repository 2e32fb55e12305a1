"""A member's evening, from a code to being in step: an errand, a choice, a step, a setting of their own that stays;
then an update, and the way back. And what the curator sees meanwhile.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urljoin

import httpx
import pytest

from .browser import Browser
from .test_access import pack_of

People = Callable[..., Browser]


@pytest.fixture(scope="module")
def kept() -> dict[str, str]:
    return {}


def folder_of(stack: dict[str, str], browser: Browser) -> Path:
    """Where the stand-in machine keeps the installation whose page is open."""
    identity = browser.driver.current_url.rsplit("/", 1)[-1]
    [found] = Path(stack["CONVOY_DATA"]).glob(f"machines/*/{identity}")
    return found


def test_from_a_code_to_errands(people: People, kept: dict[str, str]) -> None:
    maren, isbet = people("maren"), people("isbet at night")
    maren.sign_in("maren")
    kept["pack"] = pack_of(maren, "Night Freight")
    maren.go(kept["pack"] + "/publish")
    maren.sees("any number of uses")
    code = maren.join_code()
    isbet.sign_in("isbet")
    isbet.go(f"/join/{code}")
    isbet.press("Join Kestrel Wharf and install")
    isbet.sees("Nothing is installed yet", "My choices", "Costs memory. Leave it out on a small machine.")
    isbet.click("input[aria-label='Green Water']")
    isbet.until("the choice is kept", lambda: "○ new" not in isbet.text())
    isbet.press("Install release 1.4.0")
    isbet.sees("3 files have to be brought by hand.", "To bring by hand", "3 files, about 7 minutes")
    assert isbet.complaints() == []
    kept["page"] = isbet.driver.current_url


def test_brought_files_are_told_right_from_wrong_and_the_rest_goes_by_itself(
    people: People, stack: dict[str, str], tmp_path: Path
) -> None:
    isbet = people("isbet at night")
    picker = isbet.driver.find_element("css selector", "input[aria-label='Files for errands']")
    wrong = tmp_path / "deep-holds-2.2.zip"
    wrong.write_bytes(b"by its name alone it would be right")
    picker.send_keys(str(wrong))
    isbet.sees("deep-holds-2.2.zip: no source of this game has this file.")
    pages = [one.get_attribute("href") for one in isbet.driver.find_elements("css selector", "ol a[target=_blank]")]
    for number, page in enumerate(pages):
        # As a person does it: of the files on the page the one that the errand names.
        listed = re.findall(r'href="([^"]+)"', httpx.get(page).text)
        wanted = next(one for one in listed if one.rsplit("/", 1)[-1] in isbet.text())
        brought = tmp_path / f"no name {number}.bin"
        brought.write_bytes(httpx.get(urljoin(page, wanted)).content)
        picker.send_keys(str(brought))
        isbet.sees(f"no name {number}.bin", "that is the right file")
    # The sync that waited goes on by itself.
    isbet.sees("● in step", "· matches", "History")
    folder = folder_of(stack, isbet)
    assert (folder / "mods/deep-holds/waybill.toml").exists()
    assert not (folder / "textures/green-water").exists() and not (folder / "mods/green-water").exists()


def test_steps_are_seen_and_ticked(people: People, stack: dict[str, str]) -> None:
    isbet = people("isbet at night")
    isbet.sees("2 of 2 to do", "Done when barge.toml is there; that is checked.")
    (folder_of(stack, isbet) / "barge.toml").write_text("name = 'Heron'\n")
    isbet.press("Verify every file")
    isbet.sees("Every file is as release 1.4.0 has it.", "Seen: barge.toml is there.", "1 of 2 to do")
    step = "Switch off the game's own copying"
    isbet.driver.find_element("css selector", f'input[aria-label^="{step}"]').click()
    isbet.sees("Ticked by you.", "all done")
    assert isbet.complaints() == []


def test_an_update_keeps_my_setting_and_my_choice(people: People, stack: dict[str, str], kept: dict[str, str]) -> None:
    maren, isbet = people("maren"), people("isbet at night")
    mine = folder_of(stack, isbet) / "mods/night-lanterns/settings.toml"
    assert "strength = 8" in mine.read_text()  # as the pack starts it
    mine.write_text(mine.read_text().replace("strength = 8", "strength = 2  # my eyes"))
    maren.go(kept["pack"] + "/settings?mod=night-lanterns&words=how+bright")
    maren.sees("1 of", "How bright the lanterns are.")
    maren.fill("strength", "9\n")
    maren.sees("the pack sets strength")
    maren.go(kept["pack"] + "/publish")
    maren.sees("Settings and steps (1)", "8 (starting value) → 9 (starting value)")
    maren.press("Publish release 1.5.0")
    maren.sees("Release 1.5.0 is published and signed.")
    isbet.sees("behind by 1", "From 1.4.0 to 1.5.0")
    isbet.press("Sync to 1.5.0")
    isbet.sees("● in step", "strength stays 2 (the pack says 9)")
    assert "strength = 2  # my eyes" in mine.read_text()
    folder = folder_of(stack, isbet)
    assert not (folder / "mods/fog-over-fen").exists() and (folder / "mods/second-keel").exists()


def test_and_a_way_back(people: People, stack: dict[str, str], kept: dict[str, str]) -> None:
    isbet = people("isbet at night")
    world = folder_of(stack, isbet) / "worlds/evening/map.dat"
    world.parent.mkdir(parents=True)
    world.write_text("tonight")
    isbet.press("Back up now")
    isbet.sees("1 backup", "Asked for")
    isbet.click("input[aria-label='Stay at 1.4.0']")
    isbet.press("Go back to 1.4.0")
    isbet.sees("You chose to stay at 1.4.0.", "Chose to stay at 1.4.0. Follow the pack again")
    assert (folder_of(stack, isbet) / "mods/fog-over-fen").exists()
    world.write_text("spoilt")
    isbet.press("Go back to it")
    isbet.press("Restore it")
    isbet.sees("Worlds and settings are back.", "Before going back to the backup of")
    assert world.read_text() == "tonight"
    isbet.click("input[aria-label^='The newest']")
    isbet.press("Sync to 1.5.0")
    isbet.sees("● in step")
    assert isbet.complaints() == []


def test_the_curator_sees_whom_to_help_and_with_what(people: People, kept: dict[str, str], tmp_path: Path) -> None:
    maren = people("maren")
    maren.go(kept["pack"] + "/crew")
    maren.sees("Roll call", "▬ cannot run", "○ not heard from", "◐ behind by 5", "Isbet Quill")
    maren.press("Set a departure")
    maren.driver.execute_script(
        "const when = document.querySelector('input[type=datetime-local]');"
        "Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(when, '2031-05-01T20:00');"
        "when.dispatchEvent(new Event('input', { bubbles: true }));"
    )
    maren.fill("Note", "Through the long tunnel.")
    maren.press("Set it")
    maren.sees("Thursday 1 May, 20:00", "Through the long tunnel.", "0 of 1 ready")
    for name in ("Isbet Quill", "Odwin Pell"):
        maren.driver.find_element("css selector", f"input[aria-label='Compare {name}']").click()
    maren.sees("Different releases", "From 1.0.0 to 1.5.0", "changes")
    assert maren.complaints() == []


def test_a_folder_without_the_agent_gets_a_row_too(
    people: People, stack: dict[str, str], kept: dict[str, str], tmp_path: Path
) -> None:
    isbet = people("isbet at night")
    isbet.go(kept["page"].replace(isbet.address, ""))
    isbet.sees("● in step")
    folder = folder_of(stack, isbet)
    isbet.go(kept["pack"] + "/crew")
    isbet.sees("Without the agent: compare a folder by its listing")
    isbet.click("details summary")
    # As on a page that is not secure, where the browser has no hashing of its own.
    isbet.driver.execute_script("Object.defineProperty(crypto, 'subtle', { value: undefined })")
    isbet.driver.find_element("css selector", "input[aria-label='Folder to compare']").send_keys(str(folder))
    isbet.sees("Compared with release 1.5.0", "Isbet Quill (by listing)", ", as released.")
    isbet.press("Take my listing out again")
    isbet.sees_no_more("Isbet Quill (by listing)")


def test_a_small_machine_is_told_what_to_leave_out_and_then_it_runs(people: People) -> None:
    corvin = people("corvin")
    corvin.sign_in("corvin")
    corvin.click("a[href*='/installations/']")
    corvin.sees("▬ cannot run", "Leave out Green Water and Old Brick: then memory will do.", "512 MB of memory")
    corvin.press("Leave these out")
    corvin.sees_no_more("cannot run")
    names = ("Green Water", "Old Brick", "Rain on Tin")
    corvin.until("those two left out", lambda: [corvin.find(name).is_selected() for name in names] == [0, 0, 1])
    corvin.sees("Give the game 4096 MB")
    assert corvin.complaints() == []


def test_a_withdrawn_release_is_told_to_those_who_have_it(people: People, kept: dict[str, str]) -> None:
    maren, isbet = people("maren"), people("isbet at night")
    maren.go(kept["pack"] + "/publish")
    maren.press("Withdraw release 1.5.0")
    maren.fill("Why, for everybody to read", "It eats worlds.")
    maren.press("Withdraw 1.5.0")
    maren.sees("withdrawn: It eats worlds.")
    isbet.go(kept["page"].replace(isbet.address, ""))
    isbet.sees("Release 1.5.0 was withdrawn: It eats worlds.", "the pack is at 1.4.0.", "Go back to 1.4.0")
    isbet.click("input[aria-label='Stay at 1.0.0']")
    isbet.sees("Go back to 1.0.0", "This touches saved worlds.", "What it added to worlds is lost there.")
    # What the evening needs is followed with one press.
    isbet.press("Follow the newest again")
    isbet.sees("Go back to 1.4.0")
    assert isbet.complaints() == []
    maren.go(kept["pack"] + "/crew")
    maren.sees("Release 1.5.0 was withdrawn: It eats worlds.", "Sync to release 1.4.0.")
    assert maren.complaints() == []
