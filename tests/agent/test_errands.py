"""Looking for what a member brought: by content, opening as little of their folder as can be."""

import os
from dataclasses import replace
from pathlib import Path

import pytest

from convoy_agent.fetching import inbox
from convoy_agent.fetching.inbox import Lookout
from convoy_agent.storage.store import Store
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import LockedBuild
from convoy_core.words.model import Archive, Pickup
from tests.core.making import locked

from .conftest import needs_posix

RIGHT = b"the right archive"


def wanted(mod: str = "night-lanterns", data: bytes = RIGHT) -> LockedBuild:
    archive = Archive(f"{mod}-1.4.zip", len(data), sha256_hex(data))
    return replace(locked(mod, "1.4", pickup=Pickup.BY_HAND), archive=archive)


@pytest.fixture
def place(tmp_path: Path) -> Path:
    made = tmp_path / "downloads"
    made.mkdir()
    return made


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path / "store")


def test_only_files_of_a_wanted_size_are_opened(place: Path, store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    opened: list[str] = []
    monkeypatch.setattr(inbox, "sha256_of", lambda file: opened.append(file.name) or sha256_hex(file.read_bytes()))
    (place / "diary.txt").write_bytes(b"nobody's business")
    (place / "letter.txt").write_bytes(b"nobody's business, either")
    (place / "IMG 1.zip").write_bytes(RIGHT)
    lookout = Lookout(store, [place])
    assert [build.mod for build in lookout.look([wanted()]).taken] == ["night-lanterns"]
    assert sorted(opened) == ["IMG 1.zip", "diary.txt"]  # the diary happens to have the very size
    opened.clear()
    assert lookout.look([wanted()]).taken == () and opened == []
    assert (place / "IMG 1.zip").read_bytes() == RIGHT


def test_a_download_that_grows_is_looked_at_again(place: Path, store: Store) -> None:
    lookout = Lookout(store, [place])
    file = place / "part"
    file.write_bytes(RIGHT[:5])
    assert lookout.look([wanted()]).taken == ()
    file.write_bytes(RIGHT)
    assert len(lookout.look([wanted()]).taken) == 1


@pytest.mark.parametrize(
    ("name", "is_meant"),
    [
        ("night-lanterns-1.3.zip", True),
        ("Night Lanterns 1.3 (2).zip", True),
        ("night_lanterns.zip", True),
        ("night-lanterns.txt", False),
        ("my-night-lanterns.zip", False),
        ("fog-lantern.zip", False),
    ],
)
def test_another_build_is_told_by_its_name(place: Path, store: Store, name: str, is_meant: bool) -> None:
    (place / name).write_bytes(b"of another version")
    found = Lookout(store, [place]).look([wanted()])
    assert found.taken == () and [file.name for file, _ in found.wrong] == ([name] if is_meant else [])


@needs_posix
def test_links_pipes_and_folders_are_passed_by(place: Path, store: Store, tmp_path: Path) -> None:
    outside = tmp_path / "elsewhere.zip"
    outside.write_bytes(RIGHT)
    (place / "link.zip").symlink_to(outside)
    os.mkfifo(place / "night-lanterns.zip")
    (place / "folder").mkdir()
    (place / "dangling").symlink_to("nowhere")
    assert Lookout(store, [place, tmp_path / "not there"]).look([wanted()]) == inbox.Arrived()


def test_two_wanted_files_of_one_size_are_told_apart(place: Path, store: Store) -> None:
    other = wanted("fog-bell", RIGHT[::-1])
    (place / "a").write_bytes(RIGHT[::-1])
    assert [build.mod for build in Lookout(store, [place]).look([wanted(), other]).taken] == ["fog-bell"]


@pytest.mark.parametrize("error", [FileNotFoundError, PermissionError])
def test_a_file_that_goes_away_while_it_is_looked_at_is_looked_at_again(
    place: Path, store: Store, monkeypatch: pytest.MonkeyPatch, error: type[OSError]
) -> None:
    """A browser renames what it has fetched."""
    file = place / "lanterns.zip.part"
    file.write_bytes(RIGHT)
    lookout = Lookout(store, [place])

    def gone(path: Path) -> str:
        raise error(2, "gone", str(path))

    with monkeypatch.context() as meanwhile:
        meanwhile.setattr(inbox, "sha256_of", gone)
        assert lookout.look([wanted()]) == inbox.Arrived()
    assert [build.mod for build in lookout.look([wanted()]).taken] == [wanted().mod]
