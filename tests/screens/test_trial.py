"""What a curator's trial found, tried again: tray, marks, places, what stays, a phone, promoting, handing over."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from .browser import Browser
from .test_access import crew_address, of_the_demo
from .test_assemble import marked
from .test_walk import People, sign_up

LIST = "Name;Version;Link\nLock Ledger;3.3.0;\nHeron Almanac;;\nMarket Bells;;\nMoon Tables;;\nno such thing;;"


def row(mod: str, within: str = "") -> str:
    return f"[data-line={mod}] {within}".strip()


def shift_click(browser: Browser, css: str) -> None:
    script = (
        "document.querySelector(arguments[0]).dispatchEvent(new MouseEvent('click', {bubbles: true, shiftKey: true}))"
    )
    browser.driver.execute_script(script, css)


def order(browser: Browser) -> list[str]:
    rows = browser.driver.find_elements(By.CSS_SELECTOR, "[data-line]")
    return [str(one.get_attribute("data-line")) for one in rows]


def test_a_crew_by_itself_and_a_tray_that_keeps_what_was_refused(people: People) -> None:
    juna = people("juna")
    sign_up(juna, "juna")
    juna.press("Start a crew")
    juna.fill("Name of the crew", "Reed Bank")
    juna.press("Start it")
    juna.sees("Reed Bank", "1 person")
    juna.go("/packs/new")
    juna.fill("Name", "Low Bridges")
    juna.choose("Game", "Tillerway")
    juna.press("Start the pack")
    juna.sees("The pack is empty")
    juna.press("Bring in")
    juna.press("A list of links or names")
    juna.until("the tray to have the focus", lambda: juna.driver.switch_to.active_element.tag_name == "textarea")
    juna.fill("Links or names, one a line", LIST)
    juna.press("Look them up")
    juna.sees("4 to come in, 1 refused", "The list says 3.3.0; 3.4.1 is what would come")
    juna.press("Take the versions that the list names (1)")
    juna.press("Add these 4")
    juna.sees("taken over from a list", "3.3.0", "1 refused")
    left = juna.driver.find_element(By.CSS_SELECTOR, "textarea").get_attribute("value")
    assert left == "no such thing;;"
    juna.press("Put away the paste tray")


def test_marks_places_and_what_stays_although_it_is_off(people: People) -> None:
    juna = people("juna")
    first = order(juna)[:4]
    juna.click(row(first[0], "input"))
    juna.click(row(first[3]))  # another line in hand: the stretch begins at the last mark all the same
    juna.sees("Builds")
    shift_click(juna, row(first[2], "input"))
    juna.until("three marks", lambda: "3 lines marked" in marked(juna))
    juna.fill("Search these lines", "bells")  # searching goes on while lines are marked
    juna.sees("1 of")
    juna.fill("Search these lines", "")
    juna.press("Unmark")
    juna.press("Put away the mod in hand")
    grid = juna.driver.find_element(By.ID, "manifest")
    grid.send_keys(Keys.HOME)
    juna.until("a row in hand", lambda: grid.get_attribute("aria-activedescendant"))
    named = juna.driver.find_element(By.ID, str(grid.get_attribute("aria-activedescendant"))).get_attribute(
        "aria-label"
    )
    assert grid.get_attribute("role") == "grid" and str(named).endswith(", has a build")

    juna.click(row("moon-tables"))
    juna.fill("Place in the order", "1")
    juna.press("Move there")
    juna.until("Moon Tables first", lambda: order(juna)[0] == "moon-tables")
    juna.click(row("signal-flags"))
    juna.press("Choose it myself")
    juna.sees("Signal Flags added")
    juna.press("Switch off", within="Inspector")
    juna.sees("would stay in the pack: Market Bells needs it", "Switch off Market Bells as well")
    juna.press("Do it")
    juna.sees("It is off, and stays because others need it")
    juna.press("Switch on", within="Inspector")
    juna.sees("Signal Flags switched on")
    juna.press("Put away the mod in hand")


def test_on_a_phone_a_tapped_line_opens_over_the_list(people: People) -> None:
    juna = people("juna")
    juna.becomes(390, 844)
    juna.click(row("heron-almanac"))
    sheet = juna.until("the sheet", lambda: juna.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"))[0]  # type: ignore[index]
    juna.until("it to be in view", lambda: 0 < sheet.rect["y"] < 844)
    juna.press("Put away the mod in hand")
    juna.becomes(1280, 800)


def test_a_trial_release_is_promoted(people: People) -> None:
    juna = people("juna")
    juna.go(juna.driver.current_url.replace(juna.address, "").split("/assemble")[0] + "/publish")
    juna.press("For trial: only those who chose trial releases get it")
    juna.press("Publish release 1.0.0")
    juna.sees("Release 1.0.0 is published and signed.", "Release 1.0.0 holds exactly this draft.")
    juna.press("See it against the last stable release")
    juna.sees("Trial release 1.0.0 holds exactly this.")
    juna.press("Promote 1.0.0 to stable")
    juna.press("Promote 1.0.0")
    juna.sees("1.1.0", "Release 1.1.0 holds exactly this draft.")
    assert juna.complaints() == []


def test_a_crew_is_handed_over_by_name_and_not_by_a_slip(people: People) -> None:
    maren = of_the_demo(people)
    maren.becomes(1280, 800)
    maren.go(crew_address(maren))
    maren.sees("may do everything")
    maren.choose("Role of Tolliver", "owner")
    maren.sees("Hand Kestrel Wharf over to Tolliver", "Maren Holt owns it now, and becomes a curator.")
    maren.press("Leave it as it is")
    maren.sees_no_more("Hand Kestrel Wharf over")
    assert "owner" in maren.text()
