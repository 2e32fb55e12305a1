"""Collections of a member's own beside the pack: a real folder, after anything that was taken up, moved and left."""

import random
from dataclasses import replace
from pathlib import Path

import pytest

from convoy_agent import taking_back
from convoy_agent.by_hand import steps_of
from convoy_agent.errors import BadRelease, ErrandsLeft
from convoy_agent.folder.allowed import nobody_to_ask
from convoy_agent.folder.folder import Folder
from convoy_agent.storage.store import Store
from convoy_agent.taking_up import add, drop
from convoy_core.lock.suits import SUITS_ALL, Suits
from convoy_core.lock.terms import Check, HandStep
from convoy_core.trust.charter import first_charter, read_charter
from convoy_core.trust.signing import new_key, public_half
from convoy_core.words.model import Pickup, Reach
from convoy_core.words.ranges import parse_range

from .conftest import Member
from .harbour import TERMS, Harbour, Press

OWN = {"bells": Reach.OWN, "ropes": Reach.OWN, "mirror": Reach.OWN, "fenders": Reach.CREW}
KEY = new_key()


def collection(harbour: Harbour, name: str, own_crew: bool = True) -> Press:
    made = Press(harbour.root)
    made.name, made.pack, made.key = name, f"c-{name.lower().replace(' ', '-')}", harbour.key if own_crew else KEY
    made.charters = []
    made.charter(first_charter("crew-1", public_half(made.key), public_half(made.key)), made.key)
    publish(made, "1.0", {"bells": "a", "ropes": "a", "fenders": "a"})
    return made


def publish(press: Press, number: str, mods: dict[str, str], **options: object) -> None:
    files = {
        mod: {"waybill.toml": f"id = '{mod}'", f"{content}.dat": f"{mod} {content}"} for mod, content in mods.items()
    }
    press.publish(number, files, **{"reaches": OWN, "suits": SUITS_ALL, **options})


def mods_in(member: Member) -> set[str]:
    return {path.split("/")[1] for path in member.files() if path.startswith("mods/")}


def told(member: Member) -> dict:
    return member.harbour.reports[-1]


@pytest.mark.parametrize("seed", range(6))
def test_after_anything_the_folder_is_as_a_fresh_one(member: Member, tmp_path: Path, seed: int) -> None:
    """Taken up, updated, left, and the pack moved, in any order: nothing tells how the folder came to be as it is, and
    to the crew it looks as if there were no collections at all.
    """
    chance, harbour = random.Random(seed), member.harbour
    ones = [collection(harbour, "Clear Deck"), collection(harbour, "Steady Hands")]
    lock = harbour.publish("1.0.1", {"ledger": {"a.dat": "a"}})
    for turn in range(10):
        one = chance.choice(ones)
        what = chance.choice(("take", "take", "leave", "move", "pack"))
        if what == "take":
            harbour.beside[one.pack] = one
        elif what == "leave":
            harbour.beside.pop(one.pack, None)
        elif what == "move":
            mods = chance.sample(sorted(OWN), chance.randint(1, 4))
            publish(one, f"1.{turn + 1}", {mod: chance.choice("abc") for mod in mods}, needs={"ropes": ("bells",)})
        else:
            mods = {"ledger": {"a.dat": "a"}} | {
                mod: {"b.dat": "of the pack"} for mod in chance.sample(sorted(OWN), chance.randint(0, 2))
            }
            lock = harbour.publish(f"1.1.{turn}", mods)
        member.sync()
        assert (told(member)["deviations"], told(member)["fingerprint"]) == ({}, lock.fingerprint())
    fresh = Member(harbour, tmp_path / "fresh", Store(tmp_path / "another"))
    fresh.join()
    fresh.sync()
    assert member.files() == fresh.files()
    assert {file.path: file.sha256 for file in lock.files}.items() <= member.files().items()


def test_what_two_share_is_there_once_and_leaving_takes_only_what_nothing_else_holds(member: Member) -> None:
    harbour = member.harbour
    deck, hands = collection(harbour, "Clear Deck"), collection(harbour, "Steady Hands")
    harbour.beside = {deck.pack: deck, hands.pack: hands}
    publish(hands, "1.1", {"bells": "b", "mirror": "a"})
    member.sync()
    assert mods_in(member) == {"ledger", "lanterns", "bells", "ropes", "mirror"}
    of_deck, of_hands = told(member)["about"]["beside"]
    assert [(row["name"], row["because"]) for row in of_deck["left_out"]] == [
        ("Fenders", "it must be the same for everyone, so that only the pack can bring it"),
        ("Bells", "Steady Hands has it"),
    ]
    assert (of_hands["number"], of_hands["has"], of_hands["mods"], of_hands["left_out"]) == ("1.1", "1.1", 2, [])
    # Its own files are nobody else's business, altered or gone; and a sync mends them.
    (member.folder / "mods/mirror/a.dat").unlink()
    member.status()
    assert told(member)["deviations"] == {} and told(member)["about"]["beside"][1]["off"] == 1
    member.sync()
    assert drop(member.folder, "Steady Hands") == "Steady Hands"
    member.sync()
    assert mods_in(member) == {"ledger", "lanterns", "bells", "ropes"}
    assert (member.folder / "mods/bells/a.dat").exists() and not (member.folder / "mods/bells/b.dat").exists()
    assert not (member.folder / ".convoy/beside" / hands.pack / "releases").exists() or not member.aside()
    # The sync that took it away is taken back: what lay there before it lies there again.
    taking_back.undo(member.folder, member.store)
    assert "mirror" in mods_in(member)


def test_nothing_of_another_crew_is_laid_down_before_its_key_is_trusted_here(member: Member) -> None:
    harbour = member.harbour
    theirs = collection(harbour, "Far Water", own_crew=False)
    mark = read_charter(theirs.charters[-1].document).mark
    harbour.beside = {theirs.pack: theirs}
    assert any("whose keys nobody has trusted on this machine" in one for one in member.sync().remarks)
    assert mods_in(member) == {"ledger", "lanterns"}
    harbour.beside, harbour.opens = {}, {"CODE": theirs}
    with pytest.raises(BadRelease, match="of another crew"):
        add(member.folder, "CODE", "", nobody_to_ask)
    with pytest.raises(BadRelease, match="another key than you named"):
        add(member.folder, "CODE", "0000-0000", nobody_to_ask)
    assert harbour.beside == {}, "it was taken up before its key was trusted"
    assert add(member.folder, "CODE", mark, nobody_to_ask).name == "Far Water"
    member.sync()
    assert mods_in(member) == {"ledger", "lanterns", "bells", "ropes"}
    publish(theirs, "1.1", {"bells": "c"})
    newer, theirs.newest = theirs.documents.pop("1.1"), "1.0"
    # From now on another key, a pack that is none of these, and a way back are all refused, and what lies there stays.
    for wrong in (
        {"key": new_key(), "documents": theirs.documents | {"1.1": newer}, "newest": "1.1"},
        {"documents": {"1.1": harbour.documents["1.0.0"]}, "newest": "1.1"},
        {"newest": "0.9", "documents": theirs.documents | {"0.9": theirs.documents["1.0"]}},
    ):
        before = dict(vars(theirs))
        vars(theirs).update(wrong)
        remarks = member.sync().remarks
        assert any(one.startswith("Far Water beside the pack:") for one in remarks), wrong
        assert mods_in(member) == {"ledger", "lanterns", "bells", "ropes"}
        vars(theirs).update(before)
    publish(theirs, "1.2", {"mirror": "a"}, suits=None)
    assert any("no collection" in one for one in member.sync().remarks)
    publish(theirs, "1.3", {"mirror": "a"}, suits=Suits(parse_range(">=99")))
    member.sync()
    assert mods_in(member) == {"ledger", "lanterns"}
    assert "mirror" not in mods_in(member) and told(member)["about"]["beside"][0]["left_out"]


def test_its_steps_and_errands_are_among_the_others_and_excuse_nothing_of_the_packs(member: Member) -> None:
    harbour = member.harbour
    deck = collection(harbour, "Clear Deck")
    steps = (HandStep("key", "Bind the bell.", Check.CHANGED, "mods/ledger/data/a.dat"),)
    publish(
        deck, "1.1", {"bells": "a", "mirror": "a"}, pickups={"bells": Pickup.CLICK}, terms=replace(TERMS, steps=steps)
    )
    harbour.beside, harbour.refused = {deck.pack: deck}, {"mirror": "it does not go together with Ledger"}
    with pytest.raises(ErrandsLeft, match="Bells"):
        member.sync()
    (Folder(member.folder).inbox / "anything").write_bytes(deck.archive("bells").read_bytes())
    member.sync()
    assert mods_in(member) == {"ledger", "lanterns", "bells"}
    assert [(one["text"], one["check"]) for one in steps_of(member.folder)] == [("Bind the bell.", "none")]
    (member.folder / "mods/ledger/data/a.dat").write_text("changed")
    assert member.status().deviations == {"mods/ledger/data/a.dat": "altered"}
    assert told(member)["about"]["beside"][0]["left_out"][0]["because"] == "it does not go together with Ledger"


def test_one_that_is_served_no_more_stays_as_it_lies(member: Member) -> None:
    harbour = member.harbour
    deck = collection(harbour, "Clear Deck")
    harbour.beside = {deck.pack: deck}
    member.sync()
    harbour.silent = True
    harbour.publish("1.0.1", {"ledger": {"a.dat": "a"}})
    (member.folder / "mods/bells/a.dat").unlink()
    assert member.sync().remarks == ()
    assert mods_in(member) == {"ledger", "bells", "ropes"} and (member.folder / "mods/bells/a.dat").exists()
    # A machine that never had it gets nothing.
    harbour.beside = {}
    member.sync()
    harbour.beside = {deck.pack: deck}
    assert member.sync().remarks == () and mods_in(member) == {"ledger"}
