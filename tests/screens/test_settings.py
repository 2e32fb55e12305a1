"""The place of settings, as a curator uses it: found by what it says, set, typed as text, grouped, undone."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from .browser import Browser
from .test_access import pack_of
from .test_evening import folder_of

People = Callable[..., Browser]


def test_a_setting_is_found_by_what_it_does_and_set_where_it_stands(people: People) -> None:
    maren = people("maren")
    maren.sign_in("maren")
    at = pack_of(maren, "Night Freight") + "/settings"
    maren.go(at)
    maren.sees("settings in", "Heron Almanac")
    maren.fill("Find a setting", "morning foggy")
    maren.sees("1 of", "How often a morning is foggy.")
    maren.click("button[aria-pressed]")
    maren.sees("number · 0 to 1 · default 0.35", "From the comments in the file.", "Last release")
    # What is wrong is said while it is typed, and never sent.
    maren.fill("fog.chance", "3")
    maren.sees("At most 1.")
    maren.keys(Keys.ESCAPE)
    maren.fill("fog.chance", "0.6\n")
    maren.sees("the pack sets fog.chance", "starting value")
    enforce(maren)
    maren.sees("Set by Maren Holt")
    assert maren.complaints() == []


def test_a_file_as_text_is_taken_over_key_by_key_and_what_does_not_travel_is_told(people: People) -> None:
    maren = people("maren")
    maren.press("The whole file as text")
    maren.sees("chance = 0.6", "As the next release would have it.")
    maren.driver.find_element("css selector", ".cm-content").click()
    maren.keys(Keys.CONTROL + Keys.END)
    maren.keys("# ours\n")
    maren.sees("No value is another one.", "Comments, order and blanks do not travel")
    maren.press("Back to the setting")
    maren.press("Undo")
    maren.press("Undo")
    maren.sees("taken back")
    assert maren.complaints() == []


def test_many_are_put_into_a_set_that_goes_on_and_off_as_one(people: People) -> None:
    maren = people("maren")
    maren.go(pack_of(maren, "Night Freight") + "/settings?words=storms")
    maren.fill("A new set", "Gentle weather\n")
    maren.sees("the set “Gentle weather” made")
    maren.press("Choose storms.allowed")
    # What is chosen stays so through another search.
    maren.fill("Find a setting", "storms moored")
    maren.sees("1 of", "1 of them not shown")
    maren.press("Choose all found")
    maren.sees("2 settings chosen")
    maren.choose("Into", "Gentle weather")
    maren.sees("the pack sets storms.allowed and storms.moored", "2 settings")
    maren.press("The set Gentle weather")
    maren.sees("switched off", "in a set")
    assert maren.complaints() == []
    maren.press("Drop the set Gentle weather")
    maren.sees("the set “Gentle weather” dropped")


# --- From finding to what the next update does


def test_what_is_found_and_tuned_is_handed_out_and_a_members_own_stays(people: People, stack: dict[str, str]) -> None:
    maren = people("maren")
    at, mine = pack_of(maren, "Night Freight"), my_installation(maren)
    maren.go(f"{at}/settings")
    maren.fill("Find a setting", "others see it")
    maren.sees("1 of", "How far others see it.")
    maren.fill("stern.visible_from", "120\n")
    maren.sees("the pack sets stern.visible_from")
    maren.click("button[aria-pressed]")
    enforce(maren)
    maren.sees("Set by Maren Holt")
    # What she tuned in the game becomes the pack's by ticking; a file that only her game wrote is known, too.
    maren.go(f"{at}/settings?words=frames")
    maren.sees("Written by the game itself", "Pictures a second at most.")
    maren.fill("frames", "90\n")
    maren.sees("the pack sets frames")
    maren.press("Take fog.chance")
    maren.press("Take 1 setting over")
    maren.sees("the pack sets fog.chance", "the pack sets it so already")
    maren.go(f"{at}/publish")
    maren.sees("visible_from", "120 (enforced)", "0.2 (starting value)", "config/tillerway/display.toml: frames")
    number = re.search(r"Publish release ([\d.]+)", maren.text())[1]  # type: ignore[index]
    maren.press(f"Publish release {number}")
    maren.sees(f"Release {number} is published and signed.")
    # On her machine: days of her own stay, the enforced key comes with notice, the game's own file gets its key.
    maren.go(mine)
    lanterns = folder_of(stack, maren) / "mods/night-lanterns/settings.toml"
    lanterns.write_text(lanterns.read_text().replace("visible_from = 80", "visible_from = 60 # my eyes"))
    maren.sees("will be 120", "storms.at_least_days_apart", "mine: 10, placed as 6")
    maren.press("Keep mine: frames")
    maren.sees("kept as it is here, whatever a release brings")
    maren.press("Follow the pack again: frames")
    maren.press(f"Sync to {number}")
    maren.sees("● in step", "stern.visible_from", "set to 120, was 60")
    assert "visible_from = 120 # my eyes" in lanterns.read_text()
    almanac = (folder_of(stack, maren) / "mods/heron-almanac/settings.toml").read_text()
    assert "at_least_days_apart = 10" in almanac and "chance = 0.2" in almanac
    written = folder_of(stack, maren) / "config/tillerway/display.toml"
    assert "frames = 90\n" in written.read_text() and "growth = 45\n" in written.read_text()
    assert maren.complaints() == []


def test_one_setting_is_set_back_and_a_set_chosen_with_one_press_each(people: People, stack: dict[str, str]) -> None:
    maren = people("maren")
    maren.go(my_installation(maren))
    folder: Path = folder_of(stack, maren)
    maren.press("Take the pack’s value of storms.at_least_days_apart")
    maren.until("it to be set back", lambda: "apart = 6" in (folder / "mods/heron-almanac/settings.toml").read_text())
    maren.sees_no_more("mine: 10, placed as 6")
    maren.press("Low lights")
    maren.sees("will be #8f2f28")
    maren.press("Apply my choices")
    maren.until("the colours", lambda: "#c98a3c" in (folder / "mods/night-lanterns/settings.toml").read_text())
    maren.sees("● in step")
    assert maren.complaints() == []


def test_an_update_that_renames_a_key_is_told_before_it_is_taken(people: People) -> None:
    maren = people("maren")
    maren.go(pack_of(maren, "Night Freight") + "/assemble?updates")
    maren.sees("Night Lanterns", "stern.visible_from → stern.reach", "renamed, likely", "set it under its new name")
    assert maren.complaints() == []


def enforce(browser: Browser) -> None:
    """The setting in hand; waits until the table says so, as what is kept no sooner may be lost by going on."""
    browser.choose("How", "enforced: it must match, and the roll call counts it")
    browser.until("it to be enforced", lambda: browser.driver.find_elements("xpath", "//div[text()='enforced']"))


def my_installation(browser: Browser) -> str:
    """The page of one's own installation of Night Freight, to play on."""
    script = (
        "return fetch('/api/installations').then(r => r.json())"
        ".then(all => all.find(x => x.pack === 'Night Freight' && x.side === 'player').id)"
    )
    return f"/installations/{browser.driver.execute_script(script)}"
