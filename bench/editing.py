"""Edits of large drafts through the running site: one person's, and two people's at once for ten minutes."""

from __future__ import annotations

import random
import statistics
import threading
import time
from typing import Any

import httpx

from convoy_site.packs.models import Pack
from convoy_site.packs.services import NewPack, start_pack
from convoy_site.people.models import Crew, User

from .site_pages import load_mods, row, signed_in, timed

Row = tuple[str, str, str]

MINUTES, PAUSE = 10, 2.0
"""How long two people edit, and how long one of them thinks before an edit, in the middle: people keep no step."""

AFTER_AN_EDIT = ("line", "findings", "pending?channel=stable")
"""What an open page reads again when anybody edited the draft."""

EVERY = {"draft/edits": 1.5, "line": 5.0, "pending?channel=stable": 5.0, "roll-call": 5.0, "draft": 30.0}
"""Seconds between two readings while a page is open (web/src/api/queries.ts)."""


def measure() -> list[Row]:
    load_mods(5_000)
    rows = []
    for lines, edit_aim, page_aim in ((70, "", ""), (400, "aim 100 ms", "aim 60 ms"), (1_000, "aim 250 ms", "")):
        rows += _alone(lines, edit_aim, page_aim)
    return rows


def started(name: str, lines: int) -> str:
    """A new pack of many chosen lines; where its doors are."""
    crew = Crew.objects.get(name="Kestrel Wharf")
    base = {"game_version": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
    new = NewPack(crew=crew.id, game="tillerway", name=name, emblem="reed", group="", notes="", **base)
    pack: Pack = start_pack(User.objects.get(username="maren"), new)
    _send(signed_in(), f"/api/packs/{pack.id}", 0, {"do": "add many", "mods": _mods(3000, lines)})
    return str(pack.id)


def _mods(first: int, count: int) -> list[str]:
    return [f"bulk-{number}" for number in range(first, first + count)]


def _send(
    client: httpx.Client, at: str, revision: int, *edits: dict[str, Any], with_draft: bool = True
) -> dict[str, Any]:
    body = {"revision": revision, "edits": list(edits), "with_draft": with_draft}
    answer: dict[str, Any] = client.post(f"{at}/draft/edits", json=body).raise_for_status().json()
    return answer


def _alone(lines: int, edit_aim: str, page_aim: str) -> list[Row]:
    """Adds and removes one mod in a draft of many chosen lines and what they need, over HTTP, resolve included."""
    client = signed_in()
    began = time.perf_counter()
    at = f"/api/packs/{started(f'{lines} lines', lines)}"
    first = time.perf_counter() - began
    told = client.get(f"{at}/draft").json()
    revision = told["revision"]
    taken: dict[bool, list[float]] = {False: [], True: []}
    for number in range(80):
        with_draft = number % 4 > 1
        edit = {"do": ("add", "remove")[number % 2], "mod": f"bulk-{4200 + number // 2}"}
        began = time.perf_counter()
        revision = _send(client, at, revision, edit, with_draft=with_draft)["revision"]
        taken[with_draft].append(time.perf_counter() - began)
    size = f"{told['chosen']} chosen + {told['brought_in']} brought in"
    return [
        row(f"one edit, resolve included ({size})", taken[False], edit_aim),
        row("the same with the draft after it in its answer", taken[True], ""),
        (f"all its lines in one go ({size})", f"{first:.2f} s", "with the pack's start"),
        row("draft page of it", timed(lambda n: client.get(f"{at}/draft")), page_aim),
    ]


def together() -> list[Row]:
    load_mods(5_000)
    at = f"/api/packs/{started('Two at once', 400)}"
    until = time.monotonic() + MINUTES * 60
    people = [_Editor("maren", at, until, 4200, 3000), _Editor("tolliver", at, until, 4600, 3200)]
    for one in people:
        one.start()
    for one in people:
        one.join()
    edits = [taken for one in people for taken in one.edits]
    pages = [taken for one in people for taken in one.pages]
    told = f"{len(edits)} edits, one every {PAUSE:.0f} s or so each, and all that both open pages read meanwhile"
    figure = f"median {statistics.median(edits) * 1000:.0f} ms, worst {max(edits) * 1000:.0f} ms"
    over = sum(taken > 0.3 for taken in edits)
    return [
        (f"two people editing 400 lines for {MINUTES} minutes ({told})", figure, f"aim: none over 300 ms; {over} were"),
        row("their draft pages meanwhile", pages, ""),
        ("refused", str(sum(one.refused for one in people)), "they edit different lines"),
    ]


class _Editor(threading.Thread):
    """Adds, describes, moves and removes, each time against the draft that the last answer brought."""

    def __init__(self, name: str, at: str, until: float, fresh: int, own: int) -> None:
        super().__init__(name=name)
        self._client, self._at, self._until = signed_in(name), at, until
        self._page = _Page(name, at, until)
        self._fresh, self._own, self._chance = fresh, own, random.Random(fresh)
        self.edits: list[float] = []
        self.refused = 0

    @property
    def pages(self) -> list[float]:
        return self._page.drafts

    def run(self) -> None:
        revision, turn = self._client.get(f"{self._at}/draft").json()["revision"], 0
        self._page.start()
        while time.monotonic() < self._until:
            # Nobody edits a page that has not come yet.
            time.sleep(PAUSE * self._chance.uniform(0.3, 1.7))
            began = time.perf_counter()
            try:
                revision = _send(self._client, self._at, revision, self._edit(turn))["revision"]
            except httpx.HTTPStatusError:
                self.refused += 1
                revision = self._client.get(f"{self._at}/draft").json()["revision"]
            taken = time.perf_counter() - began
            self.edits.append(taken)
            self._page.knows(revision)
            turn += 1
        self._page.join()

    def _edit(self, turn: int) -> dict[str, Any]:
        new, line = f"bulk-{self._fresh + turn // 4 % 100}", f"bulk-{self._own + turn % 100}"
        return (
            {"do": "add", "mod": new},
            {"do": "describe", "mod": line, "note": f"Looked at in turn {turn}."},
            {"do": "move", "mods": [line], "before": f"bulk-{self._own + 150}"},
            {"do": "remove", "mod": new},
        )[turn % 4]


class _Page(threading.Thread):
    """Reads what an open page reads, beside what its curator does."""

    def __init__(self, name: str, at: str, until: float) -> None:
        super().__init__()
        self._client, self._at, self._until = signed_in(name), at, until
        self._known, self._is_stale = 0, threading.Event()
        self.drafts: list[float] = []

    def knows(self, revision: int) -> None:
        """Its own edit's answer brought this draft."""
        self._known = max(self._known, revision)
        self._is_stale.set()

    def run(self) -> None:
        due = dict.fromkeys(EVERY, time.monotonic())
        while (now := time.monotonic()) < self._until:
            for what, when in due.items():
                if when <= now:
                    due[what] = now + EVERY[what]
                    self._read(what)
            if self._is_stale.is_set():
                self._is_stale.clear()
                for what in AFTER_AN_EDIT:
                    self._read(what)
            self._is_stale.wait(0.1)

    def _read(self, what: str) -> None:
        began = time.perf_counter()
        answer = self._client.get(f"{self._at}/{what}").raise_for_status().json()
        if what == "draft":
            self.drafts.append(time.perf_counter() - began)
            self._known = max(self._known, answer["revision"])
        if what == "draft/edits" and answer[0]["revision"] > self._known:
            # Somebody else's: the page reads all of it anew.
            self._read("draft")
            self._is_stale.set()
