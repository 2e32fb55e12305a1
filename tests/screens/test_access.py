"""Every screen by axe, against WCAG 2.2 AA: in both colours, on a desk and on a phone. Nothing may be found."""

from __future__ import annotations

from collections.abc import Callable

from .browser import Browser

SIZES = ((1280, 800), (390, 844))

People = Callable[..., Browser]


def states(browser: Browser) -> list[tuple[str, str, tuple[str, ...]]]:
    """Path, what is to be seen before it is judged, and what is pressed before that."""
    browser.go("/")
    browser.sees("My crews' packs", "Night Freight")
    links = browser.driver.execute_script("return [...document.querySelectorAll('a')].map(a => a.pathname)")
    installation = next(one for one in links if one.startswith("/installations/"))
    pack = pack_of(browser, "Thursday nights")
    crew = crew_address(browser)
    assemble = f"{pack}/assemble"
    return [
        ("/", "My crews' packs", ()),
        ("/", "You own it", ("Start a crew",)),
        ("/join", "Join a pack", ()),
        ("/packs/new", "Emblem", ()),
        (crew, "may do everything", ()),
        (assemble, "Chosen (", ()),
        (f"{assemble}?mod=night-lanterns", "Builds", ()),
        (f"{assemble}?mod=crew-roster", "Why it is in", ()),
        (assemble, "Stays behind", ("Newer builds",)),
        (assemble, "Look at another base", ("Change base",)),
        (assemble, "Edits of this draft", ("Edits",)),
        (assemble, "Nothing comes in before you say so", ("Bring in", "A list of links or names")),
        (assemble, "Choose the game's folder", ("Bring in", "A folder that is already filled")),
        (f"{pack}/mods/lock-ledger", "In my packs", ()),
        (f"{pack}/check", "What the checks found", ()),
        (f"{pack}/publish", "Latest edits", ()),
        (f"{pack}/releases/1.4.0", "1.4.0", ()),
        (f"{pack}/crew", "Roll call", ()),
        (installation, "Which release", ()),
    ]


def crew_address(browser: Browser) -> str:
    """Of the crew that Night Freight is of."""
    script = (
        "return fetch('/api/packs').then(r => r.json()).then(p => p.find(x => x.name === 'Night Freight').id)"
        ".then(id => fetch('/api/packs/' + id)).then(r => r.json()).then(p => p.crew_id)"
    )
    return f"/crews/{browser.driver.execute_script(script)}"


def of_the_demo(people: People) -> Browser:
    browser = people("somebody")
    if not browser.driver.get_cookie("sessionid"):
        browser.sign_in("maren")
    return browser


def pack_of(browser: Browser, group: str) -> str:
    path = f'//a[contains(@href, "/packs/")][contains(., "{group}")]'
    link = browser.until(group, lambda: browser.driver.find_elements("xpath", path))
    return str(link[0].get_attribute("href")).replace(browser.address, "").replace("/assemble", "")  # type: ignore[index]


def test_nothing_is_found_on_any_screen(people: People) -> None:
    browser = of_the_demo(people)
    found: dict[str, list[str]] = {}
    for path, seen, pressed in states(browser):
        browser.becomes(1280, 800)
        browser.go(path)
        for name in pressed:
            browser.press(name)
        browser.sees(seen)
        for size in SIZES:
            for dark in (False, True):
                browser.becomes(*size, dark=dark)
                browser.settles()
                if complaints := browser.complaints():
                    found[f"{path} {' '.join(pressed)} {size} {'dark' if dark else 'light'}"] = complaints
    browser.becomes(1280, 800)
    assert not found, "\n".join(f"{where}\n  " + "\n  ".join(what) for where, what in found.items())
