"""What the core predicts to lie at every path is what lies there after a real sync: random builds, orders, parts,
winners, lists and own files, from one release to the next. And what an agent reads along for the site.
"""

import random
from pathlib import Path
from typing import Any

import pytest

from convoy_agent.folder.folder import Folder
from convoy_agent.read_along import read_along
from convoy_agent.storage.store import Store
from convoy_core.conflicts.laying import Parts
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import OVERLAY
from convoy_core.lock.recipe import read_recipe
from convoy_core.outside.patterns import matcher
from convoy_core.words.model import Pickup

from .conftest import Member

PATHS = ["tolls/rates.toml", "tolls/deep/fines.toml", "charts/fen.map", "lamps/a.toml", "readme.txt", "old/x.old"]
PATTERNS = ["**/*.old", "tolls/**", "charts/*", "**/a.toml", "readme.txt", "tolls/deep/**"]
PLACES = ["mods/tolls", "mods/tolls/deep/fines.toml", "mods/charts", "mods/readme.txt", "mods/lamps/"]


def released(chance: random.Random, number: str) -> tuple[dict[str, dict[str, str]], dict[str, Any]]:
    names = chance.sample(["a", "b", "c", "d"], chance.randint(1, 4)) + ([OVERLAY] if chance.random() < 0.5 else [])
    mods = {
        mod: {path: f"{mod} {chance.choice([1, 2])}" for path in chance.sample(PATHS, chance.randint(1, len(PATHS)))}
        for mod in names
    }
    laid = {
        mod: Parts(
            tuple(chance.sample(PATTERNS, 2)) if chance.random() < 0.3 else (),
            tuple(chance.sample(PATTERNS, 1)) if chance.random() < 0.5 else (),
        )
        for mod in names
    }
    winners = {place.rstrip("/"): chance.choice(names) for place in chance.sample(PLACES, chance.randint(0, 2))}
    aside = [f"mods/{one}" for one in chance.sample(PATTERNS, chance.randint(0, 2))]
    return mods, {"shared": True, "laid": laid, "winners": winners, "set_aside": aside}


def predicted(mods: dict[str, dict[str, str]], how: dict[str, Any]) -> dict[str, str]:
    """By the words of the rules alone: parts, what is set aside, the named winner of the longest place, else the
    last.
    """
    lies: dict[str, str] = {}
    for path in PATHS:
        place = f"mods/{path}"
        if any(matcher((one,)).fullmatch(place) for one in how["set_aside"]):
            continue
        by = []
        for mod, files in mods.items():
            parts = how["laid"][mod]
            inside = not parts.only or any(matcher((one,)).fullmatch(path) for one in parts.only)
            if path in files and inside and not any(matcher((one,)).fullmatch(path) for one in parts.leave_out):
                by.append(mod)
        named = [
            (len(one), mod)
            for one, mod in how["winners"].items()
            if mod in by and (place == one or place.startswith(f"{one}/"))
        ]
        if by:
            lies[place] = sha256_hex(mods[max(named)[1] if named else by[-1]][path].encode())
    return lies


@pytest.mark.parametrize("seed", range(10))
def test_what_is_predicted_lies_there(member: Member, seed: int) -> None:
    chance = random.Random(seed)
    for number in ("2.0.0", "3.0.0", "4.0.0"):
        mods, how = released(chance, number)
        lock = member.harbour.publish(number, mods, **how)
        member.sync()
        assert member.files() == predicted(mods, how) == {one.path: one.sha256 for one in lock.files}
        kept = read_recipe(member.harbour.documents[number]).lock
        assert (kept.winners, kept.set_aside) == (how["winners"], tuple(how["set_aside"]))
        chosen = [mod for mod in mods if chance.random() < 0.5]
        less = kept.only(set(chosen)) if chosen else None
        if less is not None:
            fewer = {mod: mods[mod] for mod in mods if mod in chosen}
            assert {one.path: one.sha256 for one in less.files} == predicted(fewer, how)


def test_a_set_aside_file_that_somebody_laid_there_is_moved_aside_and_told(member: Member) -> None:
    member.harbour.publish("2.0.0", {"a": {"x.txt": "1", "y.old": "2"}}, set_aside=["**/*.old"])
    member.sync()
    (member.folder / "mods/a/y.old").write_text("by hand")
    (member.folder / "mods/a/own.txt").write_text("my own")
    member.harbour.publish("2.1.0", {"a": {"x.txt": "3", "y.old": "2"}}, set_aside=["**/*.old"])
    done = member.sync()
    assert done.aside == ("mods/a/y.old",) and member.aside() == {"mods/a/y.old": "by hand"}
    assert (member.folder / "mods/a/own.txt").read_text() == "my own"


class Asking:
    """A site that asks for readings, and is told."""

    def __init__(self, wanted: list[dict[str, Any]]) -> None:
        self.wanted, self.told = wanted, list[dict[str, Any]]()

    def wanted_readings(self) -> list[dict[str, Any]]:
        return self.wanted

    def tell_readings(self, files: list[dict[str, Any]]) -> None:
        self.told += files


def test_an_agent_tells_keys_of_what_a_person_fetched_and_of_nothing_else(member: Member, tmp_path: Path) -> None:
    files = {"settings.toml": "[a]\nb = 2026-05-01\nc = 4\n", "broken.toml": "[a"}
    member.harbour.publish("2.0.0", {"a": files, "b": {**files, "more.txt": "1"}}, pickups={"a": Pickup.BY_HAND})
    recipe = read_recipe(member.harbour.documents["2.0.0"])
    archives = {one.mod: one.archive for one in recipe.lock.builds}
    store = Store(tmp_path / "store")
    for archive in archives.values():
        store.copy_in(member.harbour.root / "harbour/files" / archive.name, archive.sha256)
    hashes = {path: sha256_hex(text.encode()) for path, text in files.items()}
    asked = [{"member": path, "path": f"mods/a/{path}", "sha256": sha256} for path, sha256 in hashes.items()]
    other = {**asked[0], "sha256": "0" * 64}
    wanted = [
        {"archive_sha256": one.sha256, "files": [*asked, other, {"member": "no"}][:3]} for one in archives.values()
    ]
    site = Asking([*wanted, {"archive_sha256": 3}, {"files": "x"}])
    assert read_along(site, store, recipe, Folder(member.folder), {}) == 2  # type: ignore[arg-type]
    assert site.told[0]["keys"] == [[["a", "b"], {"": ["date", "2026-05-01"]}], [["a", "c"], 4]]
    assert site.told[1]["keys"] == [] and site.told[1]["trouble"]
    torn = Asking([{"archive_sha256": archives["a"].sha256, "files": [{"member": "no"}]}])
    assert read_along(torn, store, recipe, Folder(member.folder), {}) == 0  # type: ignore[arg-type]
