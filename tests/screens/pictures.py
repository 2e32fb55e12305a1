"""Takes the pictures of docs/screenshots from the demo's data. `./run pictures` starts it on a fresh stack."""

from __future__ import annotations

import os
import time
from pathlib import Path

from .browser import Browser
from .test_access import pack_of
from .test_settings import my_installation
from .test_together import installation_of

TARGET = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
SETTLE_SECONDS = 0.8
"""For fonts and the last small movement of a dialog."""


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    desk, phone = (1280, 800), (390, 844)
    maren, isbet, odwin, stranger, tolliver, sunniva = (
        Browser(os.environ["CONVOY_ADDRESS"], *size) for size in (desk, phone, desk, desk, desk, desk)
    )
    night = Browser(os.environ["CONVOY_ADDRESS"], 1280, 800, dark=True)
    try:
        of_the_curator(maren)
        of_what_is_sealed(sunniva)
        tolliver.sign_in("tolliver")
        of_the_bench(tolliver)
        of_the_keeper(stranger, maren)
        maren.go(f"{pack_of(maren, 'Night Freight')}/publish")
        of_the_members(maren, isbet, odwin)
        at_night(night)
    finally:
        for browser in (maren, isbet, odwin, stranger, tolliver, sunniva, night):
            browser.close()


def take(browser: Browser, name: str) -> None:
    time.sleep(SETTLE_SECONDS)
    browser.picture(TARGET / f"{name}.png")
    print(f"  {name}")


def of_the_bench(tolliver: Browser) -> None:
    tolliver.go(f"{pack_of(tolliver, 'Ghost Watch')}/check/bench")
    tolliver.press("Crashed before the main screen", within="The draft: Crashed before the main screen")
    tolliver.sees("Ghost Barge and Moon Tables fail together", "What it said")
    take(tolliver, "trial")
    tolliver.press("How it was narrowed down")
    tolliver.sees("It takes 2 together", "13 tries")
    take(tolliver, "narrowing")
    tolliver.go(f"{pack_of(tolliver, 'Ghost Watch')}/crew")
    tolliver.press("Ghost Barge and Moon Tables fail together; each of them alone does not.")
    tolliver.sees("Odwin Pell calls for help", "What was gathered", "14 of 14 entries")
    take(tolliver, "call")
    tolliver.press("Beside the last good one")
    tolliver.sees("What the last good one said", "10 of 10 entries")
    scroll_to(tolliver, "//h2[text()='What it said']")
    take(tolliver, "log")


def of_the_curator(maren: Browser) -> None:
    maren.sign_in("maren")
    maren.sees("Night Freight", "in step")
    take(maren, "start")
    pack = pack_of(maren, "Night Freight")
    maren.go(f"{pack}/assemble?mod=night-lanterns")
    maren.sees("Night Lanterns", "Builds", "Chosen")
    maren.press("Fits 2.1, Bosun")
    maren.fill("Find a mod", "sluice")
    maren.sees("Old Sluice", "does not fit")
    take(maren, "assemble")
    of_settings(maren, pack)
    maren.go(f"{pack}/publish")
    maren.sees("Changes since release", "any number of uses")
    maren.press("See it, and change it")
    maren.sees("Write it anew", "What you do:")
    scroll_to(maren, "//h1[contains(., 'Changes since release')]")
    take(maren, "publish")
    maren.go(f"{pack}/hand-out")
    maren.sees("mods inside", "Call an address")
    maren.press("Make the file")
    maren.sees("Files are kept for a day", "Forget")
    take(maren, "hand-out")
    maren.go(f"{pack}/crew")
    maren.sees("Roll call", "2.9.0 in place of")
    opener = "//button[@aria-expanded='false'][contains(., '2.9.0 in place of')]"
    maren.driver.find_element("xpath", opener).click()
    maren.sees("A message, to copy")
    scroll_to(maren, "//h1[text()='Roll call']")
    take(maren, "crew")
    of_check(maren)


def of_settings(maren: Browser, pack: str) -> None:
    maren.go(f"{pack}/settings?mod=heron-almanac")
    maren.sees("How often a morning is foggy.", "Take over from a machine", "storms.moored")
    maren.press("Take fog.chance")
    take(maren, "settings")
    maren.go(my_installation(maren))
    maren.sees("the server has break loose", "Low lights")
    scroll_to(maren, "//h2[text()='Settings']")
    take(maren, "own-settings")


def of_check(maren: Browser) -> None:
    spring = pack_of(maren, "Night Freight, spring")
    maren.go(f"{spring}/check")
    maren.press("Open: Sluice Books is for another loader.")
    maren.sees("Lock Ledger 3.4.1 comes in")
    take(maren, "check")


def of_what_is_sealed(sunniva: Browser) -> None:
    sunniva.sign_in("sunniva")
    sunniva.go(installation_of(sunniva, "Slow Water"))
    sunniva.sees("sealed until")
    take(sunniva, "sealed")


def scroll_to(browser: Browser, path: str) -> None:
    """Brings a heading to the top, a little below the bar."""
    found = browser.driver.find_element("xpath", path)
    browser.driver.execute_script("arguments[0].scrollIntoView(); window.scrollBy(0, -84)", found)


def of_the_members(maren: Browser, isbet: Browser, odwin: Browser) -> None:
    maren.sees("any number of uses")
    code = maren.join_code()
    isbet.sign_in("isbet")
    isbet.go(f"/join/{code}")
    isbet.sees("Kestrel Wharf", "Machine")
    isbet.press("Join Kestrel Wharf and install")
    isbet.sees("Release 1.4.0", "My choices")
    take(isbet, "installation-phone")
    odwin.sign_in("odwin")
    of_the_evening(odwin)
    odwin.go("/news")
    odwin.sees("Waits for you", "is out.")
    take(odwin, "news")


def of_the_evening(odwin: Browser) -> None:
    odwin.go(installation_of(odwin, "Ghost Watch"))
    odwin.sees("Help", "you, ")
    take(odwin, "evening")


def of_the_keeper(stranger: Browser, maren: Browser) -> None:
    stranger.go("/")
    stranger.sees("Everyone in step")
    take(stranger, "front")
    maren.go("/site?part=people")
    maren.sees("Tolliver Reyes")
    take(maren, "keeper")


def at_night(night: Browser) -> None:
    night.sign_in("tolliver")
    night.sees("differs")
    night.click("a[href*='/installations/']")
    night.sees("Put it right")
    take(night, "installation-dark")


if __name__ == "__main__":
    main()
