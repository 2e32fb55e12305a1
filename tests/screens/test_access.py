"""Every screen by axe, against WCAG 2.2 AA: in both colours, on a desk and on a phone. Nothing may be found."""

from __future__ import annotations

from collections.abc import Callable

from .browser import Browser

DESK, PHONE = (1280, 800), (390, 844)
LOOKS = (((DESK, False), (PHONE, True)), ((DESK, True), (PHONE, False)))
"""Each state is judged at both sizes and in both colours; which of them go together changes from state to state."""

People = Callable[..., Browser]


def states(browser: Browser) -> list[tuple[str, str, tuple[str, ...]]]:
    """Path, what is to be seen before it is judged, and what is pressed before that."""
    browser.go("/")
    browser.sees("My crews' packs", "Night Freight")
    script = "return document.querySelector('a[href*=\"/installations/\"]')?.pathname"
    installation = str(browser.until("an installation", lambda: browser.driver.execute_script(script)))
    pack = pack_of(browser, "Night Freight")
    spring, hollow = pack_of(browser, "Night Freight, spring"), pack_of(browser, "Hollow Line")
    slow = pack_of(browser, "Slow Water")
    crew = crew_address(browser)
    assemble = f"{pack}/assemble"
    return [
        ("/", "My crews' packs", ()),
        ("/", "You own it", ("Start a crew",)),
        ("/join", "Join a pack", ()),
        ("/packs/new", "Emblem", ()),
        ("/packs/new?with=list", "Which base has them?", ()),
        ("/games", "Bring a game", ()),
        ("/games/new", "1 thing is wrong", ()),
        ("/games/new", "line 2:", ("As text",)),
        ("/games/tillerway", "What was changed", ("Add a loader",)),
        ("/sources/harbour-shelf", "that it lists was taken", ()),
        ("/account", "Use an app with six digits", ()),
        ("/account", "It cannot be brought back.", ("End the account…",)),
        ("/site", "storage", ()),
        ("/site?part=rules", "Who may make an account", ()),
        ("/site?part=people", "Tolliver Reyes", ()),
        ("/site?part=sources", "Harbour Shelf", ("Add a source",)),
        ("/site?part=done", "published Night Freight", ()),
        (crew, "may do everything", ()),
        (assemble, "Chosen (", ()),
        (f"{assemble}?mod=night-lanterns", "Builds", ()),
        (f"{assemble}?mod=crew-roster", "Why it is in", ()),
        (assemble, "Stays behind", ("Newer builds",)),
        (assemble, "Look at another base", ("Change base",)),
        (assemble, "Edits of this draft", ("Edits",)),
        (assemble, "Nothing comes in before you say so", ("Bring in", "A list of links or names")),
        (assemble, "Choose the game's folder", ("Bring in", "A folder that is already filled")),
        (assemble, "A ZIP of archives", ("Bring in", "Many archives, as the crew's own builds")),
        (f"{pack}/mods/lock-ledger", "In my packs", ()),
        (f"{pack}/check", "Good to know", ()),
        (f"{spring}/check", "Known, because", ("Open: Bronze Bell is made for another version.",)),
        (f"{spring}/check/overlap", "laid down from left to right", ()),
        (f"{spring}/check/overlap/fair-tolls/night-tolls", "tolls.night", ()),
        (f"{hollow}/check/set-aside", "set aside by 340 lines", ()),
        (f"{spring}/check/own-files", "stern = 9", ("Open config/lamps/glow.toml",)),
        (f"{spring}/assemble?mod=old-salts-kit", "songs/", ("Choose among its files", "Say what it changes")),
        (f"{pack}/settings", "Take over from a machine", ()),
        (f"{pack}/settings?words=foggy", "1 setting chosen", ("Choose fog.chance",)),
        (f"{pack}/publish", "Latest edits", ()),
        (f"{pack}/releases/1.4.0", "1.4.0", ()),
        (f"{pack}/hand-out", "What was sent", ("Log",)),
        (f"{pack}/hand-out", "It is told of", ("Call an address", "Retire the pack")),
        (f"{pack}/crew", "Roll call", ()),
        (f"{pack}/crew", "Keep it so", ("Change it",)),
        (f"{pack}/crew", "The name of its folder.", ("Open a playthrough", "Set a milestone")),
        (f"{pack}/publish", "A surprise until its hour", ("Seal it until an hour",)),
        (f"{pack}/lead", "Follow a pack in a file", ()),
        (f"{slow}/lead", "New at the lead", ()),
        (f"{slow}/releases/1.1.0", "Let in beside", ()),
        (f"{slow}/assemble", "To take up", ("Collections",)),
        ("/packs/new?as=collection", "that it suits", ()),
        ("/news", "How it comes to you", ()),
        ("/packs/open", "Drop the file here", ()),
        (crew, "cannot be brought back", ("End the crew…",)),
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


def pack_of(browser: Browser, name: str) -> str:
    """The address of a pack of one's crews."""
    script = "return fetch('/api/packs').then(r => r.json()).then(p => p.find(x => x.name === arguments[0]).id)"
    return f"/packs/{browser.driver.execute_script(script.replace('arguments[0]', repr(name)))}"


def test_nothing_is_found_on_the_pages_of_strangers(people: People) -> None:
    browser = people("nobody")
    found = {}
    for path, seen in (("/", "Everyone in step"), ("/sign-in?new=1", "Make an account"), ("/password", "forgotten"),
                       ("/aboard/8QM7-42XK-9HT", "Come aboard"), ("/p/slow-water", "How to join")):  # fmt: skip
        browser.go(path)
        browser.sees(seen)
        for size, dark in (*LOOKS[0], *LOOKS[1]):
            browser.becomes(*size, dark=dark)
            browser.settles()
            if complaints := browser.complaints():
                found[f"{path} {size} {dark}"] = complaints
    assert not found, found


def test_nothing_is_found_on_any_screen(people: People) -> None:
    browser = of_the_demo(people)
    found: dict[str, list[str]] = {}
    for number, (path, seen, pressed) in enumerate(states(browser)):
        browser.becomes(1280, 800)
        browser.go(path)
        for name in pressed:
            browser.press(name)
        browser.sees(seen)
        for size, dark in LOOKS[number % 2]:
            browser.becomes(*size, dark=dark)
            browser.settles()
            if complaints := browser.complaints():
                found[f"{path} {' '.join(pressed)} {size} {'dark' if dark else 'light'}"] = complaints
    browser.becomes(1280, 800)
    assert not found, "\n".join(f"{where}\n  " + "\n  ".join(what) for where, what in found.items())
