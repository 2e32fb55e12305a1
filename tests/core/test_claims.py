"""What builds say of themselves: read with bounds, carried by catalogue and release, absent from what came before."""

import json
from pathlib import Path
from typing import Any

import pytest

from convoy_core.lock.lock_json import as_data, read_lock
from convoy_core.lock.recipe import read_recipe
from convoy_core.outside.catalogue import ListedMod, UnreadableEntry, read_catalogue
from convoy_core.outside.claims import Claims, read_claims
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import ConvoyError

from .making import lock, locked
from .test_bases import TILLERWAY

KEPT = Path(__file__).with_name("kept")

SAID: dict[str, Any] = {
    "parts": [
        {"id": "engines", "name": "Engines", "folders": ["engines", "sounds/engines"], "default": True,
         "needs": {"weir-core": ">=1.3"}},
        {"id": "night", "name": "Night", "folders": ["night"], "default": False, "breaks": {"night-lanterns": "<2"}},
    ],
    "touches": ["economy.tolls", "weather"],
    "rebuilds": ["economy"],
    "partners": ["fair-scales", "lock-ledger"],
    "settings_schema": "settings.schema.json",
}  # fmt: skip


def test_what_is_said_comes_back_and_nothing_is_added() -> None:
    claims = read_claims(Fields(SAID))
    assert claims.as_data() == SAID
    assert claims.parts[0].patterns == ("engines/**", "sounds/engines/**")
    assert read_claims(Fields({})) == Claims() and Claims().as_data() == {}


@pytest.mark.parametrize(("said", "why"), [
    ({"parts": [{"id": "a", "folders": ["../up"]}]}, "climbs"),
    ({"parts": [{"id": "a", "folders": ["/abs"]}]}, "absolute"),
    ({"parts": [{"id": "a", "folders": []}]}, "no folders"),
    ({"parts": [{"id": "a", "folders": ["x*"]}]}, "not every system"),
    ({"parts": [{"id": "a", "folders": ["x"]}, {"id": "a", "folders": ["y"]}]}, "one id"),
    ({"parts": [{"id": "A b", "folders": ["x"]}]}, "part's id"),
    ({"parts": [{"id": f"a{at}", "folders": ["x"]} for at in range(201)]}, "too long"),
    ({"parts": [{"id": "a", "folders": ["x"], "needs": {"b": "soon"}}]}, "range"),
    ({"touches": ["Economy Tolls"]}, "dotted name"),
    ({"touches": ["a" * 400]}, "too long"),
    ({"rebuilds": "economy"}, "must be a list"),
    ({"partners": [f"m{at}" for at in range(21)]}, "too long"),
    ({"settings_schema": "../schema.json"}, "climbs"),
])  # fmt: skip
def test_what_cannot_be_meant_is_refused(said: dict[str, Any], why: str) -> None:
    with pytest.raises(ConvoyError) as refused:
        read_claims(Fields(said))
    assert why in refused.value.sentence()


def test_a_release_carries_what_its_builds_say() -> None:
    one = locked("lock-ledger")
    made = lock((one, {"mods/a": "1"}))
    assert "parts" not in as_data(made)["builds"][0]
    claiming = type(one)(**{name: getattr(one, name) for name in one.__slots__} | {"claims": read_claims(Fields(SAID))})
    again = read_lock(as_data(lock((claiming, {"mods/a": "1"}))))
    assert again.builds[0].claims.as_data() == SAID


def test_a_release_from_before_is_the_same_to_the_byte() -> None:
    document = (KEPT / "recipe-before-parts.json").read_bytes()
    recipe = read_recipe(document)
    assert recipe.as_bytes() == document
    assert {build.claims for build in recipe.lock.builds} == {Claims()}


def test_a_catalogue_from_before_is_read_and_one_that_claims_nonsense_costs_one_entry() -> None:
    told = json.loads((KEPT / "catalogue-before-parts.json").read_text())
    (entry,) = read_catalogue(told, TILLERWAY)
    assert isinstance(entry, ListedMod) and entry.builds[0].claims == Claims()
    bad = {**told["mods"][0], "id": "bad", "builds": [{**told["mods"][0]["builds"][0], "touches": ["?"]}]}
    good, refused = read_catalogue({"mods": [*told["mods"], bad]}, TILLERWAY)
    assert isinstance(good, ListedMod) and isinstance(refused, UnreadableEntry)
