"""What a world was played with, and worlds that come from elsewhere: told before, copied whole or not at all."""

import json
import zipfile
from pathlib import Path
from unittest.mock import Mock

import pytest

from convoy_agent import backing_up, worlds
from convoy_agent.errors import FolderRefused, WorldRefused
from convoy_agent.folder.folder import Folder
from convoy_agent.folder.worlds import WorldsKept
from convoy_agent.join import join
from convoy_agent.storage.store import Store
from convoy_agent.sync import sync
from convoy_core.lock.worlds import WorldChange
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Reach

from .conftest import MODS, Member
from .harbour import CODE
from .test_worlds import TRIAL, begin, choose, content_of

SAVES = {"ledger": Reach.SAVE}
RICH = {"rich": {"rules.toml": "gold = 9"}}
TOUCHES = {"rich": ("progress.gold",)}


def played(member: Member, world: str = "fen") -> list[str]:
    return [one.number for one in WorldsKept(Folder(member.folder)).all()[f"worlds/{world}"].papers]


def play(member: Member, world: str = "fen", text: str = "one more evening") -> None:
    place = member.folder / "worlds" / world / "canal.dat"
    place.write_text(place.read_text() + text)


def yes(told: object) -> bool:
    return True


class Told:
    """Notes what it is told, and answers."""

    def __init__(self, answer: bool = True) -> None:
        self.answer, self.said = answer, list[str]()

    def __call__(self, told: list[WorldChange]) -> bool:
        self.said += [one.sentence for one in told]
        return self.answer


def test_a_world_knows_what_it_was_played_with_and_syncs_do_not_count(member: Member) -> None:
    options = {"for_worlds": ("trial",)}
    member.harbour.publish("1.0.0", {**MODS, "trial": TRIAL}, **options)
    member.sync()
    begin(member, "fen")
    member.status()
    assert played(member) == ["1.0.0"]
    choose(member, trial=["fen"])
    member.sync()
    member.harbour.publish("1.1.0", {**MODS, "trial": TRIAL, "new": {"x": "y"}}, **options)
    member.sync()
    assert content_of(member, "fen") and played(member) == ["1.0.0"], "nobody played with 1.1.0 yet"
    play(member)
    # What was played before a sync was played with what lay there then.
    member.harbour.publish("1.2.0", {**MODS, "trial": TRIAL}, **options)
    member.sync()
    assert played(member) == ["1.0.0", "1.1.0"]
    (row,) = member.harbour.reports[-1]["about"]["worlds"]
    assert [one["number"] for one in row["played"]] == ["1.0.0", "1.1.0"] and row["progress"] == []


def test_a_world_that_was_played_for_progress_is_kept_apart(member: Member) -> None:
    member.harbour.publish("1.0.0", {**MODS, **RICH}, touches=TOUCHES)
    member.sync()
    begin(member, "fen")
    member.harbour.publish("1.1.0", MODS)
    found = member.status().plan
    assert found and [one.sentence for one in found.worlds] == [
        "“fen” was played with Rich 1.0.0, which changes progress; this release has none of it"
    ]
    member.sync()
    assert [one.why for one in backing_up.backups_of(member.folder)[0]] == ["Before release 1.1.0"]
    assert "Rich 1.0.0" in worlds.hand_on(member.folder, "fen")[1]
    # And the other way round: what changes progress comes over a world that was played without.
    begin(member, "moor")
    member.status()
    member.harbour.publish("1.2.0", {**MODS, **RICH}, touches=TOUCHES)
    found = member.status().plan
    assert found and [one.sentence for one in found.worlds][-1].startswith("Rich 1.2.0 changes progress, and “moor”")


@pytest.fixture
def other(member: Member, tmp_path: Path) -> Path:
    """Another installation, which stays at a release with other builds, and in which a world was played."""
    place = tmp_path / "other"
    join(CODE, member.harbour.address, place)
    member.harbour.publish("0.9.0", {**MODS, **RICH, "gone": {"x": "y"}}, reaches={**SAVES, "gone": Reach.SAVE},
                           touches=TOUCHES)  # fmt: skip
    sync(place, Store(tmp_path / "store"))
    (place / "worlds/fen/deep").mkdir(parents=True)
    (place / "worlds/fen/canal.dat").write_text("fen")
    (place / "worlds/fen/deep/lock.dat").write_text("lock")
    sync(place, Store(tmp_path / "store"))
    member.harbour.publish("1.0.0", MODS, reaches=SAVES)
    member.sync()
    return place


EXPECTED = [
    "“fen” was played with Ledger 0.9.0; here is 1.0.0",
    "“fen” was played with Gone 0.9.0, which is not here",
    "“fen” was played with Rich 0.9.0, which changes progress; this release has none of it",
]


@pytest.mark.parametrize("way", ["installation", "its folder", "a file", "a file of all"])
def test_from_wherever_it_comes_what_it_was_played_with_is_told_before(
    member: Member, other: Path, tmp_path: Path, way: str
) -> None:
    if way == "a file":
        source = worlds.hand_on(other, "fen", tmp_path / "fen.zip")[0]
    elif way == "a file of all":
        source = tmp_path / "all.zip"
        with zipfile.ZipFile(source, "w") as packed:
            for path in ("canal.dat", "deep/lock.dat"):
                packed.write(other / "worlds/fen" / path, f"game/worlds/fen/{path}")
    else:
        source = other if way == "installation" else other / "worlds/fen"
    if way == "a file of all":
        with pytest.raises(WorldRefused, match="says what it was played with"):
            worlds.bring(member.folder, source, yes)
        made = worlds.bring(member.folder, source, yes, unknown=True)
        assert made.told == ()
    else:
        refused = Told(answer=False)
        with pytest.raises(WorldRefused, match="not brought over"):
            worlds.bring(member.folder, source, refused)
        assert refused.said == EXPECTED and not (member.folder / "worlds").exists()
        made = worlds.bring(member.folder, source, yes)
        assert played(member) == ["0.9.0"]
    assert made.world == "worlds/fen" and made.files == 2
    assert (member.folder / "worlds/fen/deep/lock.dat").read_text() == "lock"
    assert (other / "worlds/fen/deep/lock.dat").read_text() == "lock", "it was moved"
    with pytest.raises(WorldRefused, match="already"):
        worlds.bring(member.folder, source, yes, unknown=True)
    worlds.bring(member.folder, source, yes, called="fen again", unknown=True)
    assert member.status().deviations == {}


def test_a_folder_without_an_agent_says_it_by_its_mods(member: Member, other: Path, tmp_path: Path) -> None:
    plain = tmp_path / "plain"
    (other / ".convoy").rename(tmp_path / "away")
    other.rename(plain)
    (plain / "mods/stranger").mkdir()
    (plain / "mods/stranger/x").write_text("x")
    heard = Told()
    worlds.bring(member.folder, plain, heard)
    assert heard.said == ["Beside “fen” lay “gone”, “rich” and “stranger”, of which this pack knows nothing"]
    (plain / "mods/ledger/data/a.dat").write_text("another build")
    heard = Told()
    worlds.bring(member.folder, plain / "worlds/fen", heard, called="fen 2")
    assert heard.said[0] == "Ledger lay there in another build than 1.0.0"


def test_a_copy_and_another_name_take_papers_and_content_along(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    member.harbour.publish("1.0.0", {**MODS, "trial": TRIAL}, for_worlds=("trial",), reaches={"trial": Reach.SAVE})
    begin(member, "fen")
    choose(member, trial=["fen"])
    member.sync()
    play(member)
    member.status()
    made = worlds.copy(member.folder, "fen", "fen, other bank")
    assert made.carries == ("trial",) and played(member, "fen, other bank") == ["1.0.0"]
    assert worlds.rename(member.folder, "fen", "moor") == "worlds/moor"
    assert not (member.folder / "worlds/fen").exists() and played(member, "moor") == ["1.0.0"]
    assert member.harbour.choice["worlds"]["trial"] == ["worlds/fen, other bank", "worlds/moor"]
    # A game that holds it: neither its name nor what goes into it changes.
    with monkeypatch.context() as held:
        held.setattr(worlds.disk, "replace", Mock(side_effect=PermissionError(13, "in use")))
        with pytest.raises(ConvoyError):
            worlds.rename(member.folder, "moor", "marsh")
    assert member.harbour.choice["worlds"]["trial"] == ["worlds/fen, other bank", "worlds/moor"]
    done = member.sync()
    assert done.plan.moves == () and content_of(member, "moor") == content_of(member, "fen, other bank") == TRIAL
    for new in ("moor", "MOOR", "a/b", "..", "aux", "{world}", ""):
        with pytest.raises(WorldRefused):
            worlds.rename(member.folder, "moor", new)
    with pytest.raises(WorldRefused, match="There are: fen, other bank, moor"):
        worlds.copy(member.folder, "fen", "x")


def test_what_is_hostile_or_torn_leaves_nothing_behind(
    member: Member, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    begin(member, "here")

    def packed(name: str, **files: str) -> Path:
        place = tmp_path / name
        with zipfile.ZipFile(place, "w") as made:
            for path, text in files.items():
                made.writestr(path.replace("__", "/"), text)
        return place

    paper = json.dumps({"format": "convoy-world/1", "name": "x", "played": [{"saves": [["a", "b"]]}]})
    long = json.dumps({"format": "convoy-world/1", "name": "x", "played": [{}] * 61})
    named = json.dumps({"format": "convoy-world/1", "name": "../../up", "played": []})
    hostile = [
        packed("climbs.zip", **{"..__..__out.dat": "x"}),
        packed("twins.zip", **{"w__A.dat": "1", "w__a.dat": "2"}),
        packed("papers.zip", **{"convoy-world.json": paper, "world__a": "1"}),
        packed("long.zip", **{"convoy-world.json": long, "world__a": "1"}),
        packed("named.zip", **{"convoy-world.json": named, "world__a": "1"}),
        packed("two.zip", worlds__a__x="1", worlds__b__x="1"),
        packed("none.zip"),
    ]
    broken = tmp_path / "broken.zip"
    broken.write_bytes(packed("fine.zip", w__a="1" * 999).read_bytes()[:-30])
    linked = tmp_path / "linked"
    linked.mkdir()
    (linked / "x").symlink_to("/etc/passwd")
    for source in (*hostile, broken, linked, tmp_path / "nowhere", tmp_path / "empty"):
        (tmp_path / "empty").mkdir(exist_ok=True)
        with pytest.raises(ConvoyError):
            worlds.bring(member.folder, source, yes, unknown=True)
    with pytest.raises(WorldRefused, match="lies in the folder already"):
        worlds.bring(member.folder, member.folder / "worlds/here", yes, called="again")
    torn = tmp_path / "torn"
    torn.mkdir()
    (torn / "x").write_text("x")
    real = worlds.staged

    def stopped(*given: object) -> Path:
        real(*given)
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(worlds, "staged", stopped)
    with pytest.raises((OSError, ConvoyError)):
        worlds.bring(member.folder, torn, yes, unknown=True)
    monkeypatch.undo()
    assert [one.name for one in (member.folder / "worlds").iterdir()] == ["here"]
    out = tmp_path / "here.zip"
    worlds.hand_on(member.folder, "here", out)
    with pytest.raises(FolderRefused):
        worlds.hand_on(member.folder, "here", out)
    assert not (member.folder / ".convoy/world-new").exists()
