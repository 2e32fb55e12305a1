"""Content for saved worlds lies in those that its member named, in no other, and leaves with them."""

import json
import random
import shutil

import pytest

from convoy_agent import backing_up
from convoy_agent.change import Wish
from convoy_agent.errors import SiteAway
from convoy_agent.milestones import MOST_MILESTONES
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.in_worlds import as_in_lock, in_worlds
from convoy_core.lock.recipe import read_recipe
from convoy_core.sync.plan import SyncChoices
from convoy_core.words.model import Reach

from .conftest import Member

TRIAL = {"rules.toml": "night = true\n", "map/fen.dat": "fen"}
LATER = {"rules.toml": "night = false\n", "map/fen.dat": "fen"}
TIDES = {"rules.toml": "tides = 3\n", "tide.dat": "high"}
BOTH = {"trial": TRIAL, "tides": TIDES}
OPTIONS = {"for_worlds": ("trial", "tides"), "reaches": {"trial": Reach.SAVE}}


def begin(member: Member, *worlds: str) -> None:
    for name in worlds:
        (member.folder / "worlds" / name).mkdir(parents=True, exist_ok=True)
        (member.folder / "worlds" / name / "canal.dat").write_text(name)


def content_of(member: Member, world: str) -> dict[str, str]:
    place = member.folder / "worlds" / world / "trials"
    return {str(one.relative_to(place)): one.read_text() for one in place.rglob("*") if one.is_file()}


def choose(member: Member, **worlds: list[str]) -> None:
    member.harbour.choice["worlds"] = {mod: [f"worlds/{name}" for name in names] for mod, names in worlds.items()}


def told(member: Member) -> dict[str, list[str]]:
    return {row["world"]: row["holds"] for row in member.harbour.reports[-1]["about"]["worlds"]}


def milestone(number: int, world: str = "fen") -> dict[str, str]:
    return {"id": f"m{number}", "name": f"The run: milestone {number}", "world": world}


def backups(member: Member) -> list[str]:
    return [one.why for one in backing_up.backups_of(member.folder)[0]]


def test_a_milestone_backs_its_world_up_once_by_its_name_and_not_without_end(member: Member) -> None:
    member.sync()
    begin(member, "fen")
    member.harbour.choice["milestones"] = [milestone(1), milestone(2, "nowhere")]
    member.status()
    assert backups(member) == ["The run: milestone 1"]
    assert member.harbour.reports[-1]["about"]["backups"][0]["why"] == "The run: milestone 1"
    (member.folder / "worlds/fen/canal.dat").write_text("played on")
    # Once; and what is not here now is not backed up later under a name of before.
    begin(member, "nowhere")
    member.sync()
    assert backups(member) == ["The run: milestone 1"]
    # While the game runs it is not whole: it is told, and tried again.
    member.harbour.choice["milestones"] = [milestone(3)]
    unreadable = member.folder / "worlds/fen/torn"
    unreadable.symlink_to(member.folder / "gone")
    assert any("milestone 3 is not backed up yet" in one for one in member.status().remarks)
    unreadable.unlink()
    member.sync()
    assert backups(member)[0] == "The run: milestone 3"
    # A site that names a thousand fills no disk.
    for start in range(10, 70, 20):
        member.harbour.choice["milestones"] = [milestone(one) for one in range(start, start + 100)]
        found = member.status()
    assert len(backups(member)) == MOST_MILESTONES
    assert any("20 milestones are kept already" in one for one in found.remarks)
    member.harbour.choice["milestones"] = [{"id": 5}]
    with pytest.raises(SiteAway):
        member.sync()


def test_it_comes_into_the_worlds_that_were_named_and_leaves_with_them(member: Member) -> None:
    begin(member, "fen", "lake")
    choose(member, trial=["fen", "nowhere"])
    member.harbour.publish("2.0.0", BOTH, **OPTIONS)
    done = member.sync()
    assert content_of(member, "fen") == TRIAL and content_of(member, "lake") == {}
    assert sorted(path.name for path in (member.folder / "worlds").iterdir()) == ["fen", "lake"]
    assert [one.sentence for one in done.plan.worlds] == ["Trial 2.0.0 added", "Trial 2.0.0 comes into “fen”"]
    assert done.backup and len(done.backup.files) == 2
    assert told(member) == {"worlds/fen": ["trial"], "worlds/lake": []}
    assert not member.sync().plan.moves and not member.harbour.reports[-1]["deviations"]

    # Every world, also one that begins later; a link to a world elsewhere is not entered.
    elsewhere = member.folder.parent / "elsewhere"
    shutil.copytree(member.folder / "worlds/lake", elsewhere)
    (member.folder / "worlds/linked").symlink_to(elsewhere)
    choose(member, trial=["*"])
    [lake] = member.sync().plan.worlds
    assert lake.sentence == "Trial 2.0.0 comes into “lake”"
    begin(member, "new", "{world}")
    member.sync()
    assert content_of(member, "lake") == content_of(member, "new") == TRIAL
    assert not (elsewhere / "trials").exists() and content_of(member, "{world}") == {}

    # A newer build comes into all; what somebody changed there is moved aside, not lost.
    (member.folder / "worlds/fen/trials/rules.toml").write_text("mine")
    member.harbour.publish("2.1.0", {**BOTH, "trial": LATER}, **OPTIONS)
    assert member.sync().aside == ("worlds/fen/trials/rules.toml",)
    assert content_of(member, "fen") == content_of(member, "new") == LATER
    assert member.aside() == {"worlds/fen/trials/rules.toml": "mine"}

    # A world that its owner deletes is not made anew; out of another it leaves, and the world stays.
    shutil.rmtree(member.folder / "worlds/new")
    choose(member, trial=["lake", "new"])
    out = member.sync()
    assert [one.sentence for one in out.plan.worlds] == ["Trial 2.1.0 leaves “fen”"] and out.backup
    assert not (member.folder / "worlds/new").exists() and not (member.folder / "worlds/fen/trials").exists()
    assert (member.folder / "worlds/fen/canal.dat").read_text() == "fen"
    (member.folder / "worlds/linked").unlink()
    backing_up.restore(member.folder, out.backup.id)
    assert content_of(member, "fen") == LATER


def test_mending_follows_what_was_placed_and_a_lost_record_is_made_anew_from_worlds_too(member: Member) -> None:
    begin(member, "fen", "lake")
    choose(member, trial=["fen"])
    member.harbour.publish("2.0.0", BOTH, **OPTIONS)
    member.sync()
    lost = member.folder / "worlds/fen/trials/map/fen.dat"
    lost.unlink()
    choose(member, trial=["lake"])
    assert member.status().deviations == {"worlds/fen/trials/map/fen.dat": "missing"}
    member.sync(wish=Wish(SyncChoices(only=frozenset({"worlds/fen/trials/map/fen.dat"}))))
    assert content_of(member, "fen") == TRIAL and content_of(member, "lake") == {}
    (member.folder / ".convoy/record.json").write_text("{")
    assert "damaged or lost" in " ".join(member.status().remarks)
    member.sync()
    assert content_of(member, "fen") == {} and content_of(member, "lake") == TRIAL


@pytest.mark.parametrize("seed", range(4))
def test_what_is_predicted_lies_in_every_world(member: Member, seed: int) -> None:
    chance = random.Random(seed)
    worlds = ["fen", "lake", "weir"]
    begin(member, *worlds)
    for number in ("2.0.0", "3.0.0"):
        mods = {"trial": chance.choice([TRIAL, LATER]), "tides": TIDES}
        names = chance.sample(list(mods), 2)
        member.harbour.publish(number, {mod: mods[mod] for mod in names}, **OPTIONS)
        lock = read_recipe(member.harbour.documents[number]).lock
        for _ in range(2):
            named = {mod: chance.sample([*worlds, "*"], chance.randint(0, 2)) for mod in mods}
            choose(member, **named)
            member.sync()
            for world in worlds:
                wanted: dict[str, str] = {}
                for mod in names:
                    wanted |= mods[mod] if {world, "*"} & set(named[mod]) else {}
                assert content_of(member, world) == wanted
            here = {f"worlds/{world}" for world in worlds}
            share = in_worlds(lock, {mod: {f"worlds/{one}" for one in them} for mod, them in named.items()}, here)
            lies = member.files()
            assert {path: one for path, one in lies.items() if "/trials/" in path} == {
                one.path: one.sha256 for one in share.files
            }
            # Which worlds it lies in is its owner's business; what lies in them is the crew's.
            assert member.harbour.reports[-1]["fingerprint"] == lock.fingerprint()
            spoilt = {**lies, **{one.path: sha256_hex(b"x") for one in share.files[:1]}}
            same = lock.fingerprint(as_in_lock(lock, share, spoilt)) == lock.fingerprint()
            assert same is not bool(share.files)


def test_a_release_with_content_for_worlds_says_so_in_its_format(member: Member) -> None:
    member.harbour.publish("2.0.0", BOTH)
    assert json.loads(member.harbour.documents["2.0.0"])["format"] == "convoy-recipe/1"
    member.harbour.publish("2.1.0", BOTH, **OPTIONS)
    assert json.loads(member.harbour.documents["2.1.0"])["format"] == "convoy-recipe/2"
