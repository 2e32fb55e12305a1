"""Plans: applying one gives the lock and what is the member's; a second one is empty; nothing is ever deleted but the
pack's own untouched files; settings files that the member changed are merged, never replaced."""

from hypothesis import given
from hypothesis import strategies as st

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.terms import Check, HandStep, How, Terms, Tweak
from convoy_core.sync.plan import NOT_PLAIN, NOT_READ, Act, Plan, Recorded, Scan, SyncChoices, make_plan
from convoy_core.words.model import Pickup, Reach

from .making import lock, locked

SETTINGS = "mods/a/settings.toml"
PATHS = [SETTINGS, "mods/a/x", "mods/a/y", "mods/b", "mods/b/z", "saves/world", "mods/c/x"]
TERMS = Terms(settings=("mods/*/settings.*",), worlds=("saves",))
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
        elif move.act is Act.MERGE:
            after[move.path] = f"merged from {after[move.path]}"
        else:
            assert move.file is not None
            assert (move.path in after) == (move.act is Act.REPLACE)
            after[move.path] = move.file.sha256
    return after, aside


@given(folders, folders, folders, st.booleans())
def test_a_plan_leads_to_the_lock_and_loses_nothing(record, there, wanted, extras_aside) -> None:
    target = lock((locked("mod"), wanted), terms=TERMS)
    scan = hashes(there)
    choices = SyncChoices(extras_aside)
    plan = make_plan(Recorded(hashes(record)), Scan(scan), target, (), choices)
    after, aside = carry_out(plan, scan)
    packs = {path for path in wanted if path != SETTINGS}
    assert {path: after.get(path) for path in packs} == {path: hashes(wanted)[path] for path in packs}
    if SETTINGS in wanted:
        touched = SETTINGS in record and SETTINGS in there and there[SETTINGS] != record[SETTINGS]
        moved_on = record.get(SETTINGS) != wanted[SETTINGS]
        mine = (f"merged from {scan[SETTINGS]}" if moved_on else scan[SETTINGS]) if touched else None
        assert after[SETTINGS] == (mine or hashes(wanted)[SETTINGS])
    for path, sha256 in scan.items():
        is_packs_own = hashes(record).get(path) == sha256
        if path == SETTINGS and path in wanted and path in record:
            continue  # kept, or merged: told above
        assert after.get(path) == sha256 or aside.get(path) == sha256 or is_packs_own
    left_over = set(after) - set(wanted)
    assert all(path not in record or not path.startswith("mods/") for path in left_over)
    again = make_plan(Recorded(hashes(wanted)), Scan(after), target, (), choices)
    assert again.moves == ()
    assert (SETTINGS in again.mine) == (SETTINGS in wanted and after[SETTINGS] != hashes(wanted)[SETTINGS])
    if extras_aside:
        assert all(not path.startswith("mods/") or path == SETTINGS for path in left_over)


def test_each_case_by_name() -> None:
    wanted = {"mods/new": "n", "mods/newer": "2", "mods/altered": "a", "mods/same": "s", "mods/taken": "t"}
    target = lock((locked("mod"), wanted))
    record = {"mods/newer": "1", "mods/altered": "a", "mods/same": "s", "mods/gone": "g", "mods/gone-altered": "g"}
    there = {**record, "mods/altered": "mine", "mods/gone-altered": "mine", "mods/taken": "mine", "mods/extra": "e",
             "saves/world": "w"}  # fmt: skip
    plan = make_plan(Recorded(hashes(record)), Scan(hashes(there)), target)
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
    plan = make_plan(Recorded(), Scan(scan), target)
    assert (plan.fetch, plan.errands) == ((direct,), (by_hand,))
    assert plan.fetch_bytes == direct.archive.size
    stored = {direct.archive.sha256, by_hand.archive.sha256}
    plan = make_plan(Recorded(), Scan(scan), target, stored)
    assert (plan.fetch, plan.errands) == ((), ())


def acts(plan: Plan) -> dict[str, str]:
    return {move.path: move.act.value for move in plan.moves}


def test_settings_are_merged_only_where_both_sides_moved() -> None:
    """Release moved or not, member changed or not; and an enforced key that strayed."""
    paths = {name: f"mods/{name}/settings.toml" for name in ("new", "both", "theirs", "mine", "gone", "found", "link")}
    wanted = dict.fromkeys(paths.values(), "2")
    record = {**wanted, paths["both"]: "1", paths["theirs"]: "1", paths["link"]: "1"}
    del record[paths["new"]], record[paths["found"]]
    there = {**record, paths["both"]: "mine", paths["mine"]: "mine", paths["found"]: "mine"}
    del there[paths["gone"]]
    scan = {**hashes(there), paths["link"]: NOT_PLAIN}
    target = lock((locked("mod"), wanted), terms=TERMS)
    plan = make_plan(Recorded(hashes(record)), Scan(scan), target)
    assert sorted((path.split("/")[1], act) for path, act in acts(plan).items()) == [
        ("both", "merge"),
        ("found", "place"),  # no record of how it came to be: moved aside, and placed anew
        ("gone", "place"),
        ("link", "place"),
        ("new", "place"),
        ("theirs", "replace"),
    ]
    assert set(plan.paths(Act.ASIDE)) == {paths["found"], paths["link"]}
    assert plan.mine == (paths["mine"],)
    strayed = make_plan(Recorded(hashes(record)), Scan(scan, {paths["mine"]}), target)
    assert acts(strayed)[paths["mine"]] == "merge"


def test_a_changed_tweak_is_a_new_rendering_of_the_same_file() -> None:
    tweak = Tweak(SETTINGS, ("strength",), 7, How.START)
    target = lock((locked("mod"), {SETTINGS: "2"}), terms=Terms(TERMS.settings, (), (tweak,)))
    record = Recorded(hashes({SETTINGS: "2"}))
    assert acts(make_plan(record, Scan(hashes({SETTINGS: "2"})), target)) == {SETTINGS: "replace"}
    assert acts(make_plan(record, Scan(hashes({SETTINGS: "mine"})), target)) == {SETTINGS: "merge"}
    advice = lock(
        (locked("mod"), {SETTINGS: "2"}), terms=Terms(TERMS.settings, (), (Tweak(SETTINGS, ("a",), 1, How.ADVICE),))
    )
    assert make_plan(record, Scan(hashes({SETTINGS: "2"})), advice).moves == ()


def test_only_chosen_differences_are_mended() -> None:
    target = lock((locked("mod"), {"mods/a/x": "1", "mods/a/y": "1"}))
    record = Recorded(hashes({"mods/a/x": "1", "mods/a/y": "1"}))
    scan = Scan(hashes({"mods/a/x": "mine", "mods/e": "e", "mods/f": "f"}))
    plan = make_plan(record, scan, target, (), SyncChoices(True, frozenset({"mods/a/x", "mods/e"})))
    assert [(move.act.value, move.path) for move in plan.moves] == [
        ("aside", "mods/a/x"), ("aside", "mods/e"), ("place", "mods/a/x"),
    ]  # fmt: skip
    assert plan.extras == ("mods/f",)


def test_a_file_that_a_step_changes_is_left_until_the_release_changes_it() -> None:
    step = HandStep("patch", "Run the patcher once.", Check.CHANGED, "mods/a/x")
    terms = Terms(steps=(step,))
    record, patched = Recorded(hashes({"mods/a/x": "1"})), Scan(hashes({"mods/a/x": "patched"}))
    assert make_plan(record, patched, lock((locked("mod"), {"mods/a/x": "1"}), terms=terms)).moves == ()
    newer = make_plan(record, patched, lock((locked("mod"), {"mods/a/x": "2"}), terms=terms))
    assert [move.act.value for move in newer.moves] == ["aside", "place"]


def test_what_happens_to_worlds_is_said_of_save_builds_alone() -> None:
    files = {"mods/a/x": "1"}
    before = lock((locked("world", "1.0", reach=Reach.SAVE), files), (locked("crew", "1.0"), {"mods/b": "1"}))
    newer = lock((locked("world", "2.0", reach=Reach.SAVE), files), (locked("crew", "2.0"), {"mods/b": "2"}))
    record = Recorded(hashes({"mods/a/x": "1", "mods/b": "1"}), {}, before)
    [told] = make_plan(record, Scan({}), newer).worlds
    assert told.sentence == "World updated from 1.0 to 2.0" and "older one" in told.note
    [gone] = make_plan(record, Scan({}), lock((locked("crew", "1.0"), {"mods/b": "1"}))).worlds
    assert gone.what == "removed"
    assert make_plan(Recorded(), Scan({}), newer).worlds == ()


def test_a_first_install_over_somebodys_worlds_backs_them_up_and_into_an_empty_folder_it_does_not() -> None:
    target = lock((locked("world", "2.0", reach=Reach.SAVE), {"mods/a/x": "1"}), (locked("crew"), {}), terms=TERMS)
    assert make_plan(Recorded(), Scan({"game.bin": NOT_READ}), target).worlds == ()
    [told] = make_plan(Recorded(), Scan({"saves/mine": NOT_READ}), target).worlds
    assert told.sentence == "World 2.0 added"
