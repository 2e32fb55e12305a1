"""The manifest of a large pack in a browser: until it is drawn, while one types into its search, and moving many
lines.
"""

from __future__ import annotations

import os
import statistics
import time

from selenium.webdriver.common.keys import Keys

from tests.screens.browser import Browser

from .editing import started
from .site_pages import load_mods

Row = tuple[str, str, str]

LINES, MOVED, LOADS, MOVES = 1_000, 200, 9, 9
LETTERS_A_SECOND = 12
"""As somebody types who types fast."""

TYPED = ("bulk-36", "lantern", "3141", "weir barge")

PAINTED = """
new MutationObserver((_, watching) => {
  if (!document.querySelector('#manifest [data-line]')) return;
  watching.disconnect();
  requestAnimationFrame(() => { window.painted = performance.now(); });
}).observe(document, {childList: true, subtree: true});
"""
"""Milliseconds since the navigation began, at the first frame with a line in it."""

EVENTS = """
window.events = [];
new PerformanceObserver((list) => {
  for (const one of list.getEntries()) if (one.interactionId) window.events.push(one.duration);
}).observe({type: 'event', durationThreshold: 16});
"""
"""What every press of a key took until the next frame was drawn; the browser tells it in steps of 8 ms, from 16 on."""

MOVE = """
const [first, done] = [arguments[0], arguments[1]];
const began = performance.now();
[...document.querySelectorAll('button')].find((one) => one.textContent.trim() === 'Move them there').click();
const look = () => {
  const line = document.querySelector('#manifest [data-line]');
  requestAnimationFrame(line && line.dataset.line === first ? () => done(performance.now() - began) : look);
};
look();
"""


def measure() -> list[Row]:
    load_mods(5_000)
    page = f"/packs/{started('A thousand lines', LINES)}"
    browser = Browser(os.environ["CONVOY_ADDRESS"])
    try:
        browser.sign_in("maren")
        browser.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": PAINTED})
        painted = [_painted(browser, page) for _ in range(LOADS)]
        keys = _typed(browser)
        moves = _moved(browser)
    finally:
        browser.close()
    return [
        ("first paint of its lines, from the navigation", _told(painted), "aim 1,000 ms"),
        (f"a letter typed into its search ({keys[0]} letters)", keys[1], "aim 50 ms; told in steps of 8 ms"),
        (f"moving {MOVED} marked lines, from the press to their place on the screen", _told(moves), "aim 200 ms"),
    ]


def _told(taken: list[float]) -> str:
    return f"median {statistics.median(taken):.0f} ms, worst {max(taken):.0f} ms"


def _painted(browser: Browser, page: str) -> float:
    browser.go(page)
    browser.until("its lines", lambda: browser.driver.execute_script("return window.painted || 0"))
    taken: float = browser.driver.execute_script("return window.painted")
    return taken


def _typed(browser: Browser) -> tuple[int, str]:
    browser.driver.execute_script(EVENTS)
    letters = 0
    for text in TYPED:
        browser.fill("Search these lines", "")
        for letter in text:
            browser.keys(letter)
            time.sleep(1 / LETTERS_A_SECOND)
            letters += 1
    browser.settles()
    slow: list[float] = browser.driver.execute_script("return window.events")
    high = sorted([*slow, *[16.0] * (letters - len(slow))])[-(letters // 20) - 1] if letters else 0.0
    return letters, f"p95 {high:.0f} ms, worst {max([16.0, *slow]):.0f} ms"


def _moved(browser: Browser) -> list[float]:
    """To the front and behind what stood there, in turn."""
    for part in ("bulk-31", "bulk-32"):
        browser.fill("Search these lines", part)
        # The hundred, and a library that came along, which has no place in the order.
        browser.sees(f"{MOVED // 2 + 1} of ")
        browser.keys(Keys.ARROW_DOWN)
        browser.holding(Keys.CONTROL, "a")
    browser.fill("Search these lines", "")
    browser.sees(f"{MOVED + 2} lines marked")
    taken = []
    for turn in range(MOVES):
        first, place = ("bulk-3100", "1") if turn % 2 == 0 else ("bulk-3000", str(LINES - MOVED + 1))
        browser.press("Place")
        browser.fill("Place, 1 to", place)
        taken.append(browser.driver.execute_async_script(MOVE, first))
    return taken
