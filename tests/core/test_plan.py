"""Plans: applying one gives the lock and what is the member's; a second one is empty; nothing is ever deleted but the
pack's own untouched files."""

from hypothesis import given
from hypothesis import strategies as st

from convoy_core.canonical import sha256_hex
from convoy_core.model import Pickup
from convoy_core.plan import Act, Choices, Plan, make_plan

from .making import lock, locked

PATHS = ["mods/a/x", "mods/a/y", "mods/b", "mods/b/z", "saves/world", "mods/c/x"]
CONTENTS = ["one", "two", "three"]
folders = st.dictionaries(st.sampled_from(PATHS), st.sampled_from(CONTENTS)).filter(
    lambda files: not ("mods/b" in files and "mods/b/z" in files)
)


def hashes(files: dict[str, str]) -> dict[str, str]:
    return {path: sha256_hex(content.encode()) for path, content in files.items()}


def carry_out(plan: Plan, scan: dict[str, str]) -> tuple[dict[str, str], dict[str, str]]:
    """The folder afterwards, and what was moved aside: a model of the agent, in the plan's order."""
    after, aside = dict(scan), {}
    for move in plan.moves:
        if move.act is Act.ASIDE:
            aside[move.path] = after.pop(move.path)
        elif move.act is Act.REMOVE:
            del after[move.path]
        else:
            assert move.file is not None
            assert (move.path in after) == (move.act is Act.REPLACE)
            after[move.path] = move.file.sha256
    return after, aside


@given(folders, folders, folders, st.booleans())
def test_a_plan_leads_to_the_lock_and_loses_nothing(record, there, wanted, extras_aside) -> None:
    target = lock((locked("mod"), wanted))
    scan = hashes(there)
    choices = Choices(extras_aside)
    plan = make_plan(hashes(record), scan, target, (), choices)
    after, aside = carry_out(plan, scan)
    assert {path: after.get(path) for path in wanted} == hashes(wanted)
    for path, sha256 in scan.items():
        is_packs_own = hashes(record).get(path) == sha256
        assert after.get(path) == sha256 or aside.get(path) == sha256 or is_packs_own
    left_over = set(after) - set(wanted)
    assert all(path not in record or not path.startswith("mods/") for path in left_over)
    again = make_plan(hashes(wanted), after, target, (), choices)
    assert again.moves == ()
    if extras_aside:
        assert all(not path.startswith("mods/") for path in left_over)


def test_each_case_by_name() -> None:
    wanted = {"mods/new": "n", "mods/newer": "2", "mods/altered": "a", "mods/same": "s", "mods/taken": "t"}
    target = lock((locked("mod"), wanted))
    record = {"mods/newer": "1", "mods/altered": "a", "mods/same": "s", "mods/gone": "g", "mods/gone-altered": "g"}
    there = {**record, "mods/altered": "mine", "mods/gone-altered": "mine", "mods/taken": "mine", "mods/extra": "e",
             "saves/world": "w"}  # fmt: skip
    plan = make_plan(hashes(record), hashes(there), target)
    assert [(move.act.value, move.path) for move in plan.moves] == [
        ("aside", "mods/altered"),
        ("aside", "mods/gone-altered"),
        ("aside", "mods/taken"),
        ("remove", "mods/gone"),
        ("place", "mods/altered"),
        ("place", "mods/new"),
        ("replace", "mods/newer"),
        ("place", "mods/taken"),
    ]
    assert plan.extras == ("mods/extra",)
    assert plan.left_alone == 1


def test_only_what_is_to_be_placed_is_fetched_and_errands_are_told_apart() -> None:
    direct, by_hand, idle = locked("direct"), locked("by-hand", pickup=Pickup.BY_HAND), locked("idle")
    target = lock((direct, {"mods/d": "d"}), (by_hand, {"mods/h": "h"}), (idle, {"mods/i": "i"}))
    scan = hashes({"mods/i": "i"})
    plan = make_plan({}, scan, target)
    assert (plan.fetch, plan.errands) == ((direct,), (by_hand,))
    assert plan.fetch_bytes == direct.archive.size
    stored = {direct.archive.sha256, by_hand.archive.sha256}
    plan = make_plan({}, scan, target, stored)
    assert (plan.fetch, plan.errands) == ((), ())
