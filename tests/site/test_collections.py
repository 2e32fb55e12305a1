"""Collections: put together, laid under a pack, moved to newer releases, detached, dropped; and who may do what."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.db import transaction
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import read_recipe
from convoy_site.packs import draft_layers, drafts
from convoy_site.packs.models import Draft, Pack
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMods, DescribeLine, EditIn, HoldLine, KeyIn, SetSettings, SetSteps
from convoy_site.people.models import Membership
from convoy_site.people.services import start_crew
from convoy_site.releases.services import publish

from .conftest import World, new_pack
from .test_drafts import edit, lines
from .test_undoing import back, now, stacks

SUITS = (">=2.0, <2.2", {"bosun": "*"})
OF_DECK = "mods/quiet-deck/settings.toml"


def collection(world: World, name: str, *edits: EditIn, who: str = "owner", crew: Any = None) -> Pack:
    """A collection with its first release."""
    new = new_pack(crew or world.crew, name)
    pack = start_pack(world.users[who], NewPack(**{**vars(new), "suits": SUITS}))
    edit_draft(world.users[who], pack.id, 0, list(edits))
    publish(world.users[who], pack.id, 1, "1.0.0", "stable", f"{name}, for the first time.")
    return pack


def clear_deck(world: World, **told: Any) -> Pack:
    return collection(
        world,
        "Clear Deck",
        AddMods(do="add many", mods=["quiet-deck", "amber-hours", "tarred-planks"]),
        HoldLine(do="hold", mod="quiet-deck", version="0.6.0", because="calmer"),
        DescribeLine(do="describe", mod="amber-hours", optional=True, advice="For evenings."),
        SetSettings(do="set", settings=[KeyIn(path=OF_DECK, key=["strength"], value=2)]),
        SetSteps(do="steps", steps=[{"id": "look", "text": "Look at your deck."}]),
        **told,
    )


def newer_deck(world: World, deck: Pack, **told: Any) -> None:
    edit_draft(world.users["owner"], deck.id, 1, [HoldLine(do="hold", mod="quiet-deck")])
    publish(world.users["owner"], deck.id, 2, "1.1.0", "stable", "The compass can be hidden.", **told)


def take_up(pack: Pack, **told: Any) -> dict[str, Any]:
    return {"do": "take up", "collection": str(pack.id), **told}


def draft_of(world: World) -> dict[str, Any]:
    return world.as_("owner").get(f"{world.at}/draft")[1]


def lock(world: World) -> Lock:
    draft = Draft.objects.get(pack=world.pack)
    draft.pack = world.pack
    return draft_layers.lock_of(draft)


def test_a_collection_lies_under_the_pack_and_the_release_says_so(world: World) -> None:
    deck = clear_deck(world)
    offered = world.as_("owner").get(f"{world.at}/draft/collections")[1]
    assert [(one["name"], one["number"], one["mods"], one["why"]) for one in offered] == [
        ("Clear Deck", "1.0.0", 3, "")
    ]
    assert offered[0]["suits"].endswith("2.0 or newer, below 2.2, Bosun")
    status, told = edit(world, take_up(deck))
    assert status == 200 and told["sentence"] == "Clear Deck taken up at 1.0.0"
    draft = draft_of(world)
    theirs = [one for one in draft["lines"] if one["group"] == "collection"]
    assert [(one["mod"], one["version"], one["optional"]) for one in theirs] == [
        ("quiet-deck", "0.6.0", False), ("amber-hours", "1.2", True), ("tarred-planks", "3.3", False),
    ]  # fmt: skip
    assert theirs[0]["newer"] == "", "what a collection fixes moves with the collection"
    assert (draft["chosen"], draft["through"]) == (2, 3)
    assert {one["mod"] for one in draft["lines"] if one["group"] == "brought in"} >= {"rivet", "weir-core"}
    # Laid down before the pack's own, after what was brought in; its setting and step under the pack's.
    under = lock(world)
    mods = [one.mod for one in under.builds]
    assert mods.index("rivet") < mods.index("quiet-deck") < mods.index("tarred-planks") < mods.index("lock-ledger")
    assert [(one.key, one.value) for one in under.terms.by_path[OF_DECK]] == [(("strength",), 2)]
    (row,) = world.as_("owner").get(f"{world.at}/settings?path={OF_DECK}")[1]["lone"]
    assert row["to"]["collection"] == "Clear Deck" and row["to"]["holds"] and draft["holding"] == 1
    publish(world.users["owner"], world.pack.id, world.revision(), "1.1.0", "stable", "A calmer screen.")
    recipe = read_recipe(bytes(world.pack.releases.get(number="1.1.0").document))
    assert [(one.name, one.number) for one in recipe.lock.collections] == [("Clear Deck", "1.0.0")]
    assert recipe.lock.by_mod["quiet-deck"].collection == str(deck.id) and recipe.suits is None
    assert "collection: Clear Deck" in [row["name"] for row in recipe.changes]
    assert read_recipe(bytes(deck.releases.get().document)).suits is not None


def test_the_packs_own_line_and_the_later_collection_go_before(world: World) -> None:
    deck = clear_deck(world)
    hands = collection(
        world,
        "Steady Hands",
        AddMods(do="add many", mods=["quiet-deck", "amber-hours", "moon-tables"]),
        SetSettings(do="set", settings=[KeyIn(path=OF_DECK, key=["strength"], value=9)]),
    )
    edit(world, take_up(deck))
    edit(world, take_up(hands))
    told = {one["name"]: one for one in draft_of(world)["collections"]}
    assert list(told) == ["Clear Deck", "Steady Hands"]
    assert [(one["mod"], one["version"], one["instead"], one["by"]) for one in told["Clear Deck"]["otherwise"]] == [
        ("quiet-deck", "0.6.0", "0.7.0", "Steady Hands")
    ]
    assert told["Clear Deck"]["shared"] == 1, "amber-hours is in both, in one build: that is there once"
    edit(world, {"do": "move collection", "collection": str(hands.id), "before": str(deck.id)})
    assert lines(world)["quiet-deck"]["version"] == "0.6.0"
    assert [one.value for one in lock(world).terms.by_path[OF_DECK]] == [2]
    # The pack's own goes before both, and says what it has in their stead.
    edit(world, {"do": "take", "mod": "quiet-deck", "version": "0.7.0"})
    assert lines(world)["quiet-deck"]["group"] == "chosen"
    told = {one["name"]: one for one in draft_of(world)["collections"]}
    assert [(one["instead"], one["by"]) for one in told["Clear Deck"]["otherwise"]] == [("0.7.0", "")]
    assert told["Clear Deck"]["lines"] == 2 and told["Steady Hands"]["shared"] == 2
    edit(world, {"do": "set", "settings": [{"path": OF_DECK, "key": ["strength"], "value": 5}]})
    assert [one.value for one in lock(world).terms.by_path[OF_DECK]] == [5]
    told = {one["name"]: one for one in draft_of(world)["collections"]}
    assert [(one["theirs"], one["ours"]) for one in told["Clear Deck"]["sets_otherwise"]] == [("2", "5")]
    # What a collection brings is left out by switching it off here, and not by removing it.
    status, refused = edit(world, {"do": "remove", "mod": "moon-tables"})
    assert status == 422 and "is a line of Steady Hands" in refused["why"] + refused["what"]
    assert edit(world, {"do": "switch", "mod": "moon-tables", "on": False})[0] == 200
    assert "moon-tables" not in lock(world).by_mod and lines(world)["moon-tables"]["state"] == "off"


def test_a_newer_release_is_offered_with_its_log_and_taken_with_everything(world: World) -> None:
    deck = clear_deck(world)
    edit(world, take_up(deck))
    newer_deck(world, deck)
    assert [one["newer"] for one in draft_of(world)["collections"]] == ["1.1.0"]
    (told,) = world.as_("owner").get(f"{world.at}/draft/updates")[1]["collections"]
    assert (told["before"], told["after"], told["held"]) == ("1.0.0", "1.1.0", False)
    assert told["releases"] == [{"number": "1.1.0", "notes": "The compass can be hidden."}]
    assert [(one["name"], one["before"], one["after"]) for one in told["changes"]] == [("Quiet Deck", "0.6.0", "0.7.0")]
    edit(world, take_up(deck, release="1.0.0", hold=True))
    edit(world, {"do": "update", "mods": []})
    assert lines(world)["quiet-deck"]["version"] == "0.6.0", "held"
    edit(world, take_up(deck, release="1.0.0"))
    _, told = edit(world, {"do": "update", "mods": []})
    assert lines(world)["quiet-deck"]["version"] == "0.7.0"
    assert edit(world, take_up(deck))[0] == 409
    back(world, stacks(world)[0])
    assert lines(world)["quiet-deck"]["version"] == "0.6.0"


def test_detached_its_lines_are_the_packs_own_and_nothing_moves(world: World) -> None:
    deck = clear_deck(world)
    edit(world, {"do": "add", "mod": "amber-hours"}, take_up(deck))
    edit(world, {"do": "parts", "mod": "tarred-planks", "leave_out": ["*.md"]})
    before = lock(world)
    status, told = edit(world, {"do": "detach", "collection": str(deck.id)})
    assert status == 200 and "2 lines, 1 setting and 1 step by hand of the pack's own" in told["sentence"]
    after = lock(world)
    assert (after.files, after.covered, after.terms) == (before.files, before.covered, before.terms)
    assert after.collections == () and {one["group"] for one in lines(world).values()} == {"chosen", "brought in"}
    newer_deck(world, deck)
    edit(world, {"do": "update", "mods": ["quiet-deck"]})
    assert lines(world)["quiet-deck"]["version"] == "0.7.0", "an update of its own now"


def test_a_dropped_collection_takes_only_what_nothing_else_holds(world: World) -> None:
    deck = clear_deck(world)
    before = lock(world)
    edit(world, take_up(deck), {"do": "add", "mod": "tarred-planks"})
    edit(world, {"do": "drop collection", "collection": str(deck.id)})
    assert {one.mod for one in lock(world).builds} == {one.mod for one in before.builds} | {"tarred-planks"}
    assert edit(world, {"do": "drop collection", "collection": str(deck.id)})[0] == 422


def test_what_no_longer_goes_together_is_a_finding_with_its_clash(world: World) -> None:
    books = collection(world, "Old Books", AddMods(do="add many", mods=["old-sluice"]))
    outcome = edit(world, take_up(books), ask=True)[1]
    assert outcome["more"] and not outcome["kept"], "it would take Lock Ledger back"
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.4.1"}, take_up(books))
    told = lines(world)["old-sluice"]
    assert told["state"] == "unsettled" and told["group"] == "collection", told
    found = world.as_("owner").get(f"{world.at}/findings")[1]["findings"]
    (clash,) = [one for one in found if one["check"] == "unsettled"]
    assert clash["severity"] == "blocker" and "Old Sluice, a line of Old Books," in clash["what"]
    ways = world.as_("owner").post(f"{world.at}/findings/ways", {"finding": clash["id"]})[1]
    assert {"Drop Old Books", "Switch Old Sluice off"} <= {one["text"] for one in ways}
    # On a base that it does not suit it says so itself, and its bases are told as a pack's are.
    edit(world, {"do": "base", "game_version": "1.9.0", "loader": "bosun", "loader_version": "4.8.2"})
    told = draft_of(world)["collections"][0]
    assert "made for game version 2.0 or newer, below 2.2" in told["misfit"]
    found = world.as_("owner").get(f"{world.at}/findings")[1]["findings"]
    assert "Old Books 1.0.0 should not be under this pack." in [one["what"] for one in found]
    bases = world.as_("owner").get(f"/api/packs/{books.id}/draft/bases")[1]
    assert any(one["exist"] for one in bases) and not all(one["exist"] for one in bases)


REFUSED = [
    ({"do": "set aside", "text": "*.md"}, "not-in-collections"),
    ({"do": "own files", "add": {"a.txt": "0" * 64}}, "not-in-collections"),
    ({"do": "keep set", "id": "low", "name": "Low", "offered": True}, "not-in-collections"),
]


@pytest.mark.parametrize(("asked", "code"), REFUSED)
def test_a_collection_lies_over_nothing_of_others(world: World, asked: dict[str, Any], code: str) -> None:
    deck = clear_deck(world)
    body = {"revision": 1, "edits": [asked]}
    status, refused = world.as_("owner").post(f"/api/packs/{deck.id}/draft/edits", body)
    assert (status, refused["code"]) == (422, code)


def test_what_is_no_collection_for_this_pack_is_refused(world: World) -> None:
    mine = world.as_("owner")
    deck = clear_deck(world)
    assert edit(world, take_up(world.pack))[1]["code"] == "no-collection"
    assert edit(world, take_up(deck, release="9"))[1]["code"] == "no-collection"
    assert edit(world, {"do": "take up", "collection": "0" * 8 + "-0000-0000-0000-" + "0" * 12})[0] == 404
    body = {"revision": 1, "edits": [take_up(deck)]}
    assert mine.post(f"/api/packs/{deck.id}/draft/edits", body)[1]["code"] == "not-in-collections"
    other = start_pack(world.users["owner"], new_pack(world.crew, "Slates", game="gauge-hollow", game_version="3.1",
                                                      loader="", loader_version=""))  # fmt: skip
    body = {"revision": 0, "edits": [take_up(deck)]}
    assert mine.post(f"/api/packs/{other.id}/draft/edits", body)[1]["code"] == "no-collection"
    # Another crew's is nobody's business here, and stays out of the list; what it suits is read before it is kept.
    crew = start_crew(world.users["stranger"], "Elsewhere")
    far = clear_deck(world, who="stranger", crew=crew)
    assert edit(world, take_up(far))[0] == 404
    assert [one["name"] for one in mine.get(f"{world.at}/draft/collections")[1]] == ["Clear Deck"]
    for suits in ({"games": "2.x"}, {"games": "*", "loaders": {"oars": "*"}}):
        assert mine.send("PATCH", f"/api/packs/{deck.id}", {"suits": suits})[0] == 422
    assert mine.send("PATCH", f"/api/packs/{deck.id}", {"suits": {"games": ">=2.1"}})[1]["suits"]["games"] == ">=2.1"
    assert mine.send("PATCH", world.at, {"suits": {"games": "*"}})[1]["code"] == "no-collection"


def test_a_sealed_release_of_a_collection_is_not_told_by_way_of_a_pack(world: World) -> None:
    pack = start_pack(world.users["owner"], NewPack(**{**vars(new_pack(world.crew, "Fog Bound")), "suits": SUITS}))
    edit_draft(world.users["owner"], pack.id, 0, [AddMods(do="add many", mods=["quiet-deck"])])
    hour = timezone.now() + timedelta(hours=3)
    publish(world.users["owner"], pack.id, 1, "1.0.0", "stable", "Hush.", sealed_until=hour)
    (told,) = world.as_("owner").get(f"{world.at}/draft/collections")[1]
    assert (told["number"], told["why"]) == ("", "It has no open release.")
    assert edit(world, take_up(pack, release="1.0.0"))[1]["code"] == "no-collection"


def test_what_became_of_a_collection_takes_nothing_from_the_pack(world: World) -> None:
    crew = start_crew(world.users["owner"], "Elsewhere")
    deck = clear_deck(world, crew=crew)
    edit(world, take_up(deck))
    before = lock(world)
    Membership.objects.filter(crew=crew).delete()
    world.as_("owner").post(f"/api/packs/{deck.id}/releases/1.0.0/withdraw", {"why": "no"})
    told = draft_of(world)["collections"][0]
    assert (told["name"], told["is_seen"]) == ("Clear Deck", False)
    assert edit(world, {"do": "update", "mods": []})[0] == 200
    assert lock(world) == before


def test_pages_with_many_collections_cost_no_more_queries(world: World, django_assert_max_num_queries: Any) -> None:
    for at in range(4):
        pack = collection(world, f"Set {at}", AddMods(do="add many", mods=["quiet-deck", "amber-hours"]))
        edit(world, take_up(pack))
    draft_of(world)
    for path, most in (("draft", 18), ("findings", 40), ("draft/collections", 8)):
        with django_assert_max_num_queries(most):
            assert world.as_("owner").get(f"{world.at}/{path}")[0] == 200


ids = st.sampled_from((0, 1))
STEPS = st.one_of(
    st.builds(lambda at, hold: ("take up", {"at": at, "hold": hold}), ids, st.booleans()),
    st.builds(lambda at: ("take up", {"at": at, "release": "1.0.0"}), ids),
    st.builds(lambda at: ("drop collection", {"at": at}), ids),
    st.builds(lambda at: ("detach", {"at": at}), ids),
    st.builds(lambda at, other: ("move collection", {"at": at, "before": other}), ids, ids),
    st.just(("update", {"mods": []})),
    st.builds(lambda mod: ("remove", {"mod": mod}), st.sampled_from(("quiet-deck", "amber-hours"))),
    st.builds(lambda mod: ("add", {"mod": mod}), st.sampled_from(("quiet-deck", "amber-hours"))),
    st.builds(lambda mod: ("switch", {"mod": mod, "on": False}), st.sampled_from(("quiet-deck", "moon-tables"))),
)


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(STEPS, max_size=7))
def test_any_way_there_comes_to_what_a_fresh_start_would_and_is_undone(world: World, steps: list[Any]) -> None:
    world.as_("owner")
    with transaction.atomic():
        deck = clear_deck(world)
        hands = collection(world, "Steady Hands", AddMods(do="add many", mods=["quiet-deck", "moon-tables"]))
        newer_deck(world, deck)
        packs = [str(deck.id), str(hands.id)]
        began = [now(world)]
        for do, told in steps:
            asked: dict[str, Any] = {"do": do, **told}
            if "at" in asked:
                asked["collection"] = packs[asked.pop("at")]
            if "before" in asked:
                asked["before"] = packs[asked["before"]]
            if edit(world, asked)[0] == 200:
                began.append(now(world))
        # What lies there follows from what the draft says, and not from the way that led to it: a pack that is put
        # together fresh, with the builds that this one keeps, lays down the same.
        draft = Draft.objects.get(pack=world.pack)
        draft.pack = world.pack
        fresh = drafts.settle_draft(draft)
        assert {mod: one.version.text for mod, one in fresh.picks.items()} == draft.picks
        under = drafts.taken_under(draft).lines
        assert all(draft.picks.get(mod, at.line.version) == at.line.version for mod, at in under.items())
        for state in reversed(began[:-1]):
            back(world, stacks(world)[0])
            assert now(world) == state
        transaction.set_rollback(True)
