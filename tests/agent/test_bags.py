"""A release as a file: what may travel travels, another reader takes it, and what somebody altered is refused."""

import io
import json
import shutil
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import bagit
import pytest
from typer.testing import CliRunner

from convoy_agent import by_file, choosing, packing, taking_back
from convoy_agent.change import Wish
from convoy_agent.commands.app import app
from convoy_agent.errors import BadRelease, DiskFull, FolderRefused, SiteRefused
from convoy_agent.folder.folder import Folder
from convoy_agent.leave import leave
from convoy_agent.storage.store import Store
from convoy_core.handing_out import bag as bags
from convoy_core.handing_out.bag import Bag, Wanted, make_bag
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import OVERLAY
from convoy_core.lock.recipe import Recipe, read_recipe
from convoy_core.lock.terms import How, Offer, Terms, Tweak
from convoy_core.trust.charter import CONTEXT as CHARTER
from convoy_core.trust.charter import Duty, read_charter
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import new_key, public_half
from convoy_core.trust.statement import Named
from convoy_core.trust.trusted import RELEASE_CONTEXT
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.model import Pickup, Reach, Side
from convoy_io.bags import opened_bag, write_bag
from convoy_io.zips import ArchiveWrong

from .conftest import MODS as FIRST
from .conftest import NEWER, Member
from .harbour import Harbour, Press

MODS = {
    "ledger": {"a.txt": "1" * 4000}, "scales": {"b.txt": "2"}, "bells": {"c.txt": "3"}, "clerk": {"d.txt": "4"},
    OVERLAY: {"e.txt": "5"},
}  # fmt: skip
LICENCES = {"scales": "LicenseRef-mine", "bells": "MIT", "ledger": "MIT", "clerk": "", OVERLAY: ""}


class Made:
    """A release whose archives lie at the harbour's source, and the bags that are made of it."""

    def __init__(self, harbour: Harbour) -> None:
        harbour.publish(
            "2.0.0", MODS, pickups={"clerk": Pickup.BY_HAND, OVERLAY: Pickup.OURS}, sides={"bells": Side.SERVER}
        )
        told = read_recipe(harbour.documents["2.0.0"])
        builds = tuple(replace(one, licence=LICENCES[one.mod]) for one in told.lock.builds)
        self.recipe: Recipe = replace(told, lock=replace(told.lock, builds=builds))
        self.signed = Signed(self.recipe.as_bytes(), ((b"k" * 32, b"s" * 64),))
        self.sources = {"harbour": f"{harbour.address}/harbour"}
        self.places = {one.archive.sha256: harbour.archive(one.mod) for one in builds}

    def bag(self, **wanted: Any) -> Bag:
        return make_bag(self.recipe, self.signed, [], self.sources, self.places, Wanted(**wanted))

    def file(self, place: Path, bag: Bag | None = None) -> Path:
        with place.open("wb") as out:
            write_bag(bag or self.bag(), self.places.__getitem__, out)
        return place


@pytest.fixture
def made(harbour: Harbour) -> Made:
    return Made(harbour)


def mods(bag: Bag) -> set[str]:
    return {build.mod for build in bag.carried.values()}


def test_every_build_is_judged_and_what_stays_behind_is_named(made: Made, tmp_path: Path) -> None:
    bag = made.bag()
    assert mods(bag) == {"ledger", "bells", OVERLAY}
    why = {one.build.mod: (one.why, bool(one.address)) for one in bag.left}
    assert why["scales"][0].startswith("Its author does not let") and why["scales"][1]
    assert why["clerk"][0].startswith("No licence is named") and not why["clerk"][1]
    assert "Leave it in your downloads" in bag.tags[bags.LEFT_OUT].decode()
    assert mods(made.bag(side=Side.PLAYER)) == {"ledger", OVERLAY}
    assert mods(made.bag(builds=False)) == {OVERLAY} and mods(made.bag(own=False)) == {"ledger", "bells"}
    one, again = made.file(tmp_path / "a.zip"), made.file(tmp_path / "b.zip")
    assert one.read_bytes() == again.read_bytes()


def test_an_independent_reader_takes_it_once_the_rest_is_fetched(made: Made, tmp_path: Path) -> None:
    with zipfile.ZipFile(made.file(tmp_path / "a.zip")) as packed:
        packed.extractall(tmp_path)
    found = bagit.Bag(str(tmp_path / "night-freight-2.0.0"))
    assert not found.is_valid()
    for address, _, path in found.fetch_entries():
        assert address.startswith("http://127.0.0.1:")
        scales = made.recipe.lock.by_mod["scales"].archive
        (Path(found.path) / path).write_bytes(made.places[scales.sha256].read_bytes())
    assert found.validate() and found.info["Payload-Oxum"].endswith(".4")
    assert (Path(found.path) / bags.RECIPE).read_bytes() == made.signed.document


def test_what_was_packed_is_what_comes_out(made: Made, tmp_path: Path) -> None:
    with opened_bag(made.file(tmp_path / "a.zip")) as packed:
        assert packed.told.recipe.lock == made.recipe.lock and packed.told.signed == made.signed
        assert set(packed.told.archives) == {build.archive.sha256 for build in made.bag().carried.values()}
        for sha256 in packed.told.archives:
            assert sha256_hex(b"".join(packed.blocks(sha256))) == sha256
        assert len(packed.told.missing) == 1


def test_a_damaged_copy_is_not_handed_on(made: Made, tmp_path: Path) -> None:
    ledger = made.recipe.lock.by_mod["ledger"].archive
    made.places[ledger.sha256].write_bytes(b"x" * ledger.size)
    with pytest.raises(ArchiveWrong, match="damaged"):
        made.file(tmp_path / "a.zip")


def altered(place: Path, change: Callable[[dict[str, bytes]], Any]) -> Path:
    """The same ZIP with other members."""
    with zipfile.ZipFile(place) as packed:
        members = {name: packed.read(name) for name in packed.namelist()}
    change(members)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for name, content in members.items():
            packed.writestr(zipfile.ZipInfo(name), content)
    place.write_bytes(out.getvalue())
    return place


TOP = "night-freight-2.0.0/"


def put(name: str, content: bytes) -> Callable[[dict[str, bytes]], None]:
    return lambda members: members.update({name: content})


def drop(name: str) -> Callable[[dict[str, bytes]], None]:
    return lambda members: members.pop(name, None)


def an_archive(members: dict[str, bytes]) -> str:
    return next(name for name in members if "/data/" in name)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (put("outside.txt", b"x"), "no pack"),
        (put(f"{TOP}../../x", b"x"), "cannot be placed"),
        (put(f"{TOP}data/more.zip", b"x"), "does not list"),
        (put(f"{TOP}{bags.RECIPE}", b"{}"), "altered"),
        (put(f"{TOP}{bags.BAGIT}", b"BagIt-Version: 9.0\n"), "another version"),
        (put(f"{TOP}{bags.MANIFEST}", b"\xff"), "altered"),
        (put(f"{TOP}{bags.TAG_MANIFEST}", b"not a sum"), "cannot be read"),
        (put(f"{TOP}{bags.SIGNATURES}", b"[" * 100_000), "altered"),
        (drop(f"{TOP}{bags.SIGNATURES}"), "has no convoy-signatures"),
        (drop(f"{TOP}{bags.FETCH}"), "is missing"),
        (lambda members: members.pop(an_archive(members)), "is missing"),
        (lambda members: members.clear(), "no pack"),
    ],
)
def test_what_was_altered_is_refused(made: Made, tmp_path: Path, change: Any, said: str) -> None:
    place = altered(made.file(tmp_path / "a.zip"), change)
    with pytest.raises(ConvoyError, match=said), opened_bag(place):
        pass


def resummed(members: dict[str, bytes]) -> None:
    """As somebody would who knows the format: the sums fit what was altered."""
    names = [name for name in members if "/data/" not in name and not name.endswith(bags.TAG_MANIFEST)]
    sums = "".join(f"{sha256_hex(members[name])}  {name.removeprefix(TOP)}\n" for name in names)
    members[f"{TOP}{bags.TAG_MANIFEST}"] = sums.encode()


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        (bags.SIGNATURES, b"[" * 100_000, "no JSON"),
        (bags.SIGNATURES, b'{"signatures": [3], "charters": []}', "signatures"),
        (bags.SIGNATURES, b'{"signatures": [], "charters": {}}', "charters"),
        (bags.RECIPE, b"\xff{}", "no JSON"),
        (bags.MANIFEST, b"0" * 64 + b"  ../x\n", "cannot be placed"),
        (bags.MANIFEST, (b"0" * 64 + b"  data/a\n") * 2, "twice"),
    ],
)
def test_what_was_altered_with_skill_is_refused_too(
    made: Made, tmp_path: Path, name: str, content: bytes, said: str
) -> None:
    def change(members: dict[str, bytes]) -> None:
        members[f"{TOP}{name}"] = content
        resummed(members)

    with pytest.raises(ConvoyError, match=said), opened_bag(altered(made.file(tmp_path / "a.zip"), change)):
        pass


def test_an_archive_that_was_swapped_is_found_when_it_is_taken_out(made: Made, tmp_path: Path) -> None:
    def change(members: dict[str, bytes]) -> None:
        name = an_archive(members)
        members[name] = bytes(len(members[name]))

    place = altered(made.file(tmp_path / "a.zip"), change)
    with opened_bag(place) as packed, pytest.raises(ArchiveWrong, match="altered"):
        for sha256 in packed.told.archives:
            list(packed.blocks(sha256))
    grown = altered(place, lambda members: members.update({an_archive(members): bytes(10**6)}))
    with pytest.raises(ConvoyError, match="another size"), opened_bag(grown):
        pass


def test_what_is_installed_becomes_a_file_that_says_who_signed_it(member: Member, tmp_path: Path) -> None:
    member.sync()
    place = tmp_path / "pack.zip"
    bag = packing.pack(member.folder, member.store, place)
    assert {build.mod for build in bag.carried.values()} == {*FIRST} and not list(tmp_path.glob("*.part"))
    found = packing.look_into(place)
    charter = read_charter(member.harbour.charters[-1].document)
    assert (found.mark, found.doubt) == (charter.mark, "")
    with pytest.raises(FolderRefused, match="already"):
        packing.pack(member.folder, member.store, place)

    def forged(members: dict[str, bytes]) -> None:
        top = next(iter(members)).split("/")[0] + "/"
        members[top + bags.RECIPE] = members[top + bags.RECIPE].replace(b"Night Freight", b"Night Fright!")
        names = [name for name in members if "/data/" not in name and not name.endswith(bags.TAG_MANIFEST)]
        sums = "".join(f"{sha256_hex(members[name])}  {name.removeprefix(top)}\n" for name in names)
        members[top + bags.TAG_MANIFEST] = sums.encode()

    doubted = packing.look_into(altered(place, forged))
    assert doubted.mark == "" and "signed" in doubted.doubt
    [archive] = [member.store.path(build.archive.sha256) for build in list(bag.carried.values())[:1]]
    archive.chmod(0o600)
    archive.write_bytes(b"rotten")
    with pytest.raises(ArchiveWrong, match="damaged"):
        packing.pack(member.folder, member.store, tmp_path / "other.zip")
    assert not (tmp_path / "other.zip").exists() and not list(tmp_path.glob("*.part"))


def test_the_command_line_makes_a_pack_and_looks_into_it(member: Member, tmp_path: Path) -> None:
    member.sync()
    run, place, line = CliRunner(), tmp_path / "pack.zip", app(["files"])
    at = ["--store", str(member.store.root)]
    made = run.invoke(line, [*at, "pack", str(place), "--folder", str(member.folder), "--json"])
    assert made.exit_code == 0 and json.loads(made.stdout)["left"] == [], made.stdout
    told = json.loads(run.invoke(line, ["open", str(place), "--json"]).stdout)
    assert (told["release"], told["doubt"], set(told["mods"].values())) == ("1.0.0", "", {True})
    place.write_bytes(b"PK")
    assert run.invoke(line, ["open", str(place)]).exit_code != 0


def test_a_file_is_enough_to_join_to_sync_and_to_follow(
    member: Member, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    first, second = tmp_path / "first.zip", tmp_path / "second.zip"
    packing.pack(member.folder, member.store, first)
    member.harbour.publish("1.1.0", NEWER)
    member.sync()
    packing.pack(member.folder, member.store, second)
    member.harbour.close()

    alone = Member(member.harbour, tmp_path / "alone" / "train", Store(tmp_path / "other-store"))
    monkeypatch.setattr(by_file, "SPARE_BYTES", 2**60)
    with pytest.raises(DiskFull, match="the file brings"):
        by_file.join_file(first, alone.folder, alone.store)
    monkeypatch.undo()
    with pytest.raises(BadRelease, match="other keys"):
        by_file.join_file(first, alone.folder, alone.store, key="0000-0000-0000-0000")
    assert not (alone.folder / ".convoy").exists()
    joined = by_file.join_file(first, alone.folder, alone.store)
    assert joined.pairing.key == read_charter(member.harbour.charters[-1].document).mark
    done = alone.sync()
    assert (done.release, done.unheard) == ("1.0.0", False)
    alone.holds(FIRST)
    (alone.folder / "mods/ledger/own.txt").write_text("mine")
    lost = alone.folder / "mods/ledger/data/a.dat"
    lost.unlink()
    assert alone.status().deviations == {"mods/ledger/data/a.dat": "missing", "mods/ledger/own.txt": "extra"}
    assert by_file.take_file(second, alone.folder, alone.store) == 1
    assert alone.sync().release == "1.1.0"
    alone.holds(NEWER, "mods/ledger/own.txt")
    assert taking_back.undo(alone.folder, alone.store).release == "1.0.0"
    with pytest.raises(SiteRefused, match="lies in no file"):
        alone.sync(wish=Wish(to=Named("0.9.0", "")))
    with pytest.raises(FolderRefused, match="follows http"):
        by_file.take_file(second, member.folder, member.store)
    leave(alone.folder, datetime.now(UTC))
    assert not (alone.folder / ".convoy").exists()


def test_a_file_that_others_made_is_not_followed(member: Member, tmp_path: Path) -> None:
    member.sync()
    first = tmp_path / "first.zip"
    packing.pack(member.folder, member.store, first)
    folder, store = tmp_path / "alone", Store(tmp_path / "other-store")
    by_file.join_file(first, folder, store)
    stranger = Press(tmp_path / "stranger")
    stranger.publish("9.0.0", FIRST)
    recipe = read_recipe(stranger.documents["9.0.0"])
    signed = Signed(recipe.as_bytes()).with_signature(RELEASE_CONTEXT, stranger.key)
    bag = make_bag(recipe, signed, stranger.charters, {"harbour": "http://192.0.2.1/"}, ())
    forged = tmp_path / "forged.zip"
    with forged.open("wb") as out:
        write_bag(bag, lambda sha256: Path(), out)
    assert packing.look_into(forged).mark
    with pytest.raises(ConvoyError, match="signed"):
        by_file.take_file(forged, folder, store)
    assert Folder(folder).kept_head().number == "1.0.0"  # type: ignore[union-attr]
    nobody = make_bag(recipe, Signed(recipe.as_bytes()), stranger.charters, {}, ())
    with forged.open("wb") as out:
        write_bag(nobody, lambda sha256: Path(), out)
    with pytest.raises(ConvoyError, match="Nobody can tell who made"):
        by_file.join_file(forged, tmp_path / "other", store)


def given(member: Member, place: Path, number: str) -> Path:
    """A release of the harbour as a file that brings every charter, as a site makes one."""
    site = member.harbour
    recipe = read_recipe(site.documents[number])
    signed = Signed(site.documents[number]).with_signature(RELEASE_CONTEXT, site.key)
    archives = {one.archive.sha256: site.archive(one.mod) for one in recipe.lock.builds}
    with place.open("wb") as out:
        write_bag(make_bag(recipe, signed, site.charters, {}, archives), archives.__getitem__, out)
    return place


def test_what_a_member_chooses_without_a_site_holds_for_what_comes(member: Member, tmp_path: Path) -> None:
    site, alone = member.harbour, Member(member.harbour, tmp_path / "alone", Store(tmp_path / "other-store"))
    mods = {
        "ledger": {"a.txt": "1"},
        "bells": {"b.txt": "2", "b.toml": "on = true\n"},
        "trial": {"rules.toml": "night = true\n"},
    }
    for number in ("2.0.0", "2.1.0"):
        quiet = Tweak("mods/bells/b.toml", ("on",), False, How.START)
        terms = Terms(("mods/bells/*.toml",), ("worlds",), offers=(Offer("calm", "Calm", (quiet,)),))
        site.publish(
            number, mods, optional=("bells",), for_worlds=("trial",), reaches={"bells": Reach.OWN}, terms=terms
        )
    by_file.join_file(given(member, tmp_path / "a.zip", "2.0.0"), alone.folder, alone.store)
    (alone.folder / "worlds/fen").mkdir(parents=True)
    (alone.folder / "worlds/fen/map.dat").write_text("fen")
    alone.sync()
    assert (alone.folder / "mods/bells").exists() and not (alone.folder / "worlds/fen/trials").exists()
    run, line = CliRunner(), app(["files"])
    said = ["choose", "--folder", str(alone.folder), "--without", "bells", "--into", "fen=trial", "--json"]
    told = json.loads(run.invoke(line, said).stdout)
    assert [(one["mod"], one["taken"]) for one in told["optional"]] == [("bells", False)]
    assert told["worlds"] == {"trial": ["worlds/fen"]}
    alone.sync()
    assert not (alone.folder / "mods/bells").exists() and (alone.folder / "worlds/fen/trials/rules.toml").exists()
    by_file.take_file(given(member, tmp_path / "b.zip", "2.1.0"), alone.folder, alone.store)
    assert alone.sync().release == "2.1.0" and not (alone.folder / "mods/bells").exists()
    choosing.choose(alone.folder, taking=["bells", "calm"], out_of=[("fen", "trial")])
    alone.sync()
    assert (alone.folder / "mods/bells/b.toml").read_text() == "on = false\n"
    assert (alone.folder / "mods/bells").exists() and not (alone.folder / "worlds/fen/trials").exists()
    for wrong in ({"without": ["ledger"]}, {"into": [("../out", "trial")]}, {"into": [("fen", "bells")]}):
        with pytest.raises(MalformedInput):
            choosing.choose(alone.folder, **wrong)  # type: ignore[arg-type]
    member.sync()
    with pytest.raises(FolderRefused, match="follows http"):
        choosing.choose(member.folder)


def test_a_folder_that_follows_files_follows_its_crew_to_new_keys_and_no_other(member: Member, tmp_path: Path) -> None:
    site, alone = member.harbour, Member(member.harbour, tmp_path / "alone", Store(tmp_path / "other-store"))
    by_file.join_file(given(member, tmp_path / "a.zip", "1.0.0"), alone.folder, alone.store)
    alone.sync()
    old, fresh = site.key, new_key()
    first = read_charter(site.charters[-1].document)
    second = replace(first, version=2).with_duty(Duty.RELEASE, [public_half(fresh)], 1)
    stolen = site.charters[:]
    site.charter(second, old)
    site.key = fresh
    site.publish("1.1.0", NEWER)
    file = given(member, tmp_path / "b.zip", "1.1.0")
    # One who has the new key's release and no charter that the old keys signed gets nowhere.
    chain, site.charters = site.charters, [*stolen, Signed(second.as_bytes()).with_signature(CHARTER, new_key())]
    with pytest.raises(ConvoyError):
        by_file.take_file(given(member, tmp_path / "c.zip", "1.1.0"), alone.folder, alone.store)
    site.charters = chain
    by_file.take_file(file, alone.folder, alone.store)
    assert alone.sync().release == "1.1.0"
    site.key = old
    site.publish("1.2.0", FIRST)
    with pytest.raises(ConvoyError, match="signed"):
        by_file.take_file(given(member, tmp_path / "d.zip", "1.2.0"), alone.folder, alone.store)


def test_a_world_goes_along_as_it_was_and_is_laid_down_where_none_of_its_name_is(
    member: Member, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    odd = {"map.dat": "canal", "a b $(x).txt": "yes", "deep/er/é.dat": "x" * 9000}
    for name in ("canal", "fen"):
        for path, text in odd.items():
            place = member.folder / "worlds" / name / path
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(f"{name}: {text}")
    with pytest.raises(MalformedInput, match="no world “lake”"):
        packing.pack(member.folder, member.store, tmp_path / "no.zip", worlds=["canal", "lake"])
    place = tmp_path / "pack.zip"
    packing.pack(member.folder, member.store, place, worlds=["canal"])
    (member.folder / "worlds/canal/map.dat").write_text("another evening")
    with zipfile.ZipFile(place) as packed:
        packed.extractall(tmp_path)
    bagit.Bag(str(tmp_path / "night-freight-1.0.0")).validate()
    assert set(packing.look_into(place).told.worlds) == {f"worlds/canal/{path}" for path in odd}
    # A percent sign is written as RFC 8493 has it, which the library above does not read.
    (member.folder / "worlds/fen/100 % sure.txt").write_text("%25")
    packing.pack(member.folder, member.store, tmp_path / "fen.zip", worlds=["fen"])
    assert "worlds/fen/100 % sure.txt" in packing.look_into(tmp_path / "fen.zip").told.worlds
    folder, store = tmp_path / "alone", Store(tmp_path / "other-store")
    with pytest.raises(FolderRefused):
        by_file.join_file(place, member.folder, store, with_worlds=True)
    joined = by_file.join_file(place, folder, store, with_worlds=True)
    assert joined.worlds == ("worlds/canal",)
    Member(member.harbour, folder, store).sync()
    assert {path: (folder / "worlds/canal" / path).read_text() for path in odd} == {
        path: f"canal: {text}" for path, text in odd.items()
    }
    assert not (folder / "worlds/fen").exists()
    with opened_bag(place) as packed_again:
        (folder / "worlds/canal/map.dat").write_text("mine")
        assert by_file.lay_worlds(packed_again, Folder(folder)) == ()
    assert (folder / "worlds/canal/map.dat").read_text() == "mine"

    def named(name: str) -> Callable[[dict[str, bytes]], None]:
        def change(members: dict[str, bytes]) -> None:
            old = next(one for one in members if "/data/worlds/" in one)
            members[old.partition("/data/")[0] + "/data/" + name] = members.pop(old)

        return change

    for name in ("worlds/mods/ledger/evil.dat", "worlds/worlds/../../evil"):
        with pytest.raises(ConvoyError), opened_bag(altered(Path(shutil.copy(place, tmp_path / "x.zip")), named(name))):
            pass

    def swapped(members: dict[str, bytes]) -> None:
        old = next(one for one in members if "/data/worlds/" in one)
        members[old] = bytes(len(members[old]))

    other = altered(Path(shutil.copy(place, tmp_path / "y.zip")), swapped)
    with pytest.raises(ArchiveWrong, match="altered"):
        by_file.join_file(other, tmp_path / "third", store, with_worlds=True)
    assert not (tmp_path / "third/worlds").exists()
