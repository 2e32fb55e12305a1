"""From publishing to a stranger who joins by the address in a QR code; and a pack that leaves the site as a file, is
synced from that alone, and becomes a pack of a second site that knew nothing of it.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from convoy_core.lock.canonical import sha256_hex
from house import serving
from house.places import VAR
from house.services import free_port
from tests.qr import read_back

from .browser import Browser
from .keeping import Balancer, Kept, kept_site, object_store

People = Callable[..., Browser]
PASSWORD = "towpath by moonlight"
SECOND = "postgres-second"
MODS = ("lock-ledger", "heron-almanac", "ropework")
FETCH = """
const [method, path, body] = arguments, done = arguments[3];
const token = (document.cookie.match(/csrftoken=([^;]+)/) || [])[1] || "";
const headers = {"X-CSRFToken": token, "Content-Type": "application/json"};
fetch(path, {method, headers, body: body === null ? undefined : JSON.stringify(body)})
  .then(async (r) => done([r.status, await r.json().catch(() => null)]));
"""


def ask(browser: Browser, method: str, path: str, body: object = None) -> Any:
    """What the page's own client would send."""
    status, told = browser.driver.execute_async_script(FETCH, method, path, body)
    assert status == 200, (path, status, told)
    return told


@pytest.fixture(scope="module")
def tolliver(people: People) -> Browser:
    one = people("tolliver-hands-out")
    one.sign_in("tolliver")
    return one


@pytest.fixture(scope="module")
def pack(tolliver: Browser) -> str:
    """A small pack whose every build may travel."""
    crew = ask(tolliver, "GET", "/api/me")["crews"][0]["id"]
    base = {"game": "tillerway", "game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    about = {"crew": crew, "name": "Last Barge", "emblem": "bell", "group": "", "notes": "Home before dark.", **base}
    pack = ask(tolliver, "POST", "/api/packs", about)["id"]
    edits = {"revision": 0, "edits": [{"do": "add", "mod": mod} for mod in MODS]}
    ask(tolliver, "POST", f"/api/packs/{pack}/draft/edits", edits)
    return pack


def convoy(*words: str, at: Path) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "convoy_agent", "--store", str(at / "store"), *words]
    environment = {name: value for name, value in os.environ.items() if not name.startswith("CONVOY_")}
    done = subprocess.run(command, cwd=at, capture_output=True, text=True, env={**environment, "COLUMNS": "200"})
    assert done.returncode == 0, done.stdout + done.stderr
    return done


def laid_down(folder: Path) -> dict[str, str]:
    files = (path for path in folder.rglob("*") if path.is_file() and ".convoy" not in path.parts)
    return {str(path.relative_to(folder)): sha256_hex(path.read_bytes()) for path in files}


def test_a_release_is_published_with_an_announcement_of_ones_own(tolliver: Browser, pack: str) -> None:
    tolliver.go(f"/packs/{pack}/publish")
    tolliver.press("See it, and change it")
    tolliver.sees("Write it anew")
    text = tolliver.find("Announcement").get_attribute("value")
    assert text.startswith("Last Barge 1.0.0 is out.") and "Lock Ledger" in text and "What you do:" in text
    tolliver.fill("Announcement", "Last Barge is afloat. Bring a lamp.")
    assert tolliver.complaints() == []
    tolliver.press("Publish release 1.0.0")
    tolliver.sees("is published and signed", "1.0.0")
    tolliver.go(f"/packs/{pack}/releases/1.0.0")
    tolliver.sees("Bring a lamp.", "Copy as Markdown", "What changed", "Lock Ledger")
    assert tolliver.complaints() == []


def test_those_whom_it_concerns_find_it_under_news(people: People, pack: str) -> None:
    maren = people("maren-reads")
    maren.sign_in("maren")
    maren.go("/news")
    maren.sees("Last Barge 1.0.0 is out.", "How it comes to you")
    assert maren.complaints() == []
    maren.becomes(390, 844, dark=True)
    assert maren.complaints() == []
    maren.go("/")
    maren.sees("My crews' packs")
    count = ask(maren, "GET", "/api/news/count")
    assert count["unseen"] == 0


def test_a_stranger_joins_by_the_address_in_the_qr_code(tolliver: Browser, people: People, pack: str) -> None:
    tolliver.go(f"/packs/{pack}/publish")
    tolliver.press("Make a join code")
    code = tolliver.join_code()
    tolliver.go(f"/packs/{pack}/hand-out")
    tolliver.sees("A page for everybody", "mods inside")
    tolliver.fill("Last part of its address", "last-barge")
    tolliver.choose("How to join", f"shows the code {code}")
    tolliver.press("Open the page")
    tolliver.sees("Close the page", "/p/last-barge")
    assert tolliver.complaints() == []
    nuala = people("nuala", 390, 844, True)
    nuala.go("/p/last-barge")
    nuala.sees("Last Barge", "Home before dark.", "Lock Ledger", code)
    assert nuala.complaints() == []
    with httpx.Client(base_url=nuala.address) as plain:
        page = plain.get("/p/last-barge")
        assert page.status_code == 200 and "<script" not in page.text
        assert plain.get("/p/last-barge/picture.png").headers["content-type"] == "image/png"
        address = read_back(plain.get("/p/last-barge/code.svg").content)
    assert address == f"{nuala.address}/join/{code}"
    nuala.driver.get(address)
    nuala.press("Make an account")
    nuala.fill("Name to sign in with", "nuala")
    nuala.fill("E-mail address", "nuala@crew.example")
    nuala.fill("Password", PASSWORD)
    nuala.press("Make the account")
    nuala.sees("Last Barge", "Join Kestrel Wharf and install")
    nuala.press("Join Kestrel Wharf and install")
    nuala.sees("Show the pairing command", "Nothing is installed yet")
    tolliver.go(f"/packs/{pack}/crew")
    tolliver.sees("nuala")


@pytest.fixture(scope="module")
def file(tolliver: Browser, pack: str, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The pack as a file, made on the page and fetched from its link."""
    tolliver.go(f"/packs/{pack}/hand-out")
    tolliver.sees("mods inside")
    tolliver.press("Make the file")
    link = "return [...document.querySelectorAll('a[download]')].map(a => a.href).find(a => a.endsWith('/file'))"
    address = str(tolliver.until("the file", lambda: tolliver.driver.execute_script(link)))
    cookies = {one["name"]: one["value"] for one in tolliver.driver.get_cookies()}
    place = tmp_path_factory.mktemp("taken") / "last-barge.zip"
    place.write_bytes(httpx.get(address, cookies=cookies).raise_for_status().content)
    return place


@pytest.fixture(scope="module")
def alone(file: Path) -> Path:
    """A machine that has the file and nothing else."""
    convoy("join", str(file), "--into", "barge", at=file.parent)
    convoy("sync", str(file), "--folder", "barge", at=file.parent)
    return file.parent


def test_a_pack_is_synced_from_its_file_alone(tolliver: Browser, pack: str, alone: Path) -> None:
    wanted = ask(tolliver, "GET", f"/api/packs/{pack}/releases/1.0.0")["fingerprint"]
    told = json.loads(convoy("status", "--folder", "barge", "--json", at=alone).stdout)
    assert (told["release"], told["fingerprint"]) == ("1.0.0", wanted)


@pytest.fixture(scope="module")
def second() -> Iterator[Kept]:
    """Another site, of somebody else, on which there is nothing."""
    said = {name: os.environ.pop(name) for name in list(os.environ) if name.startswith("CONVOY_")}
    serving.forget(SECOND)
    place = VAR / "second"
    shutil.rmtree(place, ignore_errors=True)
    first = free_port(8760)
    balancer = Balancer([first, free_port(first + 1)])
    with object_store() as store, kept_site(place, SECOND, store, balancer) as kept:
        yield kept
    balancer.close()
    os.environ.update(said)


def test_a_second_site_opens_the_file_and_lays_down_the_same(
    file: Path, alone: Path, second: Kept, tolliver: Browser, pack: str
) -> None:
    wanted = ask(tolliver, "GET", f"/api/packs/{pack}/releases/1.0.0")
    game = (Path(__file__).resolve().parents[2] / "demo" / "games" / "tillerway.toml").read_text()
    quill = Browser(second.address)
    try:
        quill.go("/sign-in?new=1")
        quill.fill("Name to sign in with", "quill")
        quill.fill("E-mail address", "quill@elsewhere.example")
        quill.fill("Password", PASSWORD)
        quill.press("Make the account")
        quill.sees("Welcome aboard")
        # Its keeper brings the game under its own name, so that fingerprints can be compared across sites.
        keeper = [sys.executable, "manage.py", "keeper", "quill"]
        subprocess.run(keeper, env={**os.environ, **second.environments[0]}, check=True, capture_output=True)
        ask(quill, "POST", "/api/games", {"text": game})
        ask(quill, "POST", "/api/crews", {"name": "Amber Quay"})
        quill.go("/packs/open")
        quill.sees("Drop the file here")
        assert quill.complaints() == []
        quill.driver.find_element("css selector", "input[type=file]").send_keys(str(file))
        quill.sees("Last Barge 1.0.0", "Signed by the key", "becomes your crew's own", "Lock Ledger")
        assert quill.complaints() == []
        quill.press("Make it a pack of the crew")
        quill.sees("The pack is here.", f"fingerprint {wanted['fingerprint']}")
        quill.press("Go to the pack")
        quill.sees("Lock Ledger", "Heron Almanac")
        (made,) = ask(quill, "GET", "/api/packs")
        at = f"/api/packs/{made['id']}"
        ask(quill, "POST", f"{at}/releases", {"revision": 1, "number": "1.0.0", "despite": "as it came"})
        assert ask(quill, "GET", f"{at}/releases/1.0.0")["fingerprint"] == wanted["fingerprint"]
        code = ask(quill, "POST", f"{at}/codes", {"uses": None})["code"]
        joined = ask(
            quill, "POST", "/api/installations", {"code": code, "name": "There", "side": "player", "machine": ""}
        )
        command = ask(quill, "POST", f"/api/installations/{joined['id']}/pairing")["command"].split()
        elsewhere = alone / "elsewhere"
        elsewhere.mkdir()
        convoy(*command[1:], at=elsewhere)
        convoy("sync", "--folder", command[-1], at=elsewhere)
        told = json.loads(convoy("status", "--folder", command[-1], "--json", at=elsewhere).stdout)
        assert told["fingerprint"] == wanted["fingerprint"]
        assert laid_down(elsewhere / command[-1]) == laid_down(alone / "barge")
    finally:
        quill.close()
