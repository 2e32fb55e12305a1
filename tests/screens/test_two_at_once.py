"""Two curators at one draft: what the other did is seen without asking, and who comes too late is told, and nothing has
moved.
"""

from __future__ import annotations

from typing import Any

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from .browser import Browser
from .test_access import pack_of
from .test_check import left
from .test_together import People, signed_in

EDIT = """
const [at, edit, done] = arguments;
const csrf = document.cookie.match(/csrftoken=([^;]+)/)[1];
const headers = {"X-CSRFToken": csrf, "Content-Type": "application/json"};
fetch(at).then(r => r.json())
  .then(draft => fetch(at + "/edits", {
    method: "POST", headers, body: JSON.stringify({revision: draft.revision, edits: [edit]})}))
  .then(r => done(r.status));
"""
DEAF = """
const asked = window.fetch;
const isNews = (what) => what.method === "GET" && what.url.endsWith("/draft/edits");
window.fetch = (what, how) => isNews(what) ? new Promise(() => {}) : asked(what, how);
"""
"""A page that hears of nobody's edits."""

LINES = "fetch(arguments[0]).then(r => r.json()).then(draft => arguments[1](draft.lines.map(one => one.mod)))"
HELD, CLASH = "market-makers", "Guild Economy and Market Makers each rebuild economy."


def does(browser: Browser, pack: str, **edit: Any) -> None:
    assert browser.driver.execute_async_script(EDIT, f"/api{pack}/draft", edit) == 200


def order(browser: Browser) -> list[str]:
    rows = browser.driver.find_elements(By.CSS_SELECTOR, "[role=row][data-line]")
    return [str(one.get_attribute("data-line")) for one in sorted(rows, key=place)]


def place(row: WebElement) -> int:
    return int(row.get_attribute("aria-rowindex") or 0)


def fourth_in_hand(browser: Browser, pack: str) -> None:
    """One that has a build, as those stand first that have none."""
    browser.go(pack)
    browser.until("the lines", lambda: order(browser))
    browser.driver.execute_script("document.querySelector(`[aria-label='Lines of the draft']`).focus()")
    browser.keys(*[Keys.ARROW_DOWN] * 4)


def test_what_the_other_did_is_seen_with_what_it_brings(people: People) -> None:
    maren, tolliver = signed_in(people, "maren"), signed_in(people, "tolliver")
    pack = pack_of(maren, "Night Freight, spring")
    if HELD in maren.driver.execute_async_script(LINES, f"/api{pack}/draft"):
        does(tolliver, pack, do="remove", mod=HELD)
    maren.go(f"{pack}/check")
    maren.until("what is found", lambda: "Laid down" in maren.text() or left(maren))
    for do in ("add", "remove"):
        does(tolliver, pack, do=do, mod=HELD)
        maren.until(f"what “{do}” brings", lambda do=do: (CLASH in left(maren)) == (do == "add"))
    assert maren.complaints() == []


def test_a_move_that_comes_too_late_goes_back_and_says_so(people: People) -> None:
    maren, tolliver = signed_in(people, "maren"), signed_in(people, "tolliver")
    pack = pack_of(maren, "Night Freight, spring")
    deaf = maren.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": DEAF})
    fourth_in_hand(maren, pack)
    before = order(maren)
    maren.holding(Keys.ALT, Keys.ARROW_UP)
    maren.until("the line to move", lambda: order(maren)[2] == before[3])
    maren.holding(Keys.ALT, Keys.ARROW_DOWN)
    maren.until("the line to stand where it did", lambda: order(maren) == before)
    does(tolliver, pack, do="describe", mod=before[3], note="Looked at just now.")
    maren.holding(Keys.ALT, Keys.ARROW_UP)
    maren.sees("Somebody changed this meanwhile.", "Tolliver")
    maren.until("the line to be back", lambda: order(maren) == before)
    maren.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", deaf)
