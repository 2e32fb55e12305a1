"""A curator with a draft full of faults: mends what is safe, decides the rest, lays one down, until nothing is left."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.by import By

from .browser import Browser
from .test_access import of_the_demo, pack_of

People = Callable[..., Browser]
GROUPS = "//section[@aria-label='Stands in the way' or @aria-label='To decide']//article"


def left(browser: Browser) -> list[str]:
    """What stands in the way or is to be decided."""
    return [str(one.get_attribute("aria-label")) for one in browser.driver.find_elements(By.XPATH, GROUPS)]


def mend(browser: Browser, finding: str, way: str) -> None:
    browser.press(f"Open: {finding}")
    browser.until("each way to be tried", lambda: "trying it" not in browser.text())
    browser.press(way, within=finding)
    browser.until(f"“{finding}” to be gone", lambda: finding not in left(browser))


def test_from_a_draft_full_of_faults_to_none(people: People) -> None:
    maren = of_the_demo(people)
    at = f"{pack_of(maren, 'Night Freight, spring')}/check"
    maren.go(at)
    maren.sees("Stands in the way", "Sluice Books is for another loader.")
    maren.press("Mend all that is safe")
    maren.sees("can be mended without changing anything else", "Take Lock Ledger in its place.", "Add Toll Board.")
    before = len(left(maren))
    maren.driver.find_element(By.XPATH, "//button[starts-with(., 'Do these')]").click()
    maren.until("fewer findings", lambda: 0 < len(left(maren)) < before)
    maren.sees_no_more("Sluice Books is for another loader.")
    mend(maren, "Bronze Bell is made for another version.", "It works on 2.1.0: keep that as a verdict")
    mend(maren, "Guild Economy and Market Makers each rebuild economy.", "Remove Market Makers")
    mend(
        maren,
        "Fen Charts lies over Old Salt's Kit: 1 file replaced.",
        "Leave the part “Charts of the fen” of Old Salt's Kit out",
    )
    for finding in [one for one in left(maren) if one.startswith("The pack sets")]:
        mend(maren, finding, "Take the setting away")
    # What is left are two that a person knows of: each is laid down with a reason.
    while rest := left(maren):
        maren.press(f"Open: {rest[0]}")
        maren.fill("Known, because", "we played it so all winter")
        maren.press("Lay it down", within=rest[0])
        maren.until(f"“{rest[0]}” to be laid down", lambda rest=rest: rest[0] not in left(maren))
    maren.sees("Laid down", "Known, because we played it so all winter")
    maren.until("nothing to look at", lambda: "to look at" not in maren.text())
    assert maren.complaints() == []
    maren.go(at.replace("/check", "/publish"))
    maren.sees("Publish release")
    assert "in the way" not in maren.text()


def test_two_side_by_side_and_one_is_chosen(people: People) -> None:
    maren = of_the_demo(people)
    at = f"{pack_of(maren, 'Hollow Line')}/check"
    maren.go(f"{at}/overlap")
    maren.sees("laid down from left to right")
    maren.driver.find_element(By.CSS_SELECTOR, "[aria-label='Pairs'] a").click()
    maren.sees("is laid down first", "the whole file")
    maren.driver.find_element(By.XPATH, "//button[contains(., ' instead')]").click()
    maren.sees("decided", "Let the order decide")
    assert maren.complaints() == []


def test_own_texts_are_written_and_lists_say_what_they_catch(people: People) -> None:
    maren = of_the_demo(people)
    at = f"{pack_of(maren, 'Hollow Line')}/check"
    maren.go(f"{at}/set-aside")
    maren.sees("340 files", "set aside by 340 lines")
    maren.fill("What is set aside", "overlay/yard/wagon-00*.part\nnot/there/**\nconsists/**/consist.ini")
    maren.sees("9 files", "1 catch nothing", "The game would not see")
    maren.fill("What is set aside", "overlay/yard/**")
    maren.sees("420 files")
    maren.press("Keep this list")
    maren.sees("1 line of files set aside")
    maren.go(f"{at}/own-files")
    maren.press("Write a text")
    maren.fill("Path below the game's folder", "overlay/wharf.txt")
    maren.until("the editor", lambda: maren.driver.find_elements(By.CSS_SELECTOR, ".cm-content"))
    maren.driver.find_element(By.CSS_SELECTOR, ".cm-content").send_keys("Slate down, coal up.")
    maren.press("Lay it down")
    maren.sees("overlay/wharf.txt", "20 B")
    assert maren.complaints() == []
