"""Collections, a lead, a playthrough and a sealed release, as the crew of the demo uses them."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

from .browser import Browser
from .test_access import pack_of

People = Callable[..., Browser]


def signed_in(people: People, name: str) -> Browser:
    """A browser of somebody who is signed in, whoever used it before."""
    browser = people(name)
    browser.go("/")
    if "My crews' packs" not in browser.text():
        browser.sign_in(name)
    browser.sees("My crews' packs")
    return browser


def installation_of(browser: Browser, pack: str) -> str:
    script = (
        "return fetch('/api/installations').then(r => r.json()).then(all => all.find(x => x.pack === arguments[0]).id)"
    )
    return f"/installations/{browser.driver.execute_script(script, pack)}"


def test_collections_lie_under_a_pack_and_move_on(people: People) -> None:
    maren = signed_in(people, "maren")
    slow = pack_of(maren, "Slow Water")
    maren.go(f"{slow}/assemble")
    maren.sees("of collections +")
    maren.press("Collections")
    maren.sees("Long Tiller: 1.1.0 here, not 1.0.0", "by Kestrel Wharf")
    maren.press("Take 1.1.0")
    maren.sees("Clear Deck moved at 1.1.0")
    maren.press("Detach", within="Steady Hands")
    maren.press("Done")
    maren.sees("Steady Hands detached: 4 lines of the pack's own")
    maren.press("Undo")
    maren.sees("taken back")
    # What a collection brings says whose it is, and may be left out here.
    maren.go(f"{slow}/assemble?mod=clean-glass")
    maren.sees("A line of Clear Deck")
    maren.press("Leave it out here")
    maren.sees("Clean Glass switched off")
    maren.press("Undo")
    maren.sees("taken back")
    assert maren.complaints() == []


def test_a_collection_is_started_without_a_base_of_its_own(people: People) -> None:
    maren = signed_in(people, "maren")
    maren.go("/packs/new?as=collection")
    maren.sees("Start a collection", "Game versions that it suits")
    maren.fill("Name", "Dry Boots")
    maren.choose("Game", "Tillerway")
    maren.fill("Game versions that it suits", "2.x")
    maren.press("Start the collection")
    maren.sees("“2.x” is no version range.")
    maren.fill("Game versions that it suits", ">=2.0, <2.2")
    maren.press("Start the collection")
    maren.sees("Tried on", "The pack is empty")
    maren.press("What it suits")
    maren.sees("What Dry Boots suits")
    maren.press("Not now")


def test_what_is_new_at_the_lead_is_taken_and_what_is_otherwise_here_proposed(people: People) -> None:
    tolliver, liesel = signed_in(people, "tolliver"), signed_in(people, "liesel")
    slow = pack_of(tolliver, "Slow Water")
    tolliver.go(f"{slow}/lead")
    tolliver.sees("New at the lead (6)", "changed here, too", "Milk and letters", "Otherwise here")
    tolliver.press("Keep mine", within="What becomes of Cabin Stove")
    tolliver.press("Take 5 changes")
    tolliver.sees("5 changes taken from Quiet Canals 1.1.0: moves 1, nothing breaks.", "Last taken: 1.1.0.")
    tolliver.sees("Nothing is new there that is not here, or decided.")
    tolliver.press("Choose Lines: Cabin Stove")
    tolliver.fill("Why, in your words", "Everybody here takes it.")
    tolliver.press("Propose 1 change")
    tolliver.sees("What this pack proposed")
    liesel.go(f"{pack_of(liesel, 'Quiet Canals')}/lead")
    liesel.sees("Proposed to this pack", "Everybody here takes it.", "Warm, and worth its memory.")
    liesel.press("Choose Lines: Cabin Stove")
    liesel.press("Take 1 change")
    liesel.sees("1 change taken as Slow Water proposes")
    liesel.fill("Your answer", "Gladly.")
    liesel.press("Answer")
    liesel.sees("Gladly.")
    tolliver.go(f"{slow}/lead")
    tolliver.sees("Gladly.")
    assert tolliver.complaints() == [] and liesel.complaints() == []


def test_a_playthrough_stops_what_would_touch_its_world(people: People) -> None:
    maren = signed_in(people, "maren")
    night = pack_of(maren, "Night Freight")
    maren.go(f"{night}/crew")
    maren.sees("The Fenwick run", "only what touches nobody’s world")
    maren.press("Set a milestone")
    maren.fill("What was reached", "First coal")
    maren.press("Back worlds up by this name")
    maren.sees("First coal", "backed up on")
    maren.go(f"{night}/assemble?mod=seasons-turn")
    maren.sees("Update to 2.2.0")
    maren.press("Last build that keeps our world")
    maren.sees(
        "2.1.0 is the last build that keeps The Fenwick run", "Not 2.2.0: Seasons Turn updated from 2.1.0 to 2.2.0"
    )
    maren.press("Update to 2.2.0")
    maren.sees("Seasons Turn updated")
    maren.go(f"{night}/check")
    maren.sees("The Fenwick run is being played: Seasons Turn updated from 2.1.0 to 2.2.0.")
    maren.go(f"{night}/publish")
    maren.sees("1 blocker stands in the way.", "Published all the same, because")
    maren.go(f"{night}/assemble")
    maren.sees("Last edit")
    maren.press("Undo")
    maren.sees("taken back")
    assert maren.complaints() == []


def test_a_sealed_release_is_installed_and_not_told(people: People) -> None:
    sunniva, maren = signed_in(people, "sunniva"), signed_in(people, "maren")
    slow = pack_of(maren, "Slow Water")
    installation = installation_of(sunniva, "Slow Water")
    sunniva.go(installation)
    sunniva.sees("Release 1.1.0 is sealed until", "The files lie on your own disk", "Sync to 1.1.0")
    sunniva.press("Sync to 1.1.0")
    sunniva.sees("in step")
    for path in (installation, f"{slow}/releases/1.1.0", f"{slow}/crew", "/news"):
        sunniva.go(path)
        sunniva.sees("Slow Water")
        sunniva.settles()
        for secret in ("Mist Bells", "White Water Marks", "Stoppages", "Clear Deck 1"):
            assert secret not in sunniva.text(), (path, secret)
    sunniva.go(f"{slow}/assemble")
    sunniva.sees("The draft of Slow Water is kept to its curators.")
    sunniva.becomes(390, 844, dark=True)
    sunniva.go(installation)
    sunniva.sees("sealed until")
    sunniva.settles()
    assert sunniva.complaints() == []
    sunniva.becomes(1280, 800)
    maren.go(f"{slow}/releases/1.1.0")
    maren.sees("Mist Bells", "Let in beside its curators")
    maren.press("Sunniva Marsh")
    maren.press("Keep it so")
    maren.sees_no_more("Keep it so")
    sunniva.go(f"{slow}/releases/1.1.0")
    sunniva.sees("Mist Bells")
    assert maren.complaints() == []


def test_a_member_adds_a_collection_beside_the_pack_and_leaves_it(people: People) -> None:
    """By its code, from the page where it was pasted; laid down by a sync, and gone with the next one."""
    maren, tolliver = signed_in(people, "maren"), signed_in(people, "tolliver")
    maren.go(f"{pack_of(maren, 'Clear Deck')}/publish")
    maren.press("Make a join code")
    code = maren.join_code()
    mine = installation_of(tolliver, "Slow Water")
    tolliver.go(mine)
    tolliver.sees("Rain and Owls", "in place", "Star Map 2.1.0: it needs Moon Tables, which is not here")
    tolliver.press("Leave Rain and Owls")
    tolliver.sees_no_more("Rain and Owls")
    tolliver.press("Sync to 1.1.0")
    tolliver.sees("in step")
    tolliver.press("Add a collection")
    tolliver.sees("Turn the game's own weather down by half")
    tolliver.press("Add Rain and Owls")
    tolliver.sees("comes with the next sync")
    tolliver.becomes(390, 844, dark=True)
    tolliver.settles()
    assert tolliver.complaints() == []
    tolliver.becomes(1280, 800)
    tolliver.go(f"/join/{code}")
    tolliver.press("Add it to Slow Water (Slow Water)")
    tolliver.sees("Collections of mine", "Clear Deck", "nothing of it is laid down here")
    assert tolliver.complaints() == []


def test_a_world_is_copied_called_otherwise_and_made_a_file_of(people: People, stack: dict[str, str]) -> None:
    tolliver = signed_in(people, "tolliver")
    tolliver.go(installation_of(tolliver, "Slow Water"))
    tolliver.sees("Saved worlds", "quiet-pound", "With Slow Water 1.0.0")
    tolliver.press("Copy quiet-pound")
    tolliver.fill("The copy is called", "still pound")
    tolliver.press("Copy it")
    tolliver.sees("“still pound” is a copy: 1 file.")
    tolliver.press("Call it otherwise: still pound")
    tolliver.fill("It is called", "winter pound")
    tolliver.press("Call it so")
    tolliver.sees("It is called “winter pound” now.")
    tolliver.press("Make a file of it: winter pound")
    tolliver.sees("Kept by True Convoy/winter pound")
    assert tolliver.complaints() == []
    (made,) = Path(stack["CONVOY_DATA"]).glob("machines/tollivers-tower/*/Kept by True Convoy/winter pound*.zip")
    assert "convoy-world.json" in zipfile.ZipFile(made).namelist()


def test_a_second_curator_looks_at_what_an_upload_claims(people: People, tmp_path: Path) -> None:
    maren, tolliver = signed_in(people, "maren"), signed_in(people, "tolliver")
    slow = pack_of(maren, "Slow Water")
    crew = "return fetch('/api/me').then(r => r.json()).then(me => me.crews.find(x => x.name === 'Kestrel Wharf').id)"
    maren.go(f"/crews/{maren.driver.execute_script(crew)}")
    maren.sees("A second pair of eyes")
    maren.driver.find_element("xpath", "//label[contains(., 'Before a release')]//input").click()
    packed = tmp_path / "Kettle Song.zip"
    with zipfile.ZipFile(packed, "w") as made:
        made.writestr("waybill.toml", 'id = "kettle-song"\nname = "Kettle Song"\nversion = "1.0"\n')
        made.writestr("data/song.json", "{}")
    tolliver.go(f"{slow}/assemble")
    tolliver.sees("Last edit")
    tolliver.driver.find_element("css selector", "[data-give-files]").send_keys(str(packed))
    tolliver.sees("Say what it is")
    tolliver.fill("Licence, as its author names it", "MIT")
    tolliver.choose("Reach", "touches only who has it", "About this file")
    tolliver.choose("Belongs to", "players alone have it", "About this file")
    tolliver.press("Make it our own, and add it")
    tolliver.sees("Kettle Song added")
    tolliver.go(f"{slow}/check")
    tolliver.sees("Claims of own builds", "claims that it touches its player alone", "You uploaded it: another curator")
    assert tolliver.complaints() == []
    maren.go(f"{slow}/check")
    maren.sees("the game reads those for all", "no second curator has looked at that")
    assert maren.complaints() == []
    maren.press("It is so")
    maren.sees("all looked at")
    maren.sees_no_more("no second curator has looked at that")
