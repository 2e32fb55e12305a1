"""Locks: what wins, what matches, what is refused when it comes from outside; and the signed recipe around them."""

import copy
import json
from typing import Any

import pytest

from convoy_core.lock.change_log import change_log, changes
from convoy_core.lock.lock_json import as_data, read_lock
from convoy_core.lock.recipe import Recipe, read_recipe
from convoy_core.lock.terms import Check, HandStep, How, Terms, Tweak
from convoy_core.lock.whole_log import whole_log
from convoy_core.machine.memory import Needed
from convoy_core.trust.signing import key_fingerprint, new_key, public_half, sign, verify
from convoy_core.words.errors import BadSignature, ConvoyError, HostileArchive, MalformedInput
from convoy_core.words.model import Base, Reach, Side
from convoy_core.words.versions import parse_version

from .making import BASE, lock, locked

LEDGER = (locked("ledger"), {"mods/ledger/a.dat": "a", "mods/ledger/b.dat": "b"})
LOOKS = (locked("looks", side=Side.PLAYER, reach=Reach.OWN), {"mods/looks/c.dat": "c"})
CLERK = (locked("clerk", side=Side.SERVER, reach=Reach.OWN), {"mods/clerk/d.dat": "d"})


def test_on_one_path_the_later_build_wins() -> None:
    made = lock((locked("first"), {"mods/x": "one"}), (locked("second"), {"mods/x": "two"}))
    assert [file.mod for file in made.files] == ["second"]


def test_shares_leave_out_what_belongs_elsewhere() -> None:
    whole = lock(LEDGER, LOOKS, CLERK)
    assert set(whole.share(Side.PLAYER).by_mod) == {"ledger", "looks"}
    assert set(whole.share(Side.SERVER).by_mod) == {"ledger", "clerk"}
    assert set(whole.share(Side.SERVER).by_path) == {"mods/ledger/a.dat", "mods/ledger/b.dat", "mods/clerk/d.dat"}


def test_the_fingerprint_is_equal_exactly_when_what_must_match_is() -> None:
    plain = lock(LEDGER)
    assert lock(LEDGER, LOOKS).fingerprint() == plain.fingerprint()
    assert lock(LEDGER, CLERK).share(Side.SERVER).fingerprint() == plain.share(Side.PLAYER).fingerprint()
    assert lock((LEDGER[0], {**LEDGER[1], "mods/ledger/b.dat": "other"})).fingerprint() != plain.fingerprint()
    moved = Base("tillerway", parse_version("2.0"), "bosun", parse_version("5.2.0"))
    assert lock(LEDGER, base=moved).fingerprint() != plain.fingerprint()


def test_the_fingerprint_of_a_machine_follows_what_lies_there() -> None:
    whole = lock(LEDGER, LOOKS)
    there = {file.path: file.sha256 for file in whole.files}
    assert whole.fingerprint(there) == whole.fingerprint()
    assert whole.fingerprint({**there, "mods/looks/c.dat": "other"}) == whole.fingerprint()
    assert whole.fingerprint({**there, "mods/ledger/a.dat": "other"}) != whole.fingerprint()
    del there["mods/ledger/a.dat"]
    assert whole.fingerprint(there) != whole.fingerprint()
    assert [len(group) for group in whole.fingerprint().split("-")] == [4, 4]


def test_what_lay_below_comes_to_light_where_the_upper_build_is_left_out() -> None:
    mine = (locked("looks", side=Side.PLAYER, reach=Reach.OWN, optional=True), {"mods/ledger/a.dat": "mine"})
    between = (locked("between"), {"mods/ledger/a.dat": "between"})
    whole = lock(LEDGER, between, mine)
    assert whole.by_path["mods/ledger/a.dat"].mod == "looks"
    for less in (whole.share(Side.SERVER), whole.without({"looks"})):
        assert less.by_path["mods/ledger/a.dat"].mod == "between"
        assert len(less.covered) == 1
    assert read_lock(json.loads(json.dumps(as_data(whole)))).without({"looks"}) == whole.without({"looks"})


def test_only_what_touches_nobody_else_is_a_choice_and_what_only_it_needed_leaves_with_it() -> None:
    own = {"reach": Reach.OWN, "optional": True}
    whole = lock(
        (locked("paint-kit", chosen=False, reach=Reach.OWN), {"mods/kit": "k"}),
        (locked("shared-kit", chosen=False), {"mods/shared": "s"}),
        (locked("paint", needs=("paint-kit", "shared-kit"), **own), {"mods/paint": "p"}),
        (locked("varnish", needs=("paint",), **own), {"mods/varnish": "v"}),
        (locked("engine", needs=("shared-kit", "horn"), optional=True), {"mods/engine": "e"}),
        (locked("horn", **own), {"mods/horn": "h"}),
    )
    # The engine must match, and needs the horn: neither can be left out, whatever the curator ticked.
    assert [one.mod for one in whole.choices] == ["paint", "varnish"]
    assert set(whole.without({"paint", "engine", "horn", "unheard-of"}).by_mod) == {"shared-kit", "engine", "horn"}
    assert set(whole.without({"varnish"}).by_mod) == {"paint-kit", "shared-kit", "paint", "engine", "horn"}
    assert whole.without({"paint"}).fingerprint() == whole.fingerprint()


def test_settings_count_by_their_enforced_keys_alone() -> None:
    tolls = Tweak("mods/ledger/settings.toml", ("tolls", "rate"), 2, How.ENFORCED)
    files = {"mods/ledger/a.dat": "a", "mods/ledger/settings.toml": "s"}
    whole = lock((LEDGER[0], files), terms=Terms(("mods/*/settings.*",), tweaks=(tolls,)))
    there = {file.path: file.sha256 for file in whole.files} | {"mods/ledger/settings.toml": "the member's"}
    rate = {tolls.path: {tolls.key: 2}}
    assert whole.fingerprint(there, rate) == whole.fingerprint()
    assert whole.fingerprint(there, {tolls.path: {tolls.key: 5}}) != whole.fingerprint()
    assert whole.fingerprint(there, {}) != whole.fingerprint()
    patched = HandStep("patch", "Run the patcher.", Check.CHANGED, "mods/ledger/a.dat")
    by_hand = lock((LEDGER[0], files), terms=Terms(steps=(patched,)))
    assert by_hand.fingerprint({**there, "mods/ledger/a.dat": "patched"}) == by_hand.fingerprint(there)


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("tweaks", [{"path": "../x.toml", "key": ["a"], "value": 1, "how": "enforced"}]),
        ("tweaks", [{"path": "mods/x.exe", "key": ["a"], "value": 1, "how": "enforced"}]),
        ("tweaks", [{"path": "mods/x.ini", "key": ["a"], "value": [1], "how": "enforced"}]),
        ("tweaks", [{"path": "mods/x.toml", "key": [], "value": 1, "how": "enforced"}]),
        ("tweaks", [{"path": "mods/x.toml", "key": ["a"], "value": {"b": 1}, "how": "enforced"}]),
        ("steps", [{"id": "a", "text": "t", "check": "exists", "path": "/etc/passwd"}]),
        ("steps", [{"id": str(n), "text": "t"} for n in range(51)]),
        ("worlds", ["../worlds"]),
        ("covered", [["../x", 1, "0" * 64, "ledger", "x"]]),
    ],
)
def test_hostile_terms_are_refused(field: str, value: list[Any]) -> None:
    with pytest.raises((MalformedInput, HostileArchive)):
        read_lock({**as_data(lock(LEDGER)), field: value})


def test_a_lock_survives_its_journey() -> None:
    tweak = Tweak("mods/ledger/settings.toml", ("a",), [1, 2], How.START)
    step = HandStep("patch", "Run the patcher once.", Check.EXISTS, "patched.txt")
    whole = lock(LEDGER, LOOKS, CLERK, terms=Terms(("config/**",), ("worlds",), (tweak,), (step,)))
    assert read_lock(json.loads(json.dumps(as_data(whole)))) == whole


def spoil(change: Any) -> dict[str, Any]:
    data = copy.deepcopy(json.loads(json.dumps(as_data(lock(LEDGER)))))
    change(data)
    return data


HOSTILE = {
    "climbing": lambda data: data["files"][0].__setitem__(0, "mods/../../outside"),
    "absolute": lambda data: data["files"][0].__setitem__(0, "/etc/passwd"),
    "drive": lambda data: data["files"][0].__setitem__(0, "C:/windows"),
    "backslash": lambda data: data["files"][0].__setitem__(0, "mods\\x"),
    "device": lambda data: data["files"][0].__setitem__(0, "mods/NUL.txt"),
    "agent's folder": lambda data: data["files"][0].__setitem__(0, ".Convoy/record.json"),
    "trailing dot": lambda data: data["files"][0].__setitem__(0, "mods/x."),
    "case twins": lambda data: data["files"].append([data["files"][0][0].upper(), *data["files"][0][1:]]),
    "file and folder": lambda data: data["files"].append(["mods/ledger", *data["files"][0][1:]]),
    "climbing member": lambda data: data["files"][0].__setitem__(4, "../x"),
    "climbing managed folder": lambda data: data["managed"].append(".."),
    "stranger's file": lambda data: data["files"][0].__setitem__(3, "nobody"),
    "no hash": lambda data: data["files"][0].__setitem__(2, "abc"),
    "negative size": lambda data: data["files"][0].__setitem__(1, -1),
    "short row": lambda data: data["files"][0].pop(),
    "mod twice": lambda data: data["builds"].append(data["builds"][0]),
    "huge archive": lambda data: data["builds"][0]["archive"].__setitem__("size", 2**40),
    "unknown pickup": lambda data: data["builds"][0].__setitem__("pickup", "by owl"),
    "no base": lambda data: data.pop("base"),
    "files no list": lambda data: data.__setitem__("files", "all"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_lock_is_refused_by_name(name: str) -> None:
    with pytest.raises((MalformedInput, HostileArchive)) as caught:
        read_lock(spoil(HOSTILE[name]))
    assert isinstance(caught.value, ConvoyError) and caught.value.what


def test_a_change_log_says_what_was_added_updated_and_removed() -> None:
    before = lock(LEDGER, LOOKS, (locked("old"), {}))
    after = lock((locked("ledger", "1.1"), {}), (locked("looks", "0.9"), {}), (locked("new", chosen=False), {}))
    assert [change.sentence() for change in changes(before, after).mods] == [
        "New 1.0 added",
        "Ledger updated from 1.0 to 1.1",
        "Looks taken back from 1.0 to 0.9",
        "Old 1.0 removed",
    ]
    assert len(changes(before, before)) == 0
    assert [change.what for change in changes(None, before).mods] == ["added"] * 3


def test_a_moved_base_is_a_change_too() -> None:
    found = changes(lock(LEDGER), lock(LEDGER, base=Base("tillerway", parse_version("2.0"))))
    assert found.base_moved and len(found) == 1


def recipe() -> Recipe:
    made = lock(LEDGER)
    rows = change_log(None, made)
    return Recipe("pack-1", "Night Freight", "1.0.0", "stable", "2026-11-01T20:00:00+00:00", "Notes.", made, rows)


def test_a_recipe_is_read_as_it_was_written_and_only_its_key_signed_it() -> None:
    private, document = new_key(), recipe().as_bytes()
    public, signature = public_half(private), sign(private, document)
    verify(public, document, signature)
    assert read_recipe(document) == recipe()
    assert recipe().as_bytes() == document
    for wrong in (
        (public_half(new_key()), document, signature),
        (public, document.replace(b"1.0.0", b"1.0.1"), signature),
        (public, document, bytes(64)),
        (public, document, b"short"),
        (b"no key", document, signature),
    ):
        with pytest.raises(BadSignature):
            verify(*wrong)
    assert [len(group) for group in key_fingerprint(public).split("-")] == [4, 4, 4, 4]


@pytest.mark.parametrize("document", [b"", b"[]", b"{}", b'{"format": "convoy-recipe/2"}', b"[" * 100_000, b"\xff"])
def test_a_document_that_is_no_recipe_is_refused(document: bytes) -> None:
    with pytest.raises(MalformedInput):
        read_recipe(document)


def test_the_base_is_in_words() -> None:
    assert BASE.as_text() == "tillerway 2.1.0, bosun 5.2.0"


def test_all_that_changes_has_demands_too_and_a_first_release_has_none() -> None:
    def of(needed: Needed) -> Recipe:
        return Recipe("p", "P", "1", "stable", "", "", lock((locked("ledger"), {})), needed=needed)

    small, large = of(Needed(2048, 4096, 10**9, "17")), of(Needed(3072, 4096, 10**9 + 5, "21"))
    assert [(row["name"], row["before"], row["after"]) for row in whole_log(small, large)] == [
        ("demand: memory at least", "2 GB", "3 GB"), ("demand: runtime", "17", "21"),
    ]  # fmt: skip
    assert [row["name"] for row in whole_log(None, large)] == ["Ledger"]
