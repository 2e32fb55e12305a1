"""News: who learns of what, by which way, and how it stops; calls of other services, as these see them."""

import hashlib
import hmac
import json
import re
import smtplib
import threading
import time
from collections.abc import Iterator
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import feedparser
import pytest
from aiosmtpd.controller import Controller
from allauth.account.models import EmailAddress
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from convoy_site.installations.models import Installation
from convoy_site.keeping import mail
from convoy_site.mail_settings import read_mail
from convoy_site.notices import calls, tasks
from convoy_site.notices.models import Call, CallState, Hook, Notice
from convoy_site.packs.services import edit_draft
from convoy_site.packs.shapes.edits import AddMod
from convoy_site.people.models import Event, User
from convoy_site.releases.services import publish
from convoy_standins.post import Letterbox
from house.services import free_port

from .conftest import World


def spread() -> None:
    """What the worker does with all that happened."""
    for event in Event.objects.filter(spread_at=None):
        tasks.spread(str(event.pk))


def release(world: World, number: str, mod: str, channel: str = "stable", **more: str) -> None:
    draft = world.pack.draft
    draft.refresh_from_db()
    edit_draft(world.users["curator"], world.pack.id, draft.revision, [AddMod(do="add", mod=mod)])
    publish(world.users["curator"], world.pack.id, draft.revision + 1, number, channel, "", "as tried", **more)


def texts(world: World, who: str) -> list[str]:
    return [row["text"] for row in world.as_(who).get("/api/news")[1]["rows"]]


def test_everybody_learns_what_concerns_them_once_and_nobody_of_what_they_did(world: World) -> None:
    spread()
    before = {who: len(texts(world, who)) for who in world.users}
    release(world, "1.1.0", "ropework")
    release(world, "1.2.0", "signal-flags", "trial")
    pack = f"/api/packs/{world.pack.id}"
    assert world.as_("owner").send("POST", f"{pack}/releases/1.1.0/withdrawal", {"why": "It eats worlds."})[0] == 200
    assert world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/people/member", {"role": "curator"})[0] == 200
    for _ in range(2):  # a job that is run again tells nobody twice
        spread()
    new = {who: texts(world, who)[: len(texts(world, who)) - before[who]] for who in world.users}
    out, trial = "Night Freight 1.1.0 is out.", "Night Freight 1.2.0 is out for trial."
    gone = "Night Freight 1.1.0 was withdrawn: It eats worlds."
    assert set(new["owner"]) == {out, trial}
    assert set(new["curator"]) == {gone}
    assert set(new["member"]) >= {out, gone, "member is curator of Kestrel Wharf now."}
    assert new["stranger"] == []
    assert world.as_("member").get("/api/news/count")[1]["unseen"] >= 3
    newest = world.as_("member").get("/api/news")[1]["rows"][0]["id"]
    assert world.as_("member").send("POST", "/api/news/seen", {"until": newest})[0] == 200
    assert world.as_("member").get("/api/news/count")[1] == {"unseen": 0, "needs": 0}
    # Who leaves a crew reads no more of it.
    assert world.as_("member").send("DELETE", f"/api/crews/{world.crew.id}/people/member", None)[0] == 200
    assert texts(world, "member") == []


def test_who_is_not_ready_for_tonight_is_told_until_they_are(world: World) -> None:
    pack = f"/api/packs/{world.pack.id}"
    at = timezone.now() + timedelta(hours=5)
    told = world.as_("owner").send("POST", f"{pack}/departures", {"at": at.isoformat(), "note": "Bring tea"})[1]
    departure = f"{pack}/departures/{told[0]['id']}"
    assert world.as_("member").send("POST", f"{departure}/answer", {"comes": True})[0] == 200
    for _ in range(2):
        tasks.look_ahead()
    (one,) = world.as_("member").get("/api/news")[1]["needs"]
    assert one["text"].startswith("You are not ready for Night Freight: ") and one["when"][:16] == at.isoformat()[:16]
    assert one["address"] == f"/installations/{world.installation.id}"
    newest = world.pack.releases.get()
    Installation.objects.filter(pk=world.installation.pk).update(release=newest, heard_at=timezone.now())
    tasks.look_ahead()
    assert world.as_("member").get("/api/news")[1]["needs"] == []
    # An errand waits, and is done.
    about = {"errands": [{"mod": "fog-bell"}], "plan": {"release": "1.0.0"}}
    Installation.objects.filter(pk=world.installation.pk).update(release=None, about=about)
    tasks.look_ahead()
    needs = {row["text"].partition(":")[0] for row in world.as_("member").get("/api/news")[1]["needs"]}
    assert needs == {"You are not ready for Night Freight", "1 errand waits for you in Night Freight, on My machine."}
    # Another evening asks anew; one that is called off asks nothing.
    later = at + timedelta(hours=2)
    assert world.as_("curator").send("PUT", departure, {"at": later.isoformat()})[0] == 200
    Installation.objects.filter(pk=world.installation.pk).update(about={"errands": []})
    tasks.look_ahead()
    assert world.as_("member").get("/api/news")[1]["needs"] == []
    spread()
    assert "Night Freight departs at another time." in texts(world, "member")
    assert world.as_("owner").send("POST", departure + "/answer", {"comes": True})[0] == 200
    tasks.look_ahead()
    assert len(world.as_("owner").get("/api/news")[1]["needs"]) == 1
    assert world.as_("curator").send("DELETE", departure, None)[0] == 200
    tasks.look_ahead()
    assert world.as_("owner").get("/api/news")[1]["needs"] == []


@pytest.fixture
def letterbox(settings: Any, tmp_path: Path) -> Iterator[Letterbox]:
    """A real mail server on loopback, and a site that sends through it."""
    box = Letterbox(tmp_path / "letters")
    controller = Controller(box, hostname="127.0.0.1", port=free_port(8777))
    controller.start()
    settings.MAIL = read_mail(f"smtp://127.0.0.1:{controller.port}")
    settings.EMAIL_BACKEND = "convoy_site.keeping.mail.Queue"
    yield box
    controller.stop()


def post_all() -> None:
    for job in ProcrastinateJob.objects.filter(task_name=mail.TASK).order_by("id"):
        mail.send(**job.args)
    ProcrastinateJob.objects.filter(task_name=mail.TASK).update(task_name="sent")


def confirmed(user: User) -> str:
    address = f"{user.username}@example.org"
    EmailAddress.objects.create(user=user, email=address, verified=True, primary=True)
    return address


def test_letters_come_at_once_or_once_a_day_and_one_click_stops_them(world: World, letterbox: Letterbox) -> None:
    spread()
    Notice.objects.update(letter="none")
    member, owner = confirmed(world.users["member"]), confirmed(world.users["owner"])
    EmailAddress.objects.create(user=world.users["curator"], email="c@example.org", verified=False, primary=True)
    wish = {"pack": str(world.pack.id), "mail": "at-once"}
    assert world.as_("member").send("PUT", "/api/news/wishes", wish)[0] == 200
    release(world, "1.1.0", "ropework", announced="Night Freight 1.1.0 is out.\n\nBring your own rope.")
    spread()
    post_all()
    (letter,) = letterbox.letters()
    assert (letter["to"], letter["subject"]) == (member, "Night Freight 1.1.0 is out")
    assert letter["text"].count("Night Freight 1.1.0 is out.") == 1 and "Bring your own rope." in letter["text"]
    tasks.mail_the_day()
    tasks.mail_the_day()
    post_all()
    assert [one["to"] for one in letterbox.letters()] == [owner, member]
    raw = (letterbox.folder / "000001.eml").read_text()
    assert "List-Unsubscribe-Post: List-Unsubscribe=One-Click" in raw
    at = re.search(r"List-Unsubscribe:\s+<http://[^/]+(/\S+)>\n", raw)[1]  # type: ignore[index]
    browser = Client(enforce_csrf_checks=True)
    assert b"Stop it" in browser.get(at).content
    release(world, "1.2.0", "signal-flags")
    spread()
    post_all()
    assert len(letterbox.letters()) == 3, "looking at the address stops nothing"
    posted = browser.post(at, {"List-Unsubscribe": "One-Click"})
    assert posted.status_code == 200
    release(world, "1.3.0", "quiet-deck")
    spread()
    post_all()
    assert len(letterbox.letters()) == 3
    assert browser.post(at[:-3] + "abc").status_code == 404
    settings = world.as_("member").get("/api/news/wishes")[1]
    assert [one["mail"] for one in settings["packs"]] == ["never"] and settings["address"] and settings["sends"]


def test_a_feed_is_read_by_a_reader_and_ends_with_its_reader(world: World) -> None:
    world.pack.name = "Night & <b>Freight</b>"
    world.pack.save()
    world.as_("owner").send("POST", f"/api/packs/{world.pack.id}/departures", {"at": "2099-01-01T20:00:00Z"})
    release(world, "1.1.0", "ropework", "trial")
    address = world.as_("member").send("POST", f"/api/packs/{world.pack.id}/feed", None)[1]["address"]
    at, browser = address.partition("/news/")[2], Client()
    got = browser.get(f"/news/{at}")
    feed = feedparser.parse(got.content)
    assert not feed.bozo and feed.version == "atom10" and feed.feed.title == "News of Night & <b>Freight</b>"
    assert [one.title for one in feed.entries] == [
        "Night & <b>Freight</b> departs.",
        "Night Freight 1.0.0 is out.",
    ]
    assert len({one.id for one in feed.entries}) == 2 and all(one.updated_parsed for one in feed.entries)
    assert "The first evening." in feed.entries[1].summary
    assert browser.get(f"/news/{at}", headers={"If-None-Match": got["ETag"]}).status_code == 304
    assert b"1.1.0" not in got.content, "a trial release is news for those who follow trials"
    assert world.as_("member").send("DELETE", f"/api/crews/{world.crew.id}/people/member", None)[0] == 200
    assert browser.get(f"/news/{at}").status_code == 404


class Listener:
    """Somebody else's program: takes calls, and checks them by the words of docs/formats.md alone."""

    def __init__(self) -> None:
        self.heard: list[dict[str, Any]] = []
        self.bodies: list[tuple[bytes, dict[str, str]]] = []
        self.answers: list[int] = []
        listener = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"]))
                listener.bodies.append((body, dict(self.headers)))
                self.send_response(listener.answers.pop(0) if listener.answers else 204)
                self.send_header("Location", "http://127.0.0.1:1/")
                self.end_headers()

            def log_message(self, *_: Any) -> None: ...

        self.server = HTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.address = f"http://127.0.0.1:{self.server.server_port}/called"


@pytest.fixture
def listener(settings: Any) -> Iterator[Listener]:
    settings.PRIVATE_CALLS = ["127.0.0.0/8"]
    made = Listener()
    yield made
    made.server.shutdown()


def run_calls() -> None:
    for one in Call.objects.filter(state=CallState.WAITS):
        tasks.call(str(one.pk))


def test_a_hook_is_called_signed_tried_again_and_called_once_more_by_hand(world: World, listener: Listener) -> None:
    at = f"/api/packs/{world.pack.id}/hooks"
    asked = {"address": listener.address, "kinds": ["release", "withdrawal"]}
    hook = world.as_("curator").send("POST", at, asked)[1]
    listener.answers = [500, 302]
    Event.objects.update(spread_at=timezone.now())
    release(world, "1.1.0", "ropework")
    spread()
    for tries in (1, 2):
        run_calls()
        call = Call.objects.get()
        assert (call.state, call.tries) == (CallState.WAITS, tries) and call.next_at > timezone.now()
    later = ProcrastinateJob.objects.filter(task_name=calls.TASK).exclude(scheduled_at=None)
    assert later.count() == 2
    run_calls()
    run_calls()
    assert Call.objects.get().state == CallState.TAKEN and len(listener.bodies) == 3
    log = world.as_("owner").get(f"{at}/{hook['id']}/calls")[1]
    assert (log[0]["kind"], log[0]["tries"], log[0]["told"]) == ("release", 3, "204")
    again = f"{at}/{hook['id']}/calls/{log[0]['id']}/again"
    assert world.as_("curator").send("POST", again, None)[0] == 200
    run_calls()
    for body, headers in listener.bodies:
        signed = headers["Convoy-Time"].encode() + b"." + body
        good = hmac.new(hook["secret"].encode(), signed, hashlib.sha256).hexdigest()
        assert headers["Convoy-Signature"] == f"v1={good}" and abs(time.time() - int(headers["Convoy-Time"])) < 60
    told = json.loads(listener.bodies[-1][0])
    assert told["specversion"] == "1.0" and told["type"] == "true-convoy.release" and told["id"]
    assert told["data"]["about"]["number"] == "1.1.0" and "Ropework" in told["data"]["announcement"]
    assert {json.loads(body)["id"] for body, _ in listener.bodies} == {told["id"]}
    # Nobody listens there any more: it is called no more.
    listener.answers = [410]
    assert world.as_("curator").send("POST", f"{at}/{hook['id']}/try", None)[0] == 200
    run_calls()
    assert not Hook.objects.get().on
    release(world, "1.2.0", "signal-flags")
    spread()
    assert Call.objects.count() == 2


@pytest.mark.parametrize(
    "address", ["http://127.0.0.1:9/", "http://localhost:9/", "http://[::1]:9/", "http://10.1.2.3/"]
)
def test_a_hook_opens_no_room_of_the_site(world: World, address: str) -> None:
    at = f"/api/packs/{world.pack.id}/hooks"
    hook = world.as_("curator").send("POST", at, {"address": address, "kinds": ["release"]})[1]
    assert world.as_("curator").send("POST", f"{at}/{hook['id']}/try", None)[0] == 200
    run_calls()
    assert "not on the open network" in Call.objects.get().told


@pytest.mark.parametrize(
    "address", ["ftp://example.org/", "http://me:pw@example.org/", "file:///etc/passwd", "no address"]
)
def test_what_cannot_be_called_is_refused(world: World, address: str) -> None:
    told = world.as_("owner").send(
        "POST", f"/api/packs/{world.pack.id}/hooks", {"address": address, "kinds": ["release"]}
    )
    assert told[0] == 422


def test_a_letter_that_cannot_be_sent_is_tried_again(world: World, settings: Any) -> None:
    settings.MAIL = read_mail("smtp://127.0.0.1:1")
    settings.EMAIL_BACKEND = "convoy_site.keeping.mail.Queue"
    confirmed(world.users["member"])
    world.as_("member").send("PUT", "/api/news/wishes", {"mail": "at-once"})
    Event.objects.update(spread_at=timezone.now())
    release(world, "1.1.0", "ropework")
    spread()
    job = ProcrastinateJob.objects.get(task_name=mail.TASK)
    with pytest.raises((OSError, smtplib.SMTPException)):
        mail.send(**job.args)
