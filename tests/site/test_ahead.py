"""Looking ahead: recognising a paste, previewing updates, comparing bases, the needs around a mod."""

from django.db import connection
from django.test.utils import CaptureQueriesContext

from convoy_site.catalogue.models import Mod
from convoy_site.packs.models import Draft

from .conftest import World
from .test_drafts import edit, lines

PASTE = """
- Signal Flags
https://somewhere.example/mods/market-bells
Lock Ledger 3.3.0
signal-flags
Sluice Books
False Bottom
Nothing Like This
Hron Almanak
"""


def recognised(world: World, text: str) -> list[dict]:
    status, told = world.as_("owner").post(f"{world.at}/draft/recognise", {"text": text})
    assert status == 200, told
    return told["lines"]


def test_pasted_lines_are_named_or_refused_with_a_reason(world: World) -> None:
    found = recognised(world, PASTE)
    assert [(one["state"], one["mod"]) for one in found] == [
        ("recognised", "signal-flags"),
        ("recognised", "market-bells"),
        ("already there", "lock-ledger"),
        ("already there", "signal-flags"),
        ("refused", "sluice-books"),
        ("refused", "false-bottom"),
        ("refused", ""),
        ("ambiguous", ""),
    ]
    assert "made for Capstan" in found[4]["reason"]
    assert "No source has" in found[6]["reason"]
    assert [one["mod"] for one in found[7]["options"]] == ["heron-almanac"]


def test_two_mods_of_one_name_are_for_a_person_to_tell_apart(world: World) -> None:
    one = Mod.objects.get(slug="signal-flags")
    twin = Mod.objects.create(game=one.game, source=one.source, slug="signal-flags-too", name=one.name, kind=one.kind)
    Mod.objects.filter(slug="market-bells").update(name=one.name)
    (found,) = recognised(world, "Signal Flags")
    assert found["state"] == "ambiguous"
    assert {option["mod"] for option in found["options"]} == {"signal-flags", "market-bells", twin.slug}


def test_a_long_paste_takes_few_queries(world: World) -> None:
    with CaptureQueriesContext(connection) as few:
        recognised(world, "Signal Flags\nMarket Bells")
    with CaptureQueriesContext(connection) as many:
        recognised(world, "\n".join(["Signal Flags", "Market Bells"] * 400))
    assert len(many) <= len(few)


def test_what_was_recognised_comes_in_at_once(world: World) -> None:
    mods = ["signal-flags", "market-bells", "lock-ledger"]
    status, told = edit(world, {"do": "add many", "mods": mods})
    assert status == 200
    assert told["sentence"] == "Signal Flags and Market Bells added"
    assert edit(world, {"do": "add many", "mods": mods})[0] == 409
    status, told = edit(world, {"do": "add many", "mods": ["quiet-deck", "sluice-books"]})
    assert [one["mod"] for one in told["left_out"]] == ["sluice-books"]
    assert "made for Capstan" in told["left_out"][0]["why"]
    assert "quiet-deck" in lines(world)
    assert "sluice-books" not in lines(world)


def test_an_update_is_shown_before_it_is_taken(world: World) -> None:
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0", "because": "the last one for our world"})
    _, told = world.as_("owner").get(f"{world.at}/draft/updates")
    assert told["moves"] == []
    behind = {one["mod"]: one for one in told["behind"]}
    assert behind["lock-ledger"]["why"] == "you hold it at 3.3.0: the last one for our world"
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0"}, {"do": "hold", "mod": "lock-ledger"})
    world.revision()
    Draft.objects.update(picks={**world.pack.draft.picks, "lock-ledger": "3.3.0"})
    _, told = world.as_("owner").get(f"{world.at}/draft/updates")
    (move,) = [one for one in told["moves"] if one["mod"] == "lock-ledger"]
    assert (move["before"], move["after"]) == ("3.3.0", "3.4.1")
    assert move["logs"][0]["version"] == "3.4.1"
    edit(world, {"do": "update", "mods": ["lock-ledger"]})
    assert lines(world)["lock-ledger"]["version"] == "3.4.1"


def test_each_base_says_what_it_means_for_the_lines(world: World) -> None:
    _, told = world.as_("owner").get(f"{world.at}/draft/bases")
    here = next(one for one in told if one["now"])
    assert (here["exist"], here["of"], here["same"], here["loader_version"]) == (2, 2, 2, "5.2.0")
    other = next(one for one in told if (one["game_version"], one["loader"]) == ("2.1.0", "capstan"))
    spoken = {one["mod"]: one["text"] for one in (*other["through"], *other["change"], *other["missing"])}
    assert "lock-ledger" in spoken
    assert {one["mod"] for one in other["through"]} == {"lock-ledger"}
    assert all(one["exist"] + len(one["missing"]) == one["of"] == 2 for one in told)


def test_needs_around_a_mod_make_a_graph(world: World) -> None:
    _, told = world.as_("owner").get(f"{world.at}/draft/needs/weir-core")
    assert {"asker": "lock-ledger", "met_by": "weir-core"}.items() <= told["edges"][-1].items()
    chosen = {one["mod"] for one in told["nodes"] if one["chosen"]}
    assert "lock-ledger" in chosen
