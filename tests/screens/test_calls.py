"""A member's question evening: it fails, they ask, a curator answers, what is proposed is taken, and they play."""

from __future__ import annotations

from .test_access import pack_of
from .test_together import People, installation_of, signed_in


def test_a_call_is_answered_taken_and_closed_with_what_it_was(people: People) -> None:
    odwin, tolliver = signed_in(people, "odwin"), signed_in(people, "tolliver")
    mine = installation_of(odwin, "Ghost Watch")
    odwin.go(mine)
    odwin.press("Ghost Barge and Moon Tables fail together; each of them alone does not.")
    odwin.sees("Your call for help", "2 others had this. It was: Ghost Barge", "Last good start", "release 0.8.0")
    assert odwin.complaints() == []
    odwin.press("Take it: Stay at release 0.8.0 for now")
    odwin.sees("taken by Odwin Pell")
    odwin.go(mine)
    odwin.sees("You chose to stay at 0.8.0", "This machine has 0.8.0")
    odwin.press("Play")
    odwin.sees("The game is started.")
    tolliver.go(f"{pack_of(tolliver, 'Ghost Watch')}/crew")
    tolliver.press("Ghost Barge and Moon Tables fail together; each of them alone does not.")
    tolliver.sees("Odwin Pell calls for help", "taken by Odwin Pell")
    tolliver.fill("Your answer", "And once it runs:")
    tolliver.choose("And propose", "something to do by hand")
    tolliver.fill("What to do", "Open the moon tables in the game and close them again.")
    tolliver.press("Propose it")
    tolliver.sees("Open the moon tables in the game and close them again.")
    odwin.go("/news")
    odwin.sees("Tolliver Reyes answered a call for help with Ghost Watch")
    odwin.go(mine)
    odwin.press("Ghost Barge and Moon Tables fail together; each of them alone does not.")
    odwin.press("I did it: Open the moon tables in the game and close them again.")
    odwin.sees("done by Odwin Pell")
    odwin.press("Close it: it is settled")
    odwin.fill("What it was", "Ghost Barge, which cannot be with Moon Tables")
    odwin.press("Close")
    odwin.sees("It was: Ghost Barge, which cannot be with Moon Tables")
    assert tolliver.complaints() == []


def test_what_is_gathered_is_seen_by_its_member_before_anybody_else(people: People) -> None:
    odwin, tolliver = signed_in(people, "odwin"), signed_in(people, "tolliver")
    calls = f"{pack_of(tolliver, 'Ghost Watch')}/crew"
    odwin.go(installation_of(odwin, "Ghost Watch"))
    odwin.fill("What happened, in your words", "The fog is green")
    odwin.press("Gather what a curator needs")
    odwin.sees("Gathered. Look through it", "The fog is green")
    tolliver.go(calls)
    tolliver.sees("Calls for help")
    assert "The fog is green" not in tolliver.text()
    odwin.press("The fog is green")
    odwin.sees("Nobody but you has seen this yet.", "What was gathered")
    assert odwin.complaints() == []
    odwin.press("Send it to the curators")
    odwin.sees("Nobody has answered yet.")
    tolliver.go(calls)
    tolliver.sees("The fog is green")
