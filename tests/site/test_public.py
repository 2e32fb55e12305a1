"""A pack's page for people without an account: only what is open, nothing that runs, and a picture of it."""

import io
import re
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from PIL import Image

from convoy_site.packs.emblems import EMBLEM_PATHS
from convoy_site.packs.services import describe_pack
from convoy_site.public.views import qr_svg
from tests.qr import read_back

from .conftest import World
from .test_news import release

HOSTILE = "<script>alert(1)</script> \"onload=x {{ pack.crew.id }} {% now 'Y' %}"
AT = "/p/night-freight"


class Read(HTMLParser):
    """What a page says, by tag."""

    def __init__(self, page: bytes) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.text = ""
        self.feed(page.decode())

    def handle_starttag(self, tag: str, attrs: Any) -> None:
        self.tags.append((tag, dict(attrs)))

    def handle_data(self, data: str) -> None:
        self.text += data

    def og(self, name: str) -> str:
        return next(told["content"] or "" for tag, told in self.tags if told.get("property") == f"og:{name}")


def opened(world: World, who: str = "curator", **asked: Any) -> tuple[int, Any]:
    body = {"on": True, "address": "night-freight", "words": "For long nights.", "code": world.code, **asked}
    return world.as_(who).send("PUT", f"{world.at}/public-page", body)


def test_a_page_says_what_is_open_and_is_there_by_choice_alone(world: World) -> None:
    stranger = Client()
    assert stranger.get(AT).status_code == 404
    suggested = world.as_("member").get(f"{world.at}/public-page")[1]
    assert not suggested["on"] and re.fullmatch(r"night-freight-[0-9a-f]{6}", suggested["address"])
    release(world, "1.1.0", "ropework")
    release(world, "1.2.0", "signal-flags", "trial")
    assert opened(world)[0] == 200
    got = stranger.get(AT)
    page = Read(got.content)
    assert got["X-Robots-Tag"] == "noindex" and "script" not in [tag for tag, _ in page.tags]
    for told in ("Night Freight", "For long nights.", "1.1.0", "Ropework", "comes in.", "Kestrel Wharf", "of memory"):
        assert told in page.text, told
    assert "1.2.0" not in page.text and "Signal Flags" not in page.text
    assert page.og("title") == "Night Freight" and "For long nights" in page.og("description")
    links = [told["href"] for tag, told in page.tags if tag == "a"]
    assert any(one and one.endswith(f"/join/{world.code[:4]}-{world.code[4:]}") for one in links)
    mods = [told for tag, told in page.tags if tag == "a" and told.get("rel") == "noreferrer nofollow"]
    assert mods and all((told["href"] or "").startswith("http") for told in mods)
    log = Read(stranger.get(f"{AT}/changes?since=1.0.0&until=1.1.0").content)
    assert "Ropework" in log.text
    for other in ("since=1.0.0&until=1.2.0", "since=9&until=1.1.0", "until="):
        assert stranger.get(f"{AT}/changes?{other}").status_code == 404
    # A withdrawn release is told no more, a used-up code is not shown, and a closed page is none.
    world.as_("owner").post(f"{world.at}/releases/1.1.0/withdrawal", {"why": "It eats worlds."})
    world.as_("owner").send("DELETE", f"{world.at}/codes/{world.code}")
    page = Read(stranger.get(AT).content)
    assert "1.1.0" not in page.text and world.code[:4] not in page.text and "Ask somebody of Kestrel Wharf" in page.text
    assert stranger.get(f"{AT}/code.svg").status_code == 404
    assert opened(world, on=False, code="")[0] == 200
    for path in ("", "/picture.png", "/code.svg", "/changes?until=1.0.0", "/mods/rivet.webp"):
        assert stranger.get(f"{AT}{path}").status_code == 404


def test_nothing_that_anybody_wrote_runs_on_a_page(world: World) -> None:
    describe_pack(world.users["owner"], world.pack.id, name=HOSTILE[:60], notes=HOSTILE)
    release(world, "1.1.0", "ropework", announced=HOSTILE)
    assert opened(world, words=f"{HOSTILE}\n\n{HOSTILE}")[0] == 200
    for path in (AT, f"{AT}/changes?since=1.0.0&until=1.1.0"):
        page = Read(Client().get(path).content)
        assert "script" not in [tag for tag, _ in page.tags] and "{{ pack.crew.id }}" in page.text + HOSTILE
        assert not [told for _, told in page.tags if any(name.startswith("on") for name in told)]
    card = Read(world.as_("owner").client.get(f"{world.at}/codes/{world.code}/card").content)
    assert "script" not in [tag for tag, _ in card.tags]


@pytest.mark.parametrize("address", ["", "ab", "Night", "a/b", "-night", "night-", "../etc", "n" * 61, "night freight"])
def test_what_is_no_address_is_refused(world: World, address: str) -> None:
    assert opened(world, address=address)[0] == 422


def test_an_address_and_a_code_belong_to_one_pack(world: World) -> None:
    other = world.as_("stranger").post("/api/crews", {"name": "Amber Quay"})[1]["id"]
    theirs = {"crew": other, "game": "tillerway", "name": "Other", "game_version": "2.1.0"}
    at = f"/api/packs/{world.as_('stranger').post('/api/packs', theirs)[1]['id']}/public-page"
    assert opened(world)[0] == 200
    asked = {"on": True, "address": "night-freight"}
    assert world.as_("stranger").send("PUT", at, asked)[1]["code"] == "name-taken"
    assert world.as_("stranger").send("PUT", at, {**asked, "address": "other", "code": world.code})[0] == 404
    assert world.as_("stranger").send("PUT", at, {**asked, "address": "other"})[0] == 200
    assert b"No release yet" in Client().get("/p/other").content
    Image.open(io.BytesIO(Client().get("/p/other/picture.png").content)).verify()


def test_a_page_has_a_picture_of_its_own(world: World) -> None:
    opened(world)
    drawn = Client().get(f"{AT}/picture.png")
    with Image.open(io.BytesIO(drawn.content)) as image:
        assert image.size == (1200, 630) and len(image.getcolors(2**20) or ()) > 8
    assert Client().get(f"{AT}/picture.png").content == drawn.content
    assert Client().get(f"{AT}/picture.png", headers={"If-None-Match": drawn["ETag"]}).status_code == 304
    for name, emblem in (("X", "wheel"), ("Unbreakably" * 5, "reed"), ("two words of it " * 4, "kite")):
        describe_pack(world.users["owner"], world.pack.id, name=name[:60].strip(), emblem=emblem)
        assert Client().get(f"{AT}/picture.png").content != drawn.content


def test_the_two_drawings_of_an_emblem_are_one() -> None:
    source = Path("web/src/parts/marks.tsx").read_text()
    table = source.partition("EMBLEMS: Record<string, string> = {")[2].partition("};")[0]
    assert dict(re.findall(r'(\w+): "([^"]+)"', table)) == EMBLEM_PATHS


def test_a_join_address_is_read_back_from_its_code() -> None:
    address = "https://convoy.example/join/7KQ4-M2XB"
    assert read_back(qr_svg(address)) == address
