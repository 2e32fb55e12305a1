"""Trying on the bench, as a curator does: a crash, its cause, mended, tried again, published. The worker runs it."""

from __future__ import annotations

from .browser import Browser
from .test_access import pack_of
from .test_together import People, signed_in


def test_a_crash_is_read_mended_tried_again_and_published(people: People) -> None:
    tolliver = signed_in(people, "tolliver")
    pack = pack_of(tolliver, "Ghost Watch")
    tolliver.go(f"{pack}/check/bench")
    tolliver.sees(
        "Crashed before the main screen", "it took too long", "each rebuild economy", "Reached the main screen"
    )
    tolliver.press("Crashed before the main screen", within="The draft: Crashed before the main screen")
    tolliver.sees("Ghost Barge and Moon Tables fail together", "8 of 10 mods came up", "ran aground on")
    assert tolliver.complaints() == []
    _in_the_log(tolliver)
    tolliver.press("Find which mods it takes")
    tolliver.sees("It takes 2 together", "Moon Tables", "Everything else comes up without them.")
    assert tolliver.complaints() == []
    tolliver.press("The trial that failed")
    tolliver.sees("How it was narrowed down")
    tolliver.press("Leave out Ghost Barge")
    tolliver.sees("Ghost Barge removed", "The draft was changed since")
    tolliver.press("All trials")
    tolliver.press("Try the draft")
    tolliver.sees("Reached the main screen after", "9 of 9 mods came up")
    tolliver.go(f"{pack}/publish")
    tolliver.sees("On the bench:", "Reached the main screen after")
    tolliver.fill("Number", "1.0.0")
    tolliver.press("Publish release 1.0.0")
    tolliver.sees("Release 1.0.0 is published")
    tolliver.go(f"{pack}/releases/1.0.0")
    tolliver.sees("On the bench:", "Reached the main screen after")


def _in_the_log(browser: Browser) -> None:
    """Searched, narrowed to one mod and to what is new."""
    browser.sees("14 of 14 entries")
    browser.fill("Search the log", "aground")
    browser.sees("1 of 14 entries")
    browser.fill("Search the log", "")
    browser.choose("Whose", "Ghost Barge")
    browser.sees("3 of 14 entries", "Could not steer")
    browser.choose("How bad", "Errors alone")
    browser.sees("2 of 14 entries")
    browser.press("New since the last good run")
    browser.sees("2 of 14 entries")


def test_a_member_reads_a_trial_and_starts_none(people: People) -> None:
    odwin = signed_in(people, "odwin")
    odwin.go(f"{pack_of(odwin, 'Ghost Watch')}/check/bench")
    odwin.sees("Market Makers and Guild Economy each rebuild economy.")
    assert "Try the draft" not in odwin.text()
    assert odwin.complaints() == []
