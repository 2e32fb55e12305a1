"""The place of settings, as a curator uses it: found by what it says, set, typed as text, grouped, undone."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from .browser import Browser
from .test_access import pack_of

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
    maren.choose("How", "enforced: it must match, and the roll call counts it")
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
    maren.press("Choose storms.moored")
    maren.choose("Into", "Gentle weather")
    maren.sees("the pack sets storms.allowed and storms.moored", "2 settings")
    maren.press("The set Gentle weather")
    maren.sees("switched off", "set off")
    assert maren.complaints() == []
    maren.press("Drop the set Gentle weather")
    maren.sees("the set “Gentle weather” dropped")
