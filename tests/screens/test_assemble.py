"""Assemble, as somebody who keeps large packs does it: from nothing to forty lines, by mouse and by keyboard alone."""

from __future__ import annotations

import zipfile
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from .browser import Browser
from .test_walk import People, agent, sign_up

FORTY = (
    "brass-fenders butty-line bow-hauler cabin-stove counter-stern diesel-hum fly-boat horse-and-line "
    "long-tiller narrow-dozen plank-walk pole-and-shaft tug-service bale-and-barrel clay-run coal-by-the-ton "
    "crane-hands grain-dust letters-aboard loading-plan milk-churns sealed-orders timber-rafts swing-bridges "
    "mist-bells rain-on-tin seasons-turn cat-on-the-roof moth-season quiet-hours watch-keeping boat-horse-inn "
    "lock-cottages painted-signs big-dials chart-pencil "
).replace(" ", "\n")
"""What somebody pastes: 36 mods, which bring in four."""


def start_pack(browser: Browser, name: str) -> None:
    browser.press("Start a pack")
    browser.fill("Name", name)
    browser.fill("Name of the crew", f"{name}'s crew")
    browser.choose("Game", "Tillerway")
    browser.press("Start the pack")
    browser.sees("The pack is empty")


def marked(browser: Browser) -> str:
    return browser.driver.find_element("css selector", "[aria-label='Marked lines']").text


def test_from_nothing_to_forty_lines_by_mouse(people: People) -> None:
    edda = people("edda")
    sign_up(edda, "edda")
    start_pack(edda, "Slow Water")
    edda.press("Bring in")
    edda.press("A list of links or names")
    edda.fill("Links or names, one a line", f"{FORTY}sluice-books\nno such thing at all")
    edda.press("Look them up")
    edda.sees("36 to come in, 2 refused", "made for Capstan, not Bosun", "No source has a mod of this name")
    assert edda.complaints() == []
    edda.press("Add these 36")
    edda.sees("36 chosen + 4 brought in = 40", "Chosen (36)")
    edda.press("Put away the paste tray")

    edda.press("no errands")
    edda.sees("0 of 40")
    edda.fill("Search these lines", "texture")
    edda.sees("1 of 40")
    edda.press("Mark Painted Signs")
    edda.press("Optional", within="Marked lines")
    edda.sees("Painted Signs made optional")
    edda.press("Unmark")
    edda.fill("Search these lines", "")

    edda.click("[data-line=bale-and-barrel]")
    edda.sees("Why it is in", "Clay Run")
    edda.press("Remove", within="Inspector")
    edda.sees("would stay in the pack", "Remove those 3 as well")
    assert edda.complaints() == []
    edda.press("Remove those 3 as well")
    edda.sees("32 chosen + 4 brought in = 36")
    edda.press("Undo")
    edda.sees("taken back", "36 chosen + 4 brought in = 40")
    edda.press("Redo")
    edda.sees("done again", "32 chosen + 4 brought in = 36")

    edda.press("Change base")
    edda.sees("32 of 32", "Counterpart")
    edda.press("Look at 1.9 Bosun")
    edda.sees("0 of 32 chosen lines still fit")
    edda.press("Keep it as it is")
    edda.press("Newer builds")
    edda.sees("Every line has the newest build that fits.")
    edda.press("Leave it as it is")
    assert edda.complaints() == []

    edda.go("/packs/new")
    edda.fill("Name", "Slow Water, Other Bank")
    edda.choose("Game", "Tillerway")
    edda.press("Another pack")
    edda.choose("Which pack", "Slow Water, as its draft is now")
    assert edda.complaints() == []
    edda.press("Start the pack")
    edda.sees("32 chosen + 4 brought in = 36", "32 lines taken over from Slow Water")


def test_a_folder_filled_by_hand_and_files_from_elsewhere(
    people: People, stack: dict[str, str], tmp_path: Path
) -> None:
    runa, folder = people("runa"), Path(stack["CONVOY_DATA"]) / "old-folder"
    sign_up(runa, "runa")
    start_pack(runa, "Two Winters")
    runa.press("Bring in")
    runa.press("A folder that is already filled")
    runa.sees("Choose the game's folder here")
    runa.driver.find_element("css selector", "[role=dialog] input[webkitdirectory]").send_keys(str(folder))
    runa.sees("Recognised: 9", "Twice: 1", "mods/Fog Bell", "made for Capstan, not Bosun", "1 file altered")
    assert runa.complaints() == []
    runa.press("Take over 6 mods")
    runa.sees("6 mods taken over from a folder", "6 chosen + 3 brought in = 9")
    runa.click("[data-line=butty-line]")
    runa.sees("Update to 2.1.0")

    archive = Path(stack["CONVOY_DATA"]) / "Fog Bell.zip"
    with zipfile.ZipFile(archive, "w") as packed:
        for file in sorted((folder / "mods/Fog Bell").rglob("*")):
            packed.write(file, file.relative_to(folder / "mods"))
    known = next((Path(stack["CONVOY_DATA"]) / "sources").glob("*/files/mist-bells-*.zip"))
    runa.driver.find_element("css selector", "[data-give-files]").send_keys(f"{known}\n{archive}")
    runa.sees("It is Mist Bells", "The game wants the folder “Fog Bell”")
    assert runa.complaints() == []
    runa.fill("Licence, as its author names it", "MIT")
    runa.sees("members get it with the pack")
    runa.press("Make it our own, and add it")
    runa.sees("own builds now", "Fog Bell added")
    runa.press("Add 1 mod")
    runa.sees("8 chosen + 4 brought in = 12")
    runa.click("[data-line^='fog-bell']")
    runa.press("All about it")
    runa.sees("Licence and pickup", "The crew hands it out itself.", "In my packs", "Two Winters")
    assert runa.complaints() == []

    at = runa.driver.current_url.replace(runa.address, "").split("/mods")[0]
    runa.go(f"{at}/publish")
    runa.press("Publish release 1.0.0")
    runa.sees("Release 1.0.0 is published and signed.")
    runa.press("Make a join code")
    runa.sees("any number of uses")
    runa.go("/join/" + runa.join_code())
    runa.fill("Name of this installation", "Runa")
    runa.press("Install this pack")
    runa.press("Show the pairing command")
    runa.sees("Make the folder and pair it: once, until")
    command = next(one.text for one in runa.driver.find_elements("css selector", "code") if "convoy join" in one.text)
    assert agent(tmp_path, command).returncode == 0
    done = agent(tmp_path, "convoy sync --folder runa")
    assert done.returncode == 0, done.stderr
    (bell,) = (tmp_path / "runa/mods").glob("fog-bell*/data/bell.dat")
    assert bell.read_bytes() == (folder / "mods/Fog Bell/data/bell.dat").read_bytes()


def tab_to(browser: Browser, text: str) -> None:
    for _ in range(80):
        browser.keys(Keys.TAB)
        active = browser.driver.switch_to.active_element
        if (active.get_attribute("aria-label") or active.text).startswith(text):
            return
    raise AssertionError(f"no way by Tab to “{text}”")


def test_the_same_by_keyboard_alone(people: People) -> None:
    jorun = people("jorun")
    sign_up(jorun, "jorun")
    start_pack(jorun, "By Hand Alone")
    jorun.keys("p")
    jorun.sees("Paste tray")
    jorun.keys(*FORTY)
    tab_to(jorun, "Look them up")
    jorun.keys(Keys.ENTER)
    jorun.sees("36 to come in")
    tab_to(jorun, "Add these 36")
    jorun.keys(Keys.ENTER)
    jorun.sees("36 chosen + 4 brought in = 40")
    tab_to(jorun, "Lines of the draft")
    jorun.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, "x")
    jorun.holding(Keys.SHIFT, Keys.ARROW_DOWN)
    jorun.until("two lines to be marked", lambda: "2 lines marked" in marked(jorun))
    jorun.keys("o")
    jorun.sees("made optional")
    jorun.keys(Keys.DELETE)
    jorun.until("lines to leave", lambda: "36 chosen" not in jorun.text() or "Do it" in jorun.text())
    if "Do it" in jorun.text():
        jorun.keys(Keys.ENTER)
    jorun.sees_no_more("36 chosen")
    jorun.holding(Keys.CONTROL, "z")
    jorun.sees("taken back", "36 chosen + 4 brought in = 40")
    jorun.keys("b")
    jorun.sees("Change the base of By Hand Alone")
    jorun.keys(Keys.ESCAPE)
    jorun.keys("?")
    jorun.sees("undo your last edit")
