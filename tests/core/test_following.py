"""Following a lead is a three-way merge: its laws, over any three packs, and against a model that asks case by case."""

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from convoy_core.draft.following import (
    LeadChanged,
    PlaceKind,
    entries_of,
    in_lead_order,
    kind_of,
    lead_offers,
    own_ways,
    place,
    setting_at,
    setting_place,
    settled,
)
from convoy_core.lock.terms import HandStep, How, Terms, Tweak

from .making import lock, locked

ORDER = place(PlaceKind.ORDER)
mods = st.sampled_from(["a", "b", "c", "d", "e"])
said = st.dictionaries(mods.map(lambda mod: place(PlaceKind.LINE, mod)), st.sampled_from([1, 2, 3]), max_size=5)


def pack(lines: dict[str, Any], order: list[str]) -> dict[str, Any]:
    there = [mod for mod in order if place(PlaceKind.LINE, mod) in lines]
    return {**lines, ORDER: there}


packs = st.builds(pack, said, st.permutations(["a", "b", "c", "d", "e"]))


@given(packs, packs, packs)
def test_the_laws_of_a_three_way_merge(taken: dict, mine: dict, theirs: dict) -> None:
    offers = {one.place: one for one in lead_offers(taken, mine, theirs)}
    ways = {one.place for one in own_ways(taken, mine, theirs)}
    assert not lead_offers(taken, mine, taken), "a lead that says nothing new asks nothing"
    assert not lead_offers(taken, theirs, theirs), "what is here already is not asked"
    assert not own_ways(taken, taken, theirs), "untouched here is theirs"
    # Case by case, as a person would tell it.
    for at in {*taken, *mine, *theirs} - {ORDER}:
        base, here, there = taken.get(at), mine.get(at), theirs.get(at)
        if here == base != there:
            assert offers[at].changed is LeadChanged.THERE and at not in ways
        elif here != base and there == base:
            assert at not in offers and at in ways
        elif len({str(base), str(here), str(there)}) == 3:
            assert offers[at].changed is LeadChanged.BOTH and at in ways
        else:
            assert at not in offers and at not in ways
    # Seen from the other side the same places are in question where both went their own way.
    back = {one.place for one in lead_offers(taken, theirs, mine) if one.changed is LeadChanged.BOTH}
    assert back == {one.place for one in offers.values() if one.changed is LeadChanged.BOTH}


@given(packs, packs, packs, st.data())
def test_what_was_decided_is_not_asked_again_and_all_taken_is_the_lead(
    taken: dict, mine: dict, theirs: dict, data: st.DataObject
) -> None:
    offers = lead_offers(taken, mine, theirs)
    decided = data.draw(st.sets(st.sampled_from([one.place for one in offers]))) if offers else set()
    after = settled(taken, theirs, decided)
    # Kept as it is here, or taken: either way it is settled; the others are asked as before.
    left = {one.place for one in lead_offers(after, mine, theirs)}
    assert left == {one.place for one in offers} - decided
    all_taken = {at: said for at, said in mine.items() if at != ORDER}
    for one in offers:
        if one.place != ORDER:
            all_taken.pop(one.place, None)
            if one.theirs is not None:
                all_taken[one.place] = one.theirs
    ordered = in_lead_order(mine[ORDER], theirs[ORDER])
    after = settled(taken, theirs, {one.place for one in offers})
    assert not lead_offers(after, {**all_taken, ORDER: ordered}, theirs)
    if not own_ways(taken, mine, theirs):
        assert all_taken == {at: said for at, said in theirs.items() if at != ORDER}


@given(st.permutations(["a", "b", "c", "d"]), st.permutations(["b", "c", "d", "e"]))
def test_their_order_moves_nothing_that_is_ours_alone(mine: list[str], theirs: list[str]) -> None:
    ordered = in_lead_order(mine, theirs)
    assert ordered.index("a") == mine.index("a")
    assert [mod for mod in ordered if mod != "a"] == [mod for mod in theirs if mod != "e"]
    assert in_lead_order(ordered, theirs) == ordered


def test_a_release_says_all_that_can_be_taken_from_it() -> None:
    path, key = "mods/a/settings.toml", ("a key", "of\ntwo")
    terms = Terms(("mods/**",), (), (Tweak(path, key, 3, How.ENFORCED),), (HandStep("read", "Read it."),))
    found = entries_of(lock((locked("lib", chosen=False), {}), (locked("a", "2.0", optional=True), {}), terms=terms))
    assert found == {
        "base": ["2.1.0", "bosun", "5.2.0"],
        "order": ["a"],
        "line a": {"version": "2.0", "optional": True},
        setting_place(path, key): {"value": 3, "how": "enforced"},
        "step read": {"text": "Read it.", "check": "none", "path": ""},
    }
    kind, name = kind_of(setting_place(path, key))
    assert kind is PlaceKind.SETTING and setting_at(name) == (path, list(key))
