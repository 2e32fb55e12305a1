"""One state model for a line, and every edit's way back: whatever was done, undoing it ends where it began."""

from typing import Any

import pytest
from django.db import transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from convoy_site.packs.history import Moment, moment
from convoy_site.packs.models import Draft

from .conftest import World
from .test_drafts import edit, lines

MODS = (
    "lock-ledger",
    "heron-almanac",
    "market-bells",
    "signal-flags",
    "barge-berths",
    "weir-core",
    "old-sluice",
    "rivet",
)
VERSIONS = ("3.3.0", "3.4.1", "2.0.2", "2.1.0", "1.3.0", "1.0")
mods, versions = st.sampled_from(MODS), st.sampled_from(VERSIONS)
EDITS = st.one_of(
    st.builds(lambda mod: {"do": "add", "mod": mod}, mods),
    st.builds(lambda mod: {"do": "remove", "mod": mod}, mods),
    st.builds(lambda mod, on: {"do": "switch", "mod": mod, "on": on}, mods, st.booleans()),
    st.builds(lambda mod, version: {"do": "hold", "mod": mod, "version": version}, mods, versions),
    st.builds(lambda mod: {"do": "hold", "mod": mod, "version": ""}, mods),
    st.builds(lambda mod, version: {"do": "take", "mod": mod, "version": version}, mods, versions),
    st.builds(lambda mod: {"do": "update", "mods": [mod]}, mods),
    st.builds(lambda mod, note: {"do": "describe", "mod": mod, "note": note}, mods, st.sampled_from(("", "a", "b"))),
    st.builds(lambda mod, before: {"do": "move", "mods": [mod], "before": before}, mods, mods),
    st.just({"do": "update", "mods": []}),
    st.builds(
        lambda version: {"do": "base", "game_version": version, "loader": "bosun", "loader_version": "5.2.0"},
        st.sampled_from(("2.1.0", "2.0.0")),
    ),
    st.just({"do": "steps", "steps": [{"id": "read", "text": "Read it.", "check": "none", "path": ""}]}),
)


def now(world: World) -> tuple[Moment, dict[str, Any]]:
    draft = Draft.objects.get(pack=world.pack)
    return moment(draft), draft.unsettled


def stacks(world: World) -> tuple[int | None, int | None]:
    _, draft = world.as_("owner").get(f"{world.at}/draft")
    return draft["undo"], draft["redo"]


def back(world: World, revision: int | None) -> str:
    status, told = edit(world, {"do": "take back", "revision": revision})
    assert status == 200, told
    return told["sentence"]


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(EDITS, max_size=7))
def test_any_sequence_of_edits_and_its_undoing_ends_where_it_began(world: World, asked: list[dict[str, Any]]) -> None:
    world.as_("owner")  # signed in before what is rolled back begins
    with transaction.atomic():
        began = [now(world)]
        for one in asked:
            if edit(world, one)[0] == 200:
                began.append(now(world))
        for state in reversed(began[:-1]):
            back(world, stacks(world)[0])
            assert now(world) == state
        assert stacks(world)[0] in (None, world.revision() - 2 * (len(began) - 1)) or len(began) == 1
        for state in began[1:]:
            back(world, stacks(world)[1])
            assert now(world) == state
        assert stacks(world)[1] is None
        transaction.set_rollback(True)


def test_undo_and_redo_go_three_deep_and_say_what_they_did(world: World) -> None:
    for note in ("a", "b", "c"):
        edit(world, {"do": "describe", "mod": "lock-ledger", "note": note})
    said = []
    for which in (0, 0, 0, 1, 1, 1, 0, 1, 0, 0):
        said.append((back(world, stacks(world)[which]).partition(":")[0], lines(world)["lock-ledger"]["note"]))
    undone, again = "taken back", "done again"
    assert said == [
        (undone, "b"), (undone, "a"), (undone, ""), (again, "a"), (again, "b"), (again, "c"), (undone, "b"),
        (again, "c"), (undone, "b"), (undone, "a"),
    ]  # fmt: skip
    edit(world, {"do": "describe", "mod": "lock-ledger", "note": "fresh"})
    assert stacks(world)[1] is None  # whoever does something new has nothing to do again
    assert back(world, stacks(world)[0]) == "taken back: Lock Ledger described anew (note)"


def test_a_line_that_is_off_and_needed_says_so_everywhere(world: World) -> None:
    edit(world, {"do": "add", "mod": "market-bells"})
    edit(world, {"do": "describe", "mod": "signal-flags", "note": "ours"})
    status, told = edit(world, {"do": "switch", "mod": "signal-flags", "on": False}, ask=True)
    assert (status, told["kept"], told["more"]) == (200, False, True)
    assert told["staying"] == [
        {
            "mod": "signal-flags",
            "name": "Signal Flags",
            "for_lines": [{"mod": "market-bells", "name": "Market Bells"}],
        }
    ]
    edit(world, {"do": "switch", "mod": "signal-flags", "on": False})
    line = lines(world)["signal-flags"]
    assert (line["state"], line["on"], line["group"], line["needed_by"]) == (
        "kept", False, "chosen", ["market-bells"],
    )  # fmt: skip
    edit(world, {"do": "remove", "mod": "market-bells"})
    assert lines(world)["signal-flags"]["state"] == "off"
    edit(world, {"do": "switch", "mod": "signal-flags", "on": True})
    assert lines(world)["signal-flags"]["state"] == "settled"


def test_what_waits_for_a_line_that_is_off_is_told_and_leaves_with_it(world: World) -> None:
    edit(world, {"do": "add", "mod": "market-bells"})
    edit(world, {"do": "switch", "mod": "market-bells", "on": False})
    waiting = lines(world)["signal-flags"]
    assert (waiting["needed_by"], waiting["kept_for"]) == ([], ["market-bells"])
    edit(world, {"do": "remove", "mod": "market-bells"})
    assert "signal-flags" not in lines(world)


def test_another_build_than_was_promised_is_said_before_it_is_kept(world: World) -> None:
    status, told = edit(world, {"do": "take", "mod": "lock-ledger", "version": "3.3.0"}, ask=True)
    assert (status, told["kept"], told["other_builds"]) == (200, True, [])
    assert (lines(world)["lock-ledger"]["version"], lines(world)["lock-ledger"]["held"]) == ("3.3.0", False)
    edit(world, {"do": "hold", "mod": "weir-core", "version": "1.3.0"})
    status, told = edit(world, {"do": "take", "mod": "heron-almanac", "version": "9"}, ask=True)
    assert (status, told["code"]) == (422, "no-such-mod")
    edit(world, {"do": "add", "mod": "old-sluice"})
    status, told = edit(world, {"do": "take", "mod": "lock-ledger", "version": "3.4.1"}, ask=True)
    assert not told["kept"] and told["other_builds"] == [
        {
            "mod": "lock-ledger",
            "name": "Lock Ledger",
            "version": "3.3.0",
            "wanted": "3.4.1",
            "why": "Old Sluice 0.9 does not go together with it",
        }
    ]
    assert lines(world)["lock-ledger"]["version"] == "3.3.0"


@pytest.mark.parametrize("do", ["switch", "remove"])
def test_many_edits_of_one_kind_are_told_in_one_line(world: World, do: str) -> None:
    many = ["quiet-deck", "moon-tables", "fog-over-fen", "amber-hours", "cargo-scales"]
    edit(world, {"do": "add many", "mods": many})
    asked = [{"do": do, "mod": mod, **({"on": False} if do == "switch" else {})} for mod in many]
    _, told = edit(world, *asked)
    verb = {"switch": "switched off", "remove": "removed"}[do]
    assert told["sentence"].endswith(f"and 2 others {verb}")
    assert told["sentence"].count(verb) == 1
