"""A folder somebody filled by hand: what is recognised in it whatever its name, what is not, and what lies about."""

import hashlib
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.takeover import FORMAT, Known, TakenOver, largest_hashes, read_listing, recognise, short_hash
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import CarriedFile

PROFILE = read_profile((Path(__file__).parents[2] / "demo/games/tillerway.toml").read_text())


def sha(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def carried(path: str, content: str) -> CarriedFile:
    return CarriedFile(path, len(content), sha(content))


def build(mod: str, version: str, *shared: str) -> Known:
    """Marker and settings of its own, one large file per version, and files that all versions share."""
    own = [carried("waybill.toml", f"{mod} {version}"), carried("data/own.dat", f"{mod} {version} " * 30)]
    return Known(
        mod, version, sha(f"{mod} {version}.zip"), (*own, *(carried(f"data/{one}", one * 20) for one in shared))
    )


OLD, NEW = (
    build("lock-ledger", "3.3.0", "queue", "toll", "seal"),
    build("lock-ledger", "3.4.1", "queue", "toll", "seal"),
)
LOOKS = Known(
    "tarred-planks", "1.0", sha("planks.zip"), (carried("planks.png", "p" * 90), carried("rope.png", "r" * 80))
)
KNOWN = [OLD, NEW, LOOKS]


def laid(one: Known, folder: str, without: int = 0) -> list[CarriedFile]:
    return [CarriedFile(f"{folder}/{file.path}", file.size, file.sha256) for file in one.files[without:]]


def taken(*files: CarriedFile) -> TakenOver:
    return recognise(files, KNOWN, PROFILE)


def told(found: TakenOver) -> list[tuple[str, str, str]]:
    return [(one.mod, one.version, one.place) for one in found.found]


@pytest.mark.parametrize("folder", ["mods/lock-ledger", "mods/Lock Ledger 3.4.1 (1)", "Games/Tillerway/mods/x/y"])
def test_the_right_version_is_found_whatever_its_folder_is_called(folder: str) -> None:
    found = taken(*laid(NEW, folder))
    assert told(found) == [("lock-ledger", "3.4.1", folder)]
    assert found.found[0].is_whole
    assert not (found.doubles or found.remnants or found.strangers or found.left_over)


def test_altered_and_missing_files_are_named() -> None:
    files = laid(NEW, "mods/ledger")
    altered = [carried("mods/ledger/waybill.toml", "mine"), *files[1:-1]]
    (one,) = taken(*altered).found
    assert (one.version, one.altered, one.missing) == ("3.4.1", ("mods/ledger/waybill.toml",), 1)


def test_archives_count_and_of_doubles_the_whole_and_newest_stays() -> None:
    archive = CarriedFile("mods/old download.zip", 9, OLD.archive)
    found = taken(archive, *laid(NEW, "mods/ledger"), *laid(NEW, "mods/ledger copy", without=1))
    assert told(found) == [("lock-ledger", "3.4.1", "mods/ledger")]
    assert [(one.version, one.place) for one in found.doubles] == [
        ("3.4.1", "mods/ledger copy"),
        ("3.3.0", "mods/old download.zip"),
    ]


def test_what_is_left_of_a_mod_is_a_remnant_and_what_is_unknown_is_named() -> None:
    found = taken(
        laid(NEW, "mods/ledger")[1],
        carried("mods/fog/waybill.toml", "fog"),
        carried("mods/fog/data/a", "a"),
        carried("mods/notes/readme.txt", "no marker"),
        carried("mods/loose.zip", "zip"),
        carried("mods/loose.txt", "txt"),
        carried("textures/mine/brick.png", "brick"),
        carried("saves/world.dat", "world"),
        carried("tillerway.exe", "game"),
    )
    assert [(one.mod, one.place, one.missing) for one in found.remnants] == [("lock-ledger", "mods/ledger", 4)]
    assert [(one.place, one.files) for one in found.strangers] == [
        ("mods/fog", 2), ("mods/loose.zip", 1), ("textures/mine", 1)]  # fmt: skip
    assert found.left_over == ["mods/loose.txt", "mods/notes/readme.txt"]
    assert found.others == 2


def test_a_mod_within_a_chosen_folder_that_is_the_mods_folder_itself() -> None:
    assert told(taken(*laid(LOOKS, "planks"))) == [("tarred-planks", "1.0", "planks")]


@given(
    st.lists(st.tuples(st.sampled_from(["mods/a", "mods/b", "x", ""]), st.sampled_from(KNOWN), st.integers(0, 4))),
    st.randoms(),
)
def test_every_file_is_spoken_of_once_and_the_order_of_the_listing_does_not_matter(parts, chance) -> None:  # type: ignore[no-untyped-def]
    files = {file.path.lstrip("/"): file for folder, one, without in parts for file in laid(one, folder, without)}
    rows = [CarriedFile(path, file.size, file.sha256) for path, file in files.items()]
    shuffled = list(rows)
    chance.shuffle(shuffled)
    first = taken(*rows)
    assert first == taken(*shuffled)
    spoken = sum(one.files + len(one.altered) for one in (*first.found, *first.doubles, *first.remnants))
    assert spoken + sum(one.files for one in first.strangers) + len(first.left_over) + first.others >= len(rows)
    assert len({one.mod for one in first.found}) == len(first.found)


def test_marks_are_of_the_largest_files() -> None:
    files = [
        carried("small", "s"),
        *(carried(f"large{at}", "x" * (50 + at)) for at in range(4)),
        CarriedFile("no", 0, sha("")),
    ]
    assert largest_hashes(files) == sorted(short_hash(file.sha256) for file in files[2:5])
    assert short_hash("f" * 64) == -1


def test_a_listing_is_read_as_json_and_as_checksums() -> None:
    rows = [["mods/a", 3, "a" * 64], [".convoy/record.json", 1, "b" * 64]]
    listing = json.dumps({"format": FORMAT, "files": rows}).encode()
    sums = f"{'a' * 64}  ./mods/a\n{'B' * 64} *.convoy/record.json\n\n".encode()
    assert read_listing(listing) == (CarriedFile("mods/a", 3, "a" * 64),)
    assert read_listing(b"\xef\xbb\xbf" + sums) == (CarriedFile("mods/a", 0, "a" * 64),)
    # As Windows writes them: other folders' marks, and every letter in two bytes.
    for windows in (sums.replace(b"/a", b"\\a"), b"\\" + sums.replace(b"/a", b"\\\\a")):
        assert read_listing(windows.decode().encode("utf-16")) == (CarriedFile("mods/a", 0, "a" * 64),)


@pytest.mark.parametrize(
    "data",
    [b"", b"\xff\xfe", b"{", b"[" * 100_000, b'{"files": []}', b"hello there", b"abc  file",
     json.dumps({"format": FORMAT, "files": [["a", -1, "a" * 64]]}).encode(),
     json.dumps({"format": FORMAT, "files": [["a", True, "a" * 63]]}).encode(),
     json.dumps({"format": FORMAT, "files": [["a\x00", 1, "a" * 64]]}).encode(),
     json.dumps({"format": FORMAT, "files": [["a" * 1001, 1, "a" * 64]]}).encode(),
     f"{'a' * 64}  f\n".encode() * 200_001],
)  # fmt: skip
def test_what_is_no_listing_is_refused(data: bytes) -> None:
    with pytest.raises(MalformedInput):
        read_listing(data)
