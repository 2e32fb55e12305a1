"""Following a lead here, behind an address and in a file; a copy that goes back into its original; proposals."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest.mock import Mock

import httpx
import pytest
from django.test import Client

from convoy_site.notices.sentences import in_words
from convoy_site.notices.spreading import concerned
from convoy_site.packs.models import Draft, Pack
from convoy_site.packs.services import edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMods, HoldLine, KeyIn, RemoveMod, SetSettings, SetSteps
from convoy_site.people.models import Event
from convoy_site.people.services import bring_aboard, start_crew
from convoy_site.releases import leads
from convoy_site.releases.services import publish

from .conftest import World, new_pack
from .test_drafts import edit, lines
from .test_public import AT, opened
from .test_undoing import back, now, stacks

OF_DECK = "mods/quiet-deck/settings.toml"
FIRST = ["quiet-deck", "amber-hours", "lock-ledger"]


@pytest.fixture
def canals(world: World) -> Pack:
    """A lead of another crew, which the owner here may see: its first release, and its draft as it was then."""
    world.crew_of_lead = start_crew(world.users["stranger"], "Elsewhere")  # type: ignore[attr-defined]
    bring_aboard(world.users["owner"], world.crew_of_lead)  # type: ignore[attr-defined]
    pack = start_pack(world.users["stranger"], new_pack(world.crew_of_lead, "Quiet Canals"))  # type: ignore[attr-defined]
    changed(world, pack, AddMods(do="add many", mods=FIRST), HoldLine(do="hold", mod="quiet-deck", version="0.6.0"))
    publish(world.users["stranger"], pack.id, 1, "1.0.0", "stable", "Quiet.")
    return pack


def changed(world: World, pack: Pack, *edits: Any) -> None:
    pack.draft.refresh_from_db()
    edit_draft(world.users["stranger"], pack.id, pack.draft.revision, list(edits))


def goes_on(world: World, pack: Pack, number: str = "1.1.0") -> None:
    """The lead's next release: one newer, one added, one gone, a setting, a step."""
    changed(
        world,
        pack,
        HoldLine(do="hold", mod="quiet-deck"),
        AddMods(do="add many", mods=["tarred-planks"]),
        RemoveMod(do="remove", mod="amber-hours"),
        SetSettings(do="set", settings=[KeyIn(path=OF_DECK, key=["strength"], value=2)]),
        SetSteps(do="steps", steps=[{"id": "look", "text": "Look at your deck."}]),
    )
    publish(world.users["stranger"], pack.id, pack.draft.revision + 1, number, "stable", "Quieter.")


def follow(world: World, lead: object, where: str = "releases", **told: Any) -> tuple[int, Any]:
    return world.as_("owner").post(f"{world.at}/lead", {"where": where, "lead": str(lead), **told})


def page(world: World, look: bool = True) -> dict[str, Any]:
    status, told = world.as_("owner").post(f"{world.at}/lead/look") if look else (200, None)
    assert status == 200, told
    return world.as_("owner").get(f"{world.at}/lead")[1]


def places(rows: list[dict[str, Any]]) -> set[str]:
    return {one["place"].split(" [")[0] for one in rows}


def begin(world: World, canals: Pack) -> None:
    """The pack here begins as the lead's first release."""
    edit(world, {"do": "copy lines", "pack": str(canals.id), "release": "1.0.0"})
    for mod in ("heron-almanac", "lock-ledger"):
        edit(world, {"do": "remove", "mod": mod})
    edit(world, {"do": "copy lines", "pack": str(canals.id), "release": "1.0.0"})
    assert follow(world, canals.id, begun=True)[0] == 200


def test_what_is_new_at_the_lead_is_offered_line_by_line_and_taken_in_one_edit(world: World, canals: Pack) -> None:
    begin(world, canals)
    assert page(world)["offers"] == []
    edit(world, {"do": "add", "mod": "moon-tables"}, {"do": "describe", "mod": "quiet-deck", "optional": True})
    goes_on(world, canals)
    told = page(world)
    offers = {one["place"].split(" [")[0]: one for one in told["offers"]}
    assert set(offers) == {"line quiet-deck", "line tarred-planks", "line amber-hours", "setting", "step look"}
    deck = offers["line quiet-deck"]
    assert (deck["changed"], deck["taken"], deck["mine"], deck["theirs"]) == (
        "both",
        "0.6.0",
        "0.6.0, optional",
        "0.7.0",
    )
    assert (offers["line amber-hours"]["changed"], offers["line amber-hours"]["theirs"]) == ("there", "")
    assert places(told["otherwise"]) == {"line moon-tables", "line quiet-deck"}
    before = now(world)
    take = [one["place"] for one in told["offers"] if one["place"] != "line quiet-deck"]
    wanted = {"do": "take from lead", "take": take, "mine": ["line quiet-deck"]}
    outcome = edit(world, wanted, rehearse=True)[1]
    assert {one["mod"] for one in outcome["changes"]} == {"tarred-planks", "amber-hours"} and now(world) == before
    status, told = edit(world, wanted)
    assert status == 200 and told["sentence"] == "4 changes taken from Quiet Canals 1.1.0"
    rows = lines(world)
    assert rows["quiet-deck"]["version"] == "0.6.0" and "amber-hours" not in rows and "tarred-planks" in rows
    # Decided is decided: nothing is asked again, and the lead's next change is.
    told = page(world)
    assert told["offers"] == [] and told["lead"]["number"] == "1.1.0"
    assert places(told["otherwise"]) == {"line moon-tables", "line quiet-deck"}
    back(world, stacks(world)[0])
    assert now(world) == before and len(page(world, look=False)["offers"]) == 5
    assert edit(world, {"do": "take from lead", "take": ["line nothing"]})[1]["code"] == "no-such-line"


def test_all_of_it_taken_is_what_the_lead_has(world: World, canals: Pack) -> None:
    for mod in ("heron-almanac", "lock-ledger"):
        edit(world, {"do": "remove", "mod": mod})
    assert follow(world, canals.id)[0] == 200
    goes_on(world, canals)
    offers = page(world)["offers"]
    assert edit(world, {"do": "take from lead", "take": [one["place"] for one in offers]})[0] == 200
    told = page(world)
    assert (told["offers"], told["otherwise"]) == ([], [])
    draft = Draft.objects.get(pack=world.pack)
    assert {line.mod for line in draft.lines.all()} == {"quiet-deck", "lock-ledger", "tarred-planks"}
    assert draft.picks["quiet-deck"] == "0.7.0" and [one["value"] for one in draft.tweaks] == [2]
    assert edit(world, {"do": "leave lead"})[0] == 200 and page(world, look=False)["lead"] is None
    back(world, stacks(world)[0])
    assert page(world, look=False)["lead"]["name"] == "Quiet Canals"


def test_a_copy_follows_its_originals_draft_and_goes_back_into_it(world: World) -> None:
    mine = world.as_("owner")
    base = {"game": "tillerway", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    copy = mine.post("/api/packs", {"crew": str(world.crew.id), "name": "Trial run", **base})[1]["id"]
    at = f"/api/packs/{copy}"
    taken = {"do": "copy lines", "pack": str(world.pack.id)}
    assert mine.post(f"{at}/draft/edits", {"revision": 0, "edits": [taken]})[0] == 200
    told = mine.post(f"{at}/lead", {"where": "draft", "lead": str(world.pack.id), "begun": True})[1]
    assert (told["offers"], told["otherwise"]) == ([], []), told["offers"]
    edit(world, {"do": "describe", "mod": "lock-ledger", "note": "books"})
    told = mine.post(f"{at}/lead/look")[1]
    assert [(one["place"], one["theirs"]) for one in told["offers"]] == [("note lock-ledger", "books")]
    edits = [{"do": "add", "mod": "quiet-deck"}, {"do": "remove", "mod": "heron-almanac"}]
    mine.post(f"{at}/draft/edits", {"revision": told["revision"], "edits": edits})
    ways = mine.get(f"{at}/lead")[1]["otherwise"]
    assert places(ways) == {"line quiet-deck", "line heron-almanac"}
    sent = mine.post(f"{at}/lead/proposals", {"places": [one["place"] for one in ways], "words": "It works."})[1]
    assert [one["words"] for one in sent["proposed"]] == ["It works."]
    # In the original it is a set of edits: rehearsed, taken in part, answered.
    (one,) = page(world, look=False)["proposals"]
    assert (one["of"], one["pack"], {each["name"] for each in one["changes"]}) == (
        "Trial run", "Night Freight", {"Quiet Deck", "Heron Almanac"},
    )  # fmt: skip
    take = {"do": "take proposal", "proposal": one["id"], "take": ["line quiet-deck"]}
    assert edit(world, take, rehearse=True)[1]["changes"] and "quiet-deck" not in lines(world)
    assert edit(world, take)[0] == 200 and "quiet-deck" in lines(world) and "heron-almanac" in lines(world)
    (one,) = page(world, look=False)["proposals"]
    assert [each["place"] for each in one["changes"] if each["taken"]] == ["line quiet-deck"]
    assert mine.post(f"{world.at}/proposals/{one['id']}/answer", {"words": "The herons stay."})[0] == 200
    told = mine.get(f"{at}/lead")[1]
    assert told["proposed"][0]["answer"] == "The herons stay."
    assert mine.send("DELETE", f"{at}/lead/proposals/{one['id']}")[0] == 404, "it was answered"
    # What was taken there is no difference any more, once the copy has looked.
    assert places(mine.post(f"{at}/lead/look")[1]["otherwise"]) == {"line heron-almanac"}


@pytest.fixture
def elsewhere(world: World, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[bytes]]:
    """The world's public page, reached over the network as another site's would be; what it sends may be replaced."""
    opened(world)
    sends: list[bytes] = []

    def answer(request: httpx.Request) -> httpx.Response:
        if sends:
            return httpx.Response(200, content=sends[-1])
        reply = Client().get(request.url.path)
        return httpx.Response(reply.status_code, content=reply.getvalue())

    monkeypatch.setattr(leads, "client", lambda: httpx.Client(transport=httpx.MockTransport(answer)))
    yield sends


def follower(world: World) -> str:
    base = {"game": "tillerway", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    asked = {"crew": str(world.crew.id), "name": "Follower", **base}
    return f"/api/packs/{world.as_('owner').post('/api/packs', asked)[1]['id']}"


def test_a_lead_behind_an_address_is_a_signed_release_and_its_keys_are_pinned(
    world: World, elsewhere: list[bytes], tmp_path: Path
) -> None:
    at, mine = follower(world), world.as_("owner")
    address = f"https://elsewhere.example{AT}"
    status, told = mine.post(f"{at}/lead", {"where": "address", "lead": address})
    assert status == 200 and {one["name"] for one in told["offers"]} >= {"Lock Ledger", "Heron Almanac"}
    assert told["lead"]["mark"] and told["lead"]["address"] == address and not told["lead"]["may_propose"]
    edits = [{"do": "take from lead", "take": [one["place"] for one in told["offers"]]}]
    assert mine.post(f"{at}/draft/edits", {"revision": told["revision"], "edits": edits})[0] == 200
    assert mine.get(f"{at}/lead")[1]["lead"]["number"] == "1.0.0"
    # The same keys under another release are followed; others, and what is none, are not.
    edit(world, {"do": "add", "mod": "quiet-deck"})
    publish(world.users["owner"], world.pack.id, world.revision(), "1.1.0", "stable", "")
    assert places(mine.post(f"{at}/lead/look")[1]["offers"]) == {"line quiet-deck"}
    elsewhere.append(b"no pack at all")
    assert mine.post(f"{at}/lead/look")[1]["code"] in ("bad-bag", "archive-wrong")
    elsewhere.append(signed_by_others(world, tmp_path))
    status, told = mine.post(f"{at}/lead/look")
    assert (status, told["code"]) == (422, "other-keys") and "Ask its curators by another way" in told["now"]
    assert places(mine.get(f"{at}/lead")[1]["offers"]) == {"line quiet-deck"}, "what was seen before stays"
    assert mine.post(f"{at}/lead/proposals", {"places": ["line x"]})[1]["code"] == "no-lead"
    for lead in (
        "https://elsewhere.example/packs/1",
        "ftp://elsewhere.example/p/x",
        "http://elsewhere.example/p/x?y=1",
    ):
        assert mine.post(f"{at}/lead", {"where": "address", "lead": lead})[0] == 422


def signed_by_others(world: World, tmp_path: Path) -> bytes:
    """The same pack as a site with other keys would send it: with the pinned charter before its own."""
    from convoy_core.handing_out.bag import make_bag
    from convoy_core.lock.recipe import read_recipe
    from convoy_core.trust.charter import CONTEXT, first_charter
    from convoy_core.trust.signed import Signed
    from convoy_core.trust.signing import new_key, public_half
    from convoy_core.trust.trusted import RELEASE_CONTEXT
    from convoy_io.bags import write_bag
    from convoy_site.releases.charters import all_charters

    key = new_key()
    charter = first_charter(str(world.crew.pk), public_half(key), public_half(key))
    charters = [*all_charters(world.crew), Signed(charter.as_bytes()).with_signature(CONTEXT, key)]
    document = bytes(world.pack.releases.get(number="1.0.0").document)
    signed = Signed(document).with_signature(RELEASE_CONTEXT, key)
    place = tmp_path / "other.zip"
    with place.open("wb") as into:
        write_bag(make_bag(read_recipe(document), signed, charters, {}, ()), Path, into)
    return place.read_bytes()


def test_a_file_is_followed_by_its_next_one_of_the_same_keys(
    world: World, elsewhere: list[bytes], tmp_path: Path
) -> None:
    at, mine = follower(world), world.as_("owner")
    file = Client().get(f"{AT}/pack.zip").content
    status, told = mine.send("POST", f"{at}/lead/file?name=a.zip", file)
    assert status == 200 and told["lead"]["where"] == "file" and told["offers"]
    assert mine.post(f"{at}/lead/look")[1]["code"] == "no-lead"
    edit(world, {"do": "add", "mod": "quiet-deck"})
    publish(world.users["owner"], world.pack.id, world.revision(), "1.1.0", "stable", "")
    told = mine.send("POST", f"{at}/lead/file?name=b.zip", Client().get(f"{AT}/pack.zip").content)[1]
    assert told["lead"]["newest"] == "1.1.0" and "line quiet-deck" in places(told["offers"])
    assert mine.send("POST", f"{at}/lead/file?name=c.zip", signed_by_others(world, tmp_path))[1]["code"] == "other-keys"
    shutil.rmtree(tmp_path)


def test_nobody_follows_what_they_may_not_see(world: World, canals: Pack) -> None:
    mine = world.as_("curator")
    body = {"where": "releases", "lead": str(canals.id)}
    assert mine.post(f"{world.at}/lead", body)[0] == 404
    for lead, code in ((world.pack.id, "no-lead"), ("no id", "not-found")):
        assert follow(world, lead)[1]["code"] == code
    begin(world, canals)
    # A lead that its follower may not see any more says nothing new, and takes no proposals.
    world.crew_of_lead.memberships.filter(user=world.users["owner"]).delete()  # type: ignore[attr-defined]
    assert world.as_("owner").post(f"{world.at}/lead/look")[0] == 404
    edit(world, {"do": "add", "mod": "moon-tables"})
    assert world.as_("owner").post(f"{world.at}/lead/proposals", {"places": ["line moon-tables"]})[0] == 404
    other = start_pack(world.users["owner"], new_pack(world.crew, "Slates", game="gauge-hollow", game_version="3.1",
                                                      loader="", loader_version=""))  # fmt: skip
    assert (
        world.as_("owner").post(f"/api/packs/{other.id}/lead", {"where": "releases", "lead": str(world.pack.id)})[1][
            "code"
        ]
        == "no-lead"
    )


HOSTILE = [
    ("line x", {"version": 5}),
    ("setting no json", {"value": 1, "how": "enforced"}),
    ('setting ["../../etc/passwd.toml", ["a"]]', {"value": 1, "how": "enforced"}),
    ("parts quiet-deck", {"leave_out": ["**"]}),
    ("step s", {"text": None}),
    ("base", ["9.9", "", ""]),
    ("base", "2.1.0"),
    ("order", {"a": 1}),
    ("winner ../x", "quiet-deck"),
    ("aside " + "a" * 600, True),
    ("nowhere", True),
]


@pytest.mark.parametrize(("at", "said"), HOSTILE)
def test_what_a_lead_says_is_read_before_it_is_believed(world: World, canals: Pack, at: str, said: Any) -> None:
    begin(world, canals)
    draft = Draft.objects.get(pack=world.pack)
    draft.lead_now = {**draft.lead_now, "entries": {**draft.lead_now["entries"], at: said}}
    draft.save()
    before = now(world)
    status, told = edit(world, {"do": "take from lead", "take": [at]})
    assert status in (404, 422) and told["what"] and now(world) == before, told


def test_a_lead_is_looked_at_by_itself_and_its_followers_curators_hear_of_it_once(
    world: World, canals: Pack, monkeypatch: pytest.MonkeyPatch
) -> None:
    follow(world, canals.id, begun=True)
    assert leads.look_by_itself() == 0
    goes_on(world, canals)
    assert leads.look_by_itself() == 1 and leads.look_by_itself() == 0
    told = Event.objects.get(what="lead-new")
    assert in_words(told).text == "Quiet Canals 1.1.0 is out, which Night Freight follows: see what is new there."
    assert {one.username for one in concerned(told, world.pack)} == {"owner", "curator"}
    assert page(world, look=False)["offers"]
    # Who sees the lead no more hears nothing; and one that breaks keeps no other from being looked at.
    changed(world, canals, AddMods(do="add many", mods=["rivet", "clean-glass"]))
    publish(world.users["stranger"], canals.id, canals.draft.revision + 1, "1.2.0", "stable", "More.")
    world.crew_of_lead.memberships.filter(user=world.users["owner"]).delete()  # type: ignore[attr-defined]
    assert leads.look_by_itself() == 0
    monkeypatch.setattr(leads, "_look_by_itself", broken := Mock(side_effect=leads.NoLead("It is away.")))
    assert leads.look_by_itself() == 0 and broken.called
