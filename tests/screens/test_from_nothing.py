"""docs/games.md's third game, from an empty site to in step: profile, source, pack, release, member; by browser and
commands only. The site is as somebody keeps it: two machines, two workers, files in an object store; then it is backed
up, lost, and brought back into an empty place, and the member's agent goes on.
"""

from __future__ import annotations

import json
import os
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import httpx
import pytest

from house import serving
from house.places import VAR
from house.services import free_port
from tests.third_game import block, marker, write_archive, write_folder

from .browser import Browser
from .keeping import Balancer, Kept, handed_out, kept_site, object_store

PASSWORD = "towpath by moonlight"
POSTGRES, POSTGRES_AGAIN = "postgres-kept", "postgres-kept-again"


@pytest.fixture(scope="module", autouse=True)
def nothing_said() -> Iterator[None]:
    """What the environment says goes before a settings' file: here it says nothing, wherever the tests are run."""
    said = {name: os.environ.pop(name) for name in list(os.environ) if name.startswith("CONVOY_")}
    yield
    os.environ.update(said)


@pytest.fixture(scope="module")
def place() -> Path:
    """Fresh, and within the project: the database's user has to get there."""
    for name in (POSTGRES, POSTGRES_AGAIN):
        serving.forget(name)
    folder = VAR / "kept"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    return folder


@pytest.fixture(scope="module")
def balancer() -> Iterator[Balancer]:
    first = free_port(8700)
    made = Balancer([first, free_port(first + 1)])
    yield made
    made.close()


@pytest.fixture(scope="module")
def store() -> Iterator[str]:
    with object_store() as address:
        yield address


@pytest.fixture(scope="module")
def running() -> Iterator[ExitStack]:
    """What runs: a test may end it, and start it elsewhere."""
    with ExitStack() as stack:
        yield stack


@pytest.fixture(scope="module")
def kept(running: ExitStack, place: Path, balancer: Balancer, store: str) -> Kept:
    return running.enter_context(kept_site(place / "first", POSTGRES, store, balancer))


@pytest.fixture(scope="module")
def browsers(kept: Kept) -> Iterator[dict[str, Browser]]:
    made = {name: Browser(kept.address) for name in ("wren", "pim")}
    yield made
    errors = {name: one.script_errors() for name, one in made.items()}
    for one in made.values():
        one.close()
    # While the site is gone a page says so; that the browser says it, too, is no fault of the page.
    assert not [text for all_of in errors.values() for text in all_of if "net::ERR" not in text]


@pytest.fixture(scope="module")
def shelf(place: Path) -> Iterator[str]:
    with handed_out(place / "web") as address:
        yield f"{address}/hut-shelf"


def convoy(*words: str, at: Path) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "convoy_agent", "--store", str(at / "store"), *words]
    return subprocess.run(command, cwd=at, capture_output=True, text=True, env={**os.environ, "COLUMNS": "200"})


def make(place: Path) -> str:
    """`convoy source make`, as the page says it; gives the key that it tells."""
    out, key = place / "web" / "hut-shelf", place / "source.key"
    done = convoy("source", "make", str(place / "mods"), "--out", str(out), "--key", str(key), at=place)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout.split("Its key is ")[1][:19]


def test_the_profile_is_tried_before_anybody_depends_on_it(place: Path) -> None:
    mods = write_folder(place / "mods")
    game = place / "Fellwright"
    for path in ("fellwright", "packs/old/readme.txt", "valleys/first/map.dat", "fellwright.ini"):
        (game / path).parent.mkdir(parents=True, exist_ok=True)
        (game / path).write_text(path)
    archive = mods / "rope-bridges-1.2.zip"
    done = convoy("game", "check", str(mods / "fellwright.toml"), str(archive), str(game), at=place)
    assert done.returncode == 0, done.stdout
    assert "Rope Bridges/planks.dat -> packs/example-mod/planks.dat" in done.stdout
    assert "packs/old lacks its marker" in done.stdout
    wrong = place / "wrong.toml"
    wrong.write_text(block("fellwright.toml").replace('runtime = "3"', "runtime = 3", 1))
    done = convoy("game", "check", str(wrong), at=place)
    assert (done.returncode, "wrong.toml:10: versions[0].runtime" in done.stdout) == (1, True), done.stdout


def test_an_account_a_crew_and_a_game_of_ones_own(browsers: dict[str, Browser], kept: Kept) -> None:
    wren = browsers["wren"]
    wren.go("/")
    wren.sees("Everyone in step", "I was given a code")
    assert wren.complaints() == []
    wren.press("Make an account")
    wren.fill("Name to sign in with", "wren")
    wren.fill("E-mail address", "wren@crew.example")
    wren.fill("Password", PASSWORD)
    wren.press("Make the account")
    wren.sees("Welcome aboard", "No game is known here yet")
    assert wren.complaints() == []
    wren.press("Start a crew")
    wren.fill("Name of the crew", "The Saddle")
    wren.press("Start it")
    wren.sees("The Saddle", "No source of your own")
    wren.press("Bring it")
    wren.sees("Bring a game", "1 thing is wrong")
    wren.press("As text")
    wrong = block("fellwright.toml").replace('worlds = ["valleys"]', 'worlds = ["packs/valleys"]')
    paste(wren, wrong)
    wren.sees("line 6:", "saved worlds would be called differences")
    paste(wren, block("fellwright.toml"))
    wren.sees("It can be used as it is.")
    assert wren.complaints() == []
    wren.press("Step by step")
    wren.until("the form to say it", lambda: wren.find("Name").get_attribute("value") == "Fellwright")
    wren.press("Bring the game")
    wren.sees("Brought by The Saddle.", "2 versions: 1.4, 1.3")
    assert wren.complaints() == []


def crew_of(browser: Browser) -> str:
    script = "return fetch('/api/me').then(r => r.json()).then(me => me.crews[0].id)"
    return f"/crews/{browser.driver.execute_script(script)}"


def paste(browser: Browser, text: str) -> None:
    """Into the text of a profile, as one does with a long one."""
    script = """
        const field = document.querySelector('textarea[aria-label="The profile as text"]');
        Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(field, arguments[0]);
        field.dispatchEvent(new Event('input', {bubbles: true}));
    """
    browser.driver.execute_script(script, text)


def test_a_source_is_made_compared_and_added(browsers: dict[str, Browser], place: Path, shelf: str) -> None:
    key = make(place)
    wren = browsers["wren"]
    wren.go(crew_of(wren))
    wren.press("Add a source")
    wren.fill("Address of the source", "http://10.0.0.1/shelf")
    wren.press("Look")
    wren.sees("is not on the open network")
    wren.fill("Address of the source", shelf)
    wren.press("Look")
    wren.sees("It is signed.", key)
    assert wren.complaints() == []
    wren.press("Add Hut Shelf")
    wren.sees("4 mods, direct", "read just now")
    wren.press("Hut Shelf")
    wren.sees("5 builds", "Everything that it lists was taken", key)
    assert wren.complaints() == []


def test_a_pack_begins_with_a_list_and_is_published(browsers: dict[str, Browser], place: Path, kept: Kept) -> None:
    wren = browsers["wren"]
    wren.go("/packs/new?with=list")
    wren.fill("Name", "High Huts")
    wren.fill("Mods, one a line", "Rope Bridges\nWarm Huts\nclear-skies\nSomething Else")
    wren.press("Which base has them?")
    wren.sees("3 mods known", "not known: Something Else", "Fellwright 1.4, Hitch 2.1", "3 of 3")
    assert wren.complaints() == []
    wren.press("Start the pack")
    wren.sees("3 chosen + 1 brought in = 4")
    address = wren.driver.current_url.split("/assemble")[0].removeprefix(wren.address)
    wren.go(f"{address}/publish")
    wren.press("Publish release 1.0.0")
    wren.sees("Release 1.0.0 is published and signed.")
    wren.press("Make a join code")
    wren.sees("any number of uses")
    (place / "code").write_text(wren.join_code())
    (place / "pack").write_text(address)


def test_a_member_comes_from_the_code_to_in_step(browsers: dict[str, Browser], place: Path) -> None:
    pim, machine = browsers["pim"], place / "pims"
    machine.mkdir()
    pim.go("/")
    pim.fill("Join code", (place / "code").read_text())
    pim.press("Join")
    pim.press("Sign in", within="page")
    pim.press("Make one")
    pim.fill("Name to sign in with", "pim")
    pim.fill("E-mail address", "pim@crew.example")
    pim.fill("Password", PASSWORD)
    pim.press("Make the account")
    pim.sees("The Saddle", "Release 1.0.0: 4 mods")
    pim.fill("Name of this installation", "Huts")
    pim.press("Join The Saddle and install")
    pim.press("Show the pairing command")
    pim.sees("convoy join")
    codes = [one.text for one in pim.driver.find_elements("css selector", "code")]
    command = shlex.split(next(one for one in codes if one.startswith("convoy join")))
    done = convoy(*command[1:], "--game", str(place / "Fellwright"), at=machine)
    assert done.returncode == 0, done.stderr
    done = convoy("sync", "--folder", "huts", at=machine)
    assert done.returncode == 0, done.stdout + done.stderr
    pim.sees("◆ differs", "not of the pack: packs/old/readme.txt")  # left over from an earlier try by hand
    done = convoy("sync", "--folder", "huts", "--extras-aside", at=machine)
    assert done.returncode == 0, done.stdout + done.stderr
    pim.sees("● in step")
    assert (machine / "huts/packs/rope-bridges/settings.toml").read_text() == "sway = 3\n"
    assert list((machine / "huts/skies/clear-skies").rglob("dawn.dat"))


def test_an_own_build_lies_in_the_store_and_comes_through_the_site(
    browsers: dict[str, Browser], place: Path, store: str
) -> None:
    wren, machine = browsers["wren"], place / "pims"
    own = place / "own"
    write_archive(own / "our-stove-2.0.zip", {"hitch.toml": marker("our-stove", "2.0"), "stove.dat": "warm " * 9000})
    write_archive(own / "our-bell-1.zip", {"hitch.toml": marker("our-bell", "1"), "bell.dat": "ding " * 500})
    write_archive(own / "odd.zip", {"../climbs": "x"})
    wren.go((place / "pack").read_text() + "/assemble")
    wren.press("Bring in")
    wren.press("Many archives, as the crew's own builds")
    wren.driver.find_element("css selector", "input[aria-label='Folder of archives']").send_keys(str(own))
    wren.sees("our-stove-2.0.zip", "▬ refused", "climbs out")
    wren.fill("Licence of all", "MIT")
    wren.press("Make 2 builds")
    wren.press("Add 2 mods to the draft")
    wren.sees("5 chosen + 1 brought in = 6")
    wren.go((place / "pack").read_text() + "/publish")
    wren.press("Publish release 1.1.0")
    wren.sees("Release 1.1.0 is published and signed.")
    done = convoy("sync", "--folder", "huts", at=machine)
    assert done.returncode == 0, done.stdout + done.stderr
    assert next(iter((machine / "huts/packs").rglob("stove.dat"))).stat().st_size == 45_000
    listed = httpx.get(f"{store}/kept?prefix=site/own/").text
    assert listed.count("<Key>") == 2
    # The site keeps none of them on its own disks.
    assert not list((place / "first").glob("machine-*/files/own/*/*"))


def test_a_newer_archive_is_read_alone_and_offered(browsers: dict[str, Browser], place: Path) -> None:
    wren = browsers["wren"]
    write_archive(place / "mods/warm-huts-1.0.zip", {"hitch.toml": marker("warm-huts", "1.0"), "b": "new"})
    make(place)
    wren.go(crew_of(wren))
    wren.press("Hut Shelf")
    wren.press("Read it now")
    wren.sees("6 builds")
    wren.go((place / "pack").read_text() + "/assemble?updates=1")
    wren.sees("Warm Huts", "0.9", "1.0")


def test_one_machine_gone_costs_nobody_anything(browsers: dict[str, Browser], place: Path, kept: Kept) -> None:
    before = {number: httpx.get(f"{kept.address}/api/health").status_code for number in range(4)}
    assert set(before.values()) == {200}
    kept.stop_machine(2)
    wren = browsers["wren"]
    # A line that was open to the machine that is gone breaks once; the next one goes to the other.
    wren.go("/")
    if "High Huts" not in wren.text():
        wren.go("/")
    wren.sees("High Huts", "My crews' packs")
    done = convoy("status", "--folder", "huts", at=place / "pims")
    assert done.returncode == 0, done.stdout + done.stderr


def test_a_forgotten_password_comes_back_by_mail(browsers: dict[str, Browser], kept: Kept) -> None:
    with_letters = httpx.get(f"{kept.letters}/letters.json").json()
    assert any("wren@crew.example" in one["to"] for one in with_letters)
    pim = browsers["pim"]
    pim.driver.delete_all_cookies()
    pim.go("/password")
    pim.fill("Your e-mail address", "pim@crew.example")
    pim.press("Send me the way back")
    pim.sees("A mail went to pim@crew.example")

    def mailed() -> str:
        letters = httpx.get(f"{kept.letters}/letters.json").json()
        return next((one["text"] for one in letters if "pim@" in one["to"] and "/password/" in one["text"]), "")

    text = str(pim.until("the mail", mailed))
    address = next(word for word in text.split() if "/password/" in word)
    pim.driver.get(address)
    pim.fill("New password", "another towpath entirely")
    pim.press("Set it")
    pim.until("to be out of it", lambda: "/password" not in pim.driver.current_url)
    pim.go("/sign-in")
    pim.fill("Name or e-mail address", "pim@crew.example")
    pim.fill("Password", "another towpath entirely")
    pim.press("Sign in", within="page")
    pim.sees("High Huts")


def test_backed_up_lost_and_brought_back_the_agent_goes_on(
    browsers: dict[str, Browser], place: Path, kept: Kept, running: ExitStack, balancer: Balancer, store: str
) -> None:
    assert serving.backup([str(place / "backups"), str(kept.settings)]) == 0
    (backup,) = (place / "backups").iterdir()
    running.close()
    shutil.rmtree(place / "first")
    again = place / "again"
    again.mkdir()
    settings = again / "serve.env"
    lines = {
        "CONVOY_SECRET": "another secret: sessions end, and nothing else",
        "CONVOY_ADDRESS": kept.address,
        "CONVOY_DATA": str(again / "machine-1"),
        "CONVOY_POSTGRES": POSTGRES_AGAIN,
    }
    settings.write_text("".join(f"{name}={value}\n" for name, value in lines.items()))
    assert serving.restore([str(backup), str(settings)]) == 0
    with pytest.raises(SystemExit, match="holds a site already"):
        serving.restore([str(backup), str(settings)])
    with kept_site(again, POSTGRES_AGAIN, store, balancer):
        machine = place / "pims"
        done = convoy("sync", "--folder", "huts", at=machine)
        assert done.returncode == 0, done.stdout + done.stderr
        told = json.loads(convoy("status", "--folder", "huts", "--json", at=machine).stdout)
        assert told["release"] == "1.1.0"
        wren = browsers["wren"]
        wren.go("/sign-in")
        wren.fill("Name or e-mail address", "wren")
        wren.fill("Password", PASSWORD)
        wren.press("Sign in", within="page")
        wren.sees("High Huts")
        wren.go((place / "pack").read_text() + "/crew")
        wren.sees("1 of 1 installation in step with release 1.1.0")


def test_a_backup_into_a_place_that_is_none_is_refused(tmp_path: Path) -> None:
    good = tmp_path / "good.env"
    good.write_text(f"CONVOY_SECRET=x\nCONVOY_DATA={tmp_path / 'data'}\n")
    for arguments, says in (
        (["nowhere", str(tmp_path / "none.env")], "There is no"),
        ([str(tmp_path), str(good)], "is no backup"),
    ):
        with pytest.raises(SystemExit, match=says):
            serving.restore(arguments)
    bad = tmp_path / "bad.env"
    bad.write_text("CONVOY_SECRET=x\nPATH=/evil\n")
    with pytest.raises(SystemExit, match=r"bad\.env:2"):
        serving.read_settings([str(bad)])
    bad.write_text("CONVOY_ADDRESS=http://a\n")
    with pytest.raises(SystemExit, match="names no CONVOY_SECRET"):
        serving.read_settings([str(bad)])
