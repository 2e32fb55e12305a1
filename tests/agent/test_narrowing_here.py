"""Narrowing a fault down in a member's folder: the culprit is found, and whatever happens everything comes back."""

from __future__ import annotations

import json
import random
import subprocess
import sys
from collections.abc import Callable, Collection
from pathlib import Path

import pytest

from convoy_agent import by_file, call_for_help, packing
from convoy_agent.errors import BeingNarrowed, CannotNarrow, SiteRefused, SomebodyElse
from convoy_agent.folder import put_by
from convoy_agent.folder.folder import Folder
from convoy_agent.leave import leave
from convoy_agent.narrowing_here import Asking, go_on, put_down, say, take_back
from convoy_agent.sync import utc_now
from convoy_core.lock.terms import Terms
from convoy_core.narrow import Found, Outcome

from .conftest import Member
from .test_beside import collection, publish

TERMS = Terms(settings=("config/**", "mods/*/settings.toml"), worlds=("worlds",))
NAMES = [f"mod-{number:02}" for number in range(14)]
MODS = {
    mod: {"waybill.toml": f'id = "{mod}"', "data/a.dat": mod * 50, "settings.toml": f"glow = 3 # of {mod}\n"}
    for mod in NAMES
}
NEEDS = {"mod-02": ("mod-01",), "mod-05": ("mod-03", "mod-04"), "mod-09": ("mod-08",)}


@pytest.fixture
def evening(member: Member) -> Member:
    """A folder in which somebody has played, with a world and settings of their own."""
    member.harbour.publish("2.0.0", MODS, terms=TERMS, needs=NEEDS)
    member.sync()
    for path, text in {
        "worlds/fen run/map.dat": "weeks of work", "worlds/fen run/empty/.keep": "", "config/game.toml": "fps = 60\n",
        "screenshots/one.png": "a heron",
    }.items():  # fmt: skip
        (member.folder / path).parent.mkdir(parents=True, exist_ok=True)
        (member.folder / path).write_text(text)
    (member.folder / "mods/mod-07/settings.toml").write_text("glow = 9 # mine\n")
    member.status()
    return member


def there(member: Member) -> set[str]:
    return {path.parent.name for path in (member.folder / "mods").glob("*/waybill.toml")}


def played(member: Member) -> None:
    """What a game does in a try: it makes a world of the same name, and writes settings."""
    for path in ("worlds/fen run/map.dat", "worlds/new/map.dat", "config/game.toml", "config/fresh.toml"):
        (member.folder / path).parent.mkdir(parents=True, exist_ok=True)
        (member.folder / path).write_text("fps = 1\n")
    for one in (member.folder / "mods").glob("*/settings.toml"):
        one.write_text("glow = 0\n")


def searched(member: Member, fails: Callable[[set[str]], bool], asking: Asking | None = None) -> Asking:
    asking = asking or go_on(member.folder, member.store)
    while asking.question.mods is not None:
        assert there(member) == set(asking.question.mods)
        assert not (member.folder / "worlds/fen run").exists() and not (member.folder / "config/fresh.toml").exists()
        outcome = Outcome.FAILS if fails(there(member)) else Outcome.WORKS
        played(member)
        asking = say(member.folder, member.store, outcome)
    return asking


def stop(member: Member) -> None:
    put_down(member.folder, member.store, for_good=True)


@pytest.mark.parametrize("culprits", [("mod-09",), ("mod-02", "mod-12"), ("mod-00", "mod-05", "mod-13")])
def test_the_smallest_set_that_fails_is_found_and_everything_comes_back(
    evening: Member, culprits: Collection[str]
) -> None:
    before = evening.files()
    asking = searched(evening, lambda mods: set(culprits) <= mods)
    found = asking.question.found
    assert found is not None and set(found.culprits) == set(culprits) and found.without_it_works
    assert found.tries == asking.tries <= 8 * len(culprits)
    stop(evening)
    assert evening.files() == before and evening.status().deviations == {}
    assert not (evening.folder / ".convoy/narrowing").exists()
    assert "fps = 1" in "".join(evening.aside().values())
    assert (
        f"## Narrowed down\n\n{culprits[0].title()}" in call_for_help.call_for_help(evening.folder, evening.store).text
    )


def test_an_answer_is_taken_back_and_days_lie_between_two_tries(evening: Member) -> None:
    before = evening.files()
    first = go_on(evening.folder, evening.store)
    assert first.planned == 8 and first.question.left == 8 and there(evening) == set(NAMES)
    second = say(evening.folder, evening.store, Outcome.WORKS)
    assert second.question.found is not None and not second.question.found.fails
    assert take_back(evening.folder, evening.store).question == first.question
    say(evening.folder, evening.store, Outcome.FAILS)
    third = say(evening.folder, evening.store, Outcome.WORKS)
    put_down(evening.folder, evening.store, for_good=False)
    assert evening.files() == before
    with pytest.raises(CannotNarrow):
        say(evening.folder, evening.store, Outcome.WORKS)
    # Played on meanwhile: what was done then is what comes back in the end.
    (evening.folder / "worlds/fen run/map.dat").write_text("a week more")
    (evening.folder / "config/game.toml").write_text("fps = 75\n")
    before = evening.files()
    again = go_on(evening.folder, evening.store)
    assert again.question == third.question and there(evening) == set(third.question.mods or ())
    found = searched(evening, lambda mods: "mod-11" in mods, again).question.found
    stop(evening)
    assert found is not None and found.culprits == ("mod-11",) and evening.files() == before


def test_sometimes_is_an_answer_and_how_sure_it_is_is_said(evening: Member) -> None:
    chance = random.Random(7)
    go_on(evening.folder, evening.store)
    asking = say(evening.folder, evening.store, Outcome.FAILS, of_ten=5)
    assert asking.chance == 0.5 and asking.planned > 20
    found = searched(evening, lambda mods: "mod-06" in mods and chance.random() < 0.5, asking).question.found
    assert found is not None and found.culprits == ("mod-06",) and 0.98 < found.sure < 1
    stop(evening)


def test_whatever_kills_it_at_whichever_file_everything_comes_back(
    evening: Member, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Killed at the nth move, then at the nth of putting it back, for every n."""
    before, moves = evening.files(), put_by.move
    left, at = [0], 0

    def killed(source: Path, target: Path) -> None:
        left[0] -= 1
        if left[0] == 0:
            raise KeyboardInterrupt
        moves(source, target)

    def tried(act: Callable[[], object]) -> bool:
        left[0] = at
        with monkeypatch.context() as context:
            context.setattr(put_by, "move", killed)
            try:
                act()
            except KeyboardInterrupt:
                return False
        return True

    ended = begun = answered = False
    while not (ended and begun and answered):
        at += 5
        begun = tried(lambda: go_on(evening.folder, evening.store))
        go_on(evening.folder, evening.store)
        say(evening.folder, evening.store, Outcome.FAILS)
        answered = tried(lambda: say(evening.folder, evening.store, Outcome.WORKS))
        ready = go_on(evening.folder, evening.store).question.mods
        assert there(evening) == set(ready or ())
        played(evening)
        ended = tried(lambda: stop(evening))
        if not ended:
            stop(evening)
        assert evening.files() == before, at
    assert at > 30


def test_nothing_else_changes_the_folder_meanwhile_and_what_is_lost_strands_nothing(evening: Member) -> None:
    before = evening.files()
    go_on(evening.folder, evening.store)
    say(evening.folder, evening.store, Outcome.FAILS)
    for act in (evening.sync, evening.status, lambda: leave(evening.folder, utc_now())):
        with pytest.raises(BeingNarrowed, match="pause"):
            act()
    with Folder(evening.folder).playing(), pytest.raises(SomebodyElse):
        say(evening.folder, evening.store, Outcome.WORKS)
    (evening.folder / ".convoy/narrowing.json").write_text("{spoilt")
    with pytest.raises(CannotNarrow, match="stop"):
        go_on(evening.folder, evening.store)
    stop(evening)
    assert evening.files() == before
    evening.harbour.publish("2.1.0", MODS, terms=TERMS)
    go_on(evening.folder, evening.store)
    put_down(evening.folder, evening.store, for_good=False)
    evening.sync()
    for act in (go_on, take_back):
        with pytest.raises(CannotNarrow, match="Another release" if act is go_on else "Nothing was answered"):
            act(evening.folder, evening.store)


def test_a_last_answer_is_not_taken_back_over_another_release_and_a_spoilt_one_strands_nothing(evening: Member) -> None:
    before = evening.files()
    go_on(evening.folder, evening.store)
    say(evening.folder, evening.store, Outcome.FAILS)
    for one in (evening.folder / ".convoy/releases").iterdir():
        one.write_bytes(b"spoilt")
    stop(evening)
    assert evening.files() == before
    evening.status()
    searched(evening, lambda mods: "mod-11" in mods)
    put_down(evening.folder, evening.store, for_good=False)
    assert "## Narrowed down\n\nMod-11" in call_for_help.call_for_help(evening.folder, evening.store).text
    evening.harbour.publish("2.1.0", MODS, terms=TERMS)
    evening.sync()
    with pytest.raises(CannotNarrow, match="Another release"):
        take_back(evening.folder, evening.store)
    assert there(evening) == set(NAMES)


def test_what_lies_under_another_mods_file_comes_to_light_as_its_archive_has_it(member: Member) -> None:
    mods = {"under": {"shared.dat": "of under", "u.dat": "u"}, "over": {"shared.dat": "of over", "o.dat": "o"}}
    member.harbour.publish("2.0.0", {**mods, "third": {"t.dat": "t"}}, terms=TERMS, shared=True)
    member.sync()
    before, shared = member.files(), member.folder / "mods/shared.dat"

    def found(nothing: str) -> tuple[Found | None, set[str], set[str]]:
        """What comes of it, what stood in the shared place, and what was said to be missing."""
        asking, seen, missing = go_on(member.folder, member.store), set(), set()
        while asking.question.mods is not None:
            mods = {name for name in "uot" if (member.folder / f"mods/{name}.dat").exists()}
            text = shared.read_text() if shared.exists() else ""
            assert text == ("of over" if "o" in mods else nothing if "u" in mods else "")
            seen.add(text)
            missing |= set(asking.missing)
            asking = say(member.folder, member.store, Outcome.FAILS if "u" in mods else Outcome.WORKS)
        stop(member)
        assert member.files() == before
        return asking.question.found, seen, missing

    whole, seen, missing = found("of under")
    assert whole and whole.culprits == ("under",) and seen == {"of over", "of under", ""} and not missing
    build = Folder(member.folder).installed(Folder(member.folder).pairing())
    assert build is not None
    member.store.drop(build.by_mod["under"].archive.sha256)
    assert found("") == (whole, {"of over", ""}, {"under"})


def test_the_command_asks_from_the_first_try_to_the_culprit(evening: Member) -> None:
    before = evening.files()
    run = [sys.executable, "-m", "convoy_agent", "--store", str(evening.store.root), "narrow-here"]

    def said(*words: str) -> tuple[int, str]:
        done = subprocess.run([*run, *words, "--folder", str(evening.folder)], capture_output=True, text=True)
        return done.returncode, done.stdout + done.stderr

    for words in ("works", "back", "stop", "pause"):
        assert "Nothing is being narrowed down here." in said(words)[1] and said(words)[0] == 2
    code, text = said()
    assert code == 0 and "About 8 tries find one culprit" in text and "14 of 14 mods are there" in text
    code, told = said("fails", "--json")
    assert json.loads(told)["next"] == [] and json.loads(told)["left"] == 7 and there(evening) == set()
    for _ in range(20):
        code, text = said("fails" if "mod-10" in there(evening) else "works")
        if "Found after" in text:
            break
    assert "Mod-10 makes it fail" in text and "Without them everything else works." in text
    # All of it lies there again, and the last answer can still be taken back.
    assert evening.files() == before and there(evening) == set(NAMES)
    assert "about 1 to go" in said("back")[1] and there(evening) == set(NAMES) - {"mod-10"}
    assert "fails together" not in said("works")[1] and "Everything is as it was" in said("stop")[1]
    assert evening.files() == before and said("pause")[0] == 2
    # How often it fails is said with the answer; with all of them it works: then there is nothing to be found.
    said()
    assert json.loads(said("sometimes", "--of-ten", "2", "--json")[1])["chance"] == 0.2
    said("stop")
    said()
    assert "With all of them it works" in said("works")[1] and said("stop")[0] == 0


def test_collections_of_ones_own_are_among_what_is_tried(evening: Member) -> None:
    lamps = collection(evening.harbour, "Lamps")
    publish(lamps, "1.1", {"bells": "a", "ropes": "b"})
    evening.harbour.beside[lamps.pack] = lamps
    evening.sync()
    before = evening.files()
    assert there(evening) == {*NAMES, "bells", "ropes"}
    found = searched(evening, lambda mods: {"bells", "mod-03"} <= mods).question.found
    stop(evening)
    assert found is not None and set(found.culprits) == {"bells", "mod-03"} and evening.files() == before
    assert evening.status().deviations == {}


def test_a_folder_that_follows_a_file_is_narrowed_down_too_and_calls_for_help_on_no_page(
    evening: Member, tmp_path: Path
) -> None:
    place, folder = tmp_path / "pack.zip", tmp_path / "on-the-train"
    packing.pack(evening.folder, evening.store, place)
    by_file.join_file(place, folder, evening.store)
    alone = Member(evening.harbour, folder, evening.store)
    alone.sync()
    before = alone.files()
    found = searched(alone, lambda mods: "mod-04" in mods).question.found
    stop(alone)
    assert found is not None and found.culprits == ("mod-04",) and alone.files() == before
    call = call_for_help.call_for_help(folder, alone.store)
    assert "## Narrowed down" in call.text
    with pytest.raises(SiteRefused):
        call_for_help.send(folder, call, seen=True)
