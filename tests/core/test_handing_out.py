"""Lists of a release, each judged by a reader or validator that is not ours."""

import csv
import io
import json
import subprocess
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path
from xml.etree import ElementTree

import pytest
from cyclonedx.schema import SchemaVersion
from cyclonedx.validation.json import JsonStrictValidator

from convoy_core.handing_out.announcement import MANY, announcement, changes_in_words
from convoy_core.handing_out.announcement import as_markdown as announced_markdown
from convoy_core.handing_out.checksums import NAME, checksums
from convoy_core.handing_out.downloads import SPACE, metalink
from convoy_core.handing_out.parts_list import cyclonedx
from convoy_core.handing_out.places import open_addresses, page_of
from convoy_core.handing_out.reading_lists import COLUMNS, as_csv, as_html, as_markdown
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.terms import HandStep, Terms
from convoy_core.machine.memory import Needed
from convoy_core.words.model import Pickup, Reach, Side

from .making import lock, locked

SOURCES = {"harbour": "http://127.0.0.1:9/shelf"}
HOSTILE = '=HYPERLINK("x") <script>alert(1)</script> [a](javascript:1) `rm -rf` "\'&\n# |'
TERMS = Terms(settings=("mods/*/settings.*",), worlds=("worlds",))


def recipe(*layers: tuple[LockedBuild, dict[str, str]], notes: str = "") -> Recipe:
    made = lock(*layers, terms=TERMS)
    told = Recipe("p1", "Night Freight", "1.2.0", "stable", "2026-11-01T20:00:00+00:00", notes, made)
    return replace(told, needed=Needed(2048, 4096), sha256="a" * 64)


ledger = replace(
    locked("ledger", needs=("weir",)), licence="MIT OR Apache-2.0", urls=("files/l.zip", "http://192.0.2.1/l.zip")
)
weir = replace(locked("weir", chosen=False), licence="LicenseRef-own")
bells = replace(
    locked("bells", pickup=Pickup.BY_HAND, optional=True, reach=Reach.OWN), advice="Nice.", licence="ask Wenna first"
)
odd = replace(locked("odd", pickup=Pickup.OURS), name=HOSTILE, licence=HOSTILE, page="javascript:alert(1)")
own = replace(locked(OVERLAY, pickup=Pickup.OURS), name="Own files", licence="")
FULL = recipe((weir, {"mods/weir/x": "1"}), (ledger, {}), (bells, {}), (odd, {}), (own, {}), notes=HOSTILE)


def test_a_list_of_parts_is_what_its_validator_takes_and_the_same_twice() -> None:
    made = cyclonedx(FULL, SOURCES)
    problem = JsonStrictValidator(SchemaVersion.V1_6).validate_str(made.decode())
    assert problem is None, problem
    assert made == cyclonedx(FULL, SOURCES)
    told = json.loads(made)
    by = {one["bom-ref"]: one for one in told["components"]}
    assert by["mod:ledger"]["licenses"] == [{"expression": "MIT OR Apache-2.0"}]
    assert (
        by["mod:bells"]["licenses"] == [{"license": {"name": "ask Wenna first"}}] and "purl" not in by[f"mod:{OVERLAY}"]
    )
    assert {"ref": "mod:ledger", "dependsOn": ["mod:weir"]} in told["dependencies"]


def test_downloads_name_what_any_program_may_fetch() -> None:
    top = ElementTree.fromstring(metalink(FULL, FULL.lock.builds, SOURCES))
    files = {one.get("name"): one for one in top.iter(f"{{{SPACE}}}file")}
    assert set(files) == {"weir/weir-1.0.zip", "ledger/ledger-1.0.zip"}
    urls = [one.text for one in files["ledger/ledger-1.0.zip"].iter(f"{{{SPACE}}}url")]
    assert urls == ["http://127.0.0.1:9/shelf/files/l.zip", "http://192.0.2.1/l.zip"]


@pytest.mark.parametrize(
    ("url", "told"),
    [
        ("files/a b\"'<>.zip", ("http://127.0.0.1:9/shelf/files/a%20b%22%27%3C%3E.zip",)),
        ("javascript:alert(1)", ()), ("file:///etc/passwd", ()), ("http://[bad", ()), ("//192.0.2.1/x", ("http://192.0.2.1/x",)),
        ("a\r\nHost: x", ()), ("a\r\nb", ("http://127.0.0.1:9/shelf/ab",)),
    ],
)  # fmt: skip
def test_an_address_leads_to_the_web_or_is_none(url: str, told: tuple[str, ...]) -> None:
    assert open_addresses(replace(ledger, urls=(url,)), SOURCES) == told
    assert open_addresses(replace(ledger, pickup=Pickup.OURS), SOURCES) == ()
    assert page_of(odd, SOURCES) == "" and page_of(ledger, {}) == ""


def test_checksums_are_what_sha256sum_takes(tmp_path: Path) -> None:
    files = {"mods/weir/a b.txt": "1", "mods/weir/ü.txt": "2", "mods/weir/settings.toml": "3"}
    scenario = {"worlds/{world}/trials/x": "4"}
    made = recipe((weir, files), (replace(ledger, side=Side.SERVER), {"mods/l/x": "5"}), (bells, scenario))
    for path, content in files.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_text(content)
    (tmp_path / "mods/weir/settings.toml").write_text("the member's own")
    (tmp_path / NAME).write_text(checksums(made.lock.share(Side.PLAYER)))
    done = subprocess.run(["sha256sum", "-c", "--strict", NAME], cwd=tmp_path, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.count(": OK") == 2
    (tmp_path / "mods/weir/a b.txt").write_text("altered")
    assert subprocess.run(["sha256sum", "-c", "--status", NAME], cwd=tmp_path).returncode == 1


def test_a_table_is_read_back_and_holds_no_formula() -> None:
    rows = list(csv.reader(io.StringIO(as_csv(FULL, SOURCES), newline="")))
    assert tuple(rows[0]) == COLUMNS and len(rows) == 6
    by = {row[0]: dict(zip(COLUMNS, row, strict=True)) for row in rows[1:]}
    assert by["odd"]["name"] == f"'{HOSTILE}" and by["weir"]["why it is in"] == "brought in"
    assert by["ledger"]["page"] == "http://127.0.0.1:9/shelf/pages/ledger"


class Seen(HTMLParser):
    """Every tag, and every address, of a page."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags, self.addresses, self.text = set[str](), list[str](), ""
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.add(tag)
        self.addresses += [value or "" for name, value in attrs if name in ("href", "src")]

    def handle_data(self, data: str) -> None:
        self.text += data


def test_what_strangers_wrote_is_no_markup_in_pages_and_texts() -> None:
    seen = Seen(as_html(FULL, "Tillerway 2.1, Bosun 5.2.0", SOURCES))
    assert "script" not in seen.tags and all(one.startswith("http://127.0.0.1:9/") for one in seen.addresses)
    assert (
        "<script>alert(1)</script>" in seen.text
        and "Optional" in seen.text
        and "Leave it in your downloads" in seen.text
    )
    text = as_markdown(FULL, "Tillerway 2.1, Bosun 5.2.0", SOURCES)
    assert "\\<script\\>" in text and "](javascript" not in text and "\n\\# \\|" not in text
    assert "- [Ledger](<http://127.0.0.1:9/shelf/pages/ledger>) 1.0, MIT OR Apache\\-2.0" in text


def test_an_announcement_says_what_changed_what_to_do_and_what_happens_to_worlds() -> None:
    seasons = replace(locked("seasons", reach=Reach.SAVE), on_removal="The calendar stops.")
    step = Terms(steps=(HandStep("read", "Read the *rules*."),))
    before = recipe((weir, {}), (ledger, {}), (seasons, {}))
    now = recipe(
        (weir, {}), (replace(ledger, version="2.0", archive=odd.archive), {}), (bells, {}), notes="Mind the lock."
    )
    now = replace(now, number="1.3.0", lock=replace(now.lock, terms=step), needed=Needed(3072, 4096, runtime="21"))
    told = announcement(before, now, ("Tillerway 2.0", "Tillerway 2.1"), "https://convoy.example/r/1.3.0")
    for line in (
        "Night Freight 1.3.0 is out.",
        "Mind the lock.",
        "- The base moves from Tillerway 2.0 to Tillerway 2.1",
        "- Ledger goes from 1.0 to 2.0",
        "- Seasons 1.0 leaves",
        "- By hand: Read the *rules*.",
        "- You may choose Bells: Nice.",
        "It takes 3 GB of memory, better 4 GB; it was 2 GB, and the runtime 21.",
        "All of it: https://convoy.example/r/1.3.0",
    ):
        assert line in told.splitlines(), told
    assert "The calendar stops." in told and "backed up" in told and "Worlds stay" not in told
    assert "1 MB to fetch in 2 files" in told and "errand" not in told, "what one chooses is no errand yet"
    text = announced_markdown(told)
    assert "Read the \\*rules\\*." in text
    assert "<https://convoy.example/r/1.3.0>" in text and "**What changed since 1.2.0:**" in text
    assert "<script>" not in announced_markdown(announcement(None, FULL, ("", "Tillerway 2.1")))
    assert "is out for trial" in announcement(before, replace(now, channel="trial"), ("", ""))


def test_many_that_come_at_once_are_one_sentence() -> None:
    def rows(count: int) -> list[dict[str, object]]:
        named = {"what": "added", "before": "", "after": "1", "chosen": True}
        return [{**named, "mod": str(at), "name": f"Mod {at}"} for at in range(count)]

    assert len(changes_in_words(rows(MANY))) == MANY
    (one,) = changes_in_words(rows(200))
    assert one.startswith("200 mods come in: Mod 0 1, ") and one.endswith(" and 140 more")
