"""Every attack on the list of the specification of The Update Framework (1.5.2, "Security"), against a site that lies.

Each is refused or plainly told, and leaves the folder as it was. The site may lie in all that it says; keys are stolen
where an attack is about that.
"""

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpcore
import httpx
import pytest

from convoy_agent import watch as watching
from convoy_agent.commands.sentences import next_of
from convoy_agent.errors import BadRelease, NotAllowed, SiteAway
from convoy_agent.folder.allowed import Allowed
from convoy_agent.folder.folder import Folder
from convoy_agent.join import join
from convoy_agent.site import connection
from convoy_agent.site import site as sites
from convoy_agent.site.progress import Silent
from convoy_core.sync.next_step import Here, next_step
from convoy_core.sync.orders import Allowance
from convoy_core.trust.charter import CharterOver, Duty, Holders, WrongCharter, first_charter, read_charter
from convoy_core.trust.signing import new_key, public_half
from convoy_core.trust.statement import HOLDS_FOR, NothingNew, SetBack
from convoy_core.trust.trusted import NotSaid
from convoy_core.trust.word import call_name
from convoy_core.words.errors import BadSignature, ConvoyError
from convoy_core.words.model import Reach
from convoy_io.open_network import ClosedAddress

from .conftest import MODS, NEWER, Member
from .harbour import CODE, PACK, Harbour
from .test_member import watch

IN_STEP = next_step(Here("1", "1", "1")).why
OTHER = {"ledger": {**MODS["ledger"], "data/a.dat": "z" * 900}}


def forged(site: Harbour) -> None:
    site.key = new_key()
    site.publish("1.2.0", OTHER)


def altered(site: Harbour) -> None:
    site.publish("1.2.0", OTHER)
    signed = site.signatures("1.2.0")
    site.documents["1.2.0"] = site.documents["1.2.0"].replace(b"Night Freight", b"Night Fright!")
    site.signatures = lambda number: signed  # type: ignore[method-assign]


def older(site: Harbour) -> None:
    site.newest = "1.0.0"


def older_by_the_page(site: Harbour) -> None:
    site.choice = {"number": "1.0.0"}


def first_word_again(site: Harbour) -> None:
    site.word = site.earlier  # type: ignore[attr-defined]
    site.choice = {"number": "1.0.0"}


def withdrawn_again(site: Harbour) -> None:
    site.publish("1.2.0", OTHER)
    site.withdrawn = ["1.1.0"]
    site.heard()  # type: ignore[attr-defined]
    site.newest, site.withdrawn = "1.1.0", ["1.2.0"]


def above_all(site: Harbour) -> None:
    site.choice = {"number": "9999999.0.0", "newest": "9999999.0.0"}


def from_the_future(site: Harbour) -> None:
    site.publish("1.2.0", OTHER)
    site.stated_at = datetime.now(UTC) + timedelta(days=400)


def another_of_the_number(site: Harbour) -> None:
    site.publish("1.2.0", OTHER)
    site.word = site.statement()
    site.publish("1.2.0", MODS)


def of_another_pack(site: Harbour) -> None:
    site.pack = "pack-2"
    site.publish("1.2.0", OTHER)
    site.pack = PACK


def a_word_of_another_pack(site: Harbour) -> None:
    site.pack = "pack-2"


def another_under_the_number(site: Harbour) -> None:
    site.publish("1.2.0", OTHER)
    site.documents["1.2.0"] = site.documents["1.0.0"]


def charter_by_nobody(site: Harbour) -> None:
    thief = new_key()
    site.charter(replace(chartered(site), version=2, duties=dict.fromkeys(Duty, Holders((public_half(thief),)))), thief)
    site.key = thief
    site.publish("1.2.0", OTHER)


def charter_passed_over(site: Harbour) -> None:
    site.charter(replace(chartered(site), version=3), site.key)


def of_another_crew(site: Harbour) -> None:
    site.charter(replace(chartered(site), crew="crew-2", version=2), site.key)


def charter_over(site: Harbour) -> None:
    site.charter(replace(chartered(site), version=2, expires=datetime.now(UTC) - timedelta(hours=1)), site.key)


def chartered(site: Harbour):
    return read_charter(site.charters[-1].document)


ATTACKS: dict[str, tuple[Callable[[Harbour], None], type[ConvoyError], str]] = {
    "arbitrary installation: another key": (forged, BadSignature, "not signed as"),
    "arbitrary installation: altered": (altered, BadSignature, "not signed as"),
    "rollback: the site says so": (older, SetBack, r"has said that 1\.1\.0 is"),
    "rollback: the page says so": (older_by_the_page, NotAllowed, "go back to an earlier release"),
    "rollback: an older word": (first_word_again, NotAllowed, "earlier release"),
    "rollback: a withdrawn release": (withdrawn_again, SetBack, r"1\.1\.0 was withdrawn"),
    "fast-forward: a number above all": (above_all, NotSaid, "signed no word"),
    "fast-forward: a word of the future": (from_the_future, SetBack, "clock is wrong"),
    "mix-and-match: another of that number": (another_of_the_number, BadRelease, "another release"),
    "mix-and-match: a word of another pack": (a_word_of_another_pack, ConvoyError, "another pack"),
    "wrong software: another pack's": (of_another_pack, BadRelease, "another pack"),
    "wrong software: another number's": (another_under_the_number, BadRelease, r"sent release 1\.0\.0"),
    "key compromise: a charter of one's own": (charter_by_nobody, BadSignature, "keys of the one before"),
    "key compromise: a charter passed over": (charter_passed_over, WrongCharter, "the next one is 2"),
    "key compromise: another crew's charter": (of_another_crew, WrongCharter, "another crew"),
    "freeze: a charter whose time is over": (charter_over, CharterOver, "held until"),
}


@pytest.mark.parametrize("attack", ATTACKS)
def test_an_attack_is_refused_and_changes_nothing(member: Member, attack: str) -> None:
    lie, error, words = ATTACKS[attack]
    site = member.harbour
    site.stated_at = datetime.now(UTC) - timedelta(hours=1)
    site.earlier, site.stated_at = site.statement(), None  # type: ignore[attr-defined]
    site.heard = member.status  # type: ignore[attr-defined]
    site.publish("1.1.0", NEWER)
    member.sync()
    lie(site)
    with pytest.raises(error, match=words):
        member.sync()
    member.holds(NEWER)
    # Whoever looks is told, or sees that another release is followed than the newest: never that all is well.
    assert next_of(found := member.status()).why != IN_STEP and (found.doubt or error is NotAllowed)


def test_indefinite_freeze_is_told_and_never_in_step(member: Member) -> None:
    site = member.harbour
    site.holds_for = HOLDS_FOR
    site.stated_at = datetime.now(UTC)
    assert member.sync().release == "1.0.0"
    later = site.stated_at + HOLDS_FOR + timedelta(minutes=1)
    found = member.status(now=lambda: later)
    assert "has said nothing new since" in found.doubt and found.release == "1.0.0"
    site.word = site.statement()
    site.publish("1.1.0", NEWER)
    site.choice = {"number": "1.0.0"}
    # What is here is still put right; nothing new is taken on an old word.
    (member.folder / "mods/ledger/data/a.dat").unlink()
    member.sync(now=lambda: later)
    member.holds(MODS)
    site.stated_at, site.word, site.choice = later - HOLDS_FOR - timedelta(seconds=30), None, {}
    with pytest.raises(NothingNew):
        member.sync(now=lambda: later)
    member.holds(MODS)
    site.stated_at = later
    assert member.sync(now=lambda: later).release == "1.1.0"


def test_keys_are_changed_and_revoked_without_pairing_anew(member: Member) -> None:
    """The thief of the site's key says that 999 is the newest; the owner's offline keys take that back."""
    site, stolen = member.harbour, member.harbour.key
    roots = [new_key(), new_key(), new_key()]
    public = [public_half(one) for one in roots]
    offline = replace(chartered(site), version=2).with_duty(Duty.CHARTER, public, 2)
    site.charter(offline, stolen, *roots[:2])
    member.sync()
    site.publish("999.0.0", OTHER)
    member.sync()
    member.holds(OTHER)
    mended = new_key()
    after = replace(offline, version=3)
    for role in (Duty.RELEASE, Duty.STATEMENT, Duty.AGENT):
        after = after.with_duty(role, [public_half(mended)], 1)
    site.charter(after, roots[0])
    with pytest.raises(BadSignature, match="keys of the one before"):
        site.key = mended
        member.sync()
    site.charters[-1] = site.charters[-1].with_signature(b"true-convoy charter 1\n", roots[2])
    site.publish("1.1.0", NEWER)
    # What the thief had said is forgotten; the way down from 999 is the owner's, not the page's.
    assert member.sync().release == "1.1.0"
    member.holds(NEWER)
    site.key = stolen
    site.publish("1.2.0", OTHER)
    with pytest.raises(BadSignature):
        member.sync()
    member.holds(NEWER)


def test_a_threshold_takes_so_many_people(member: Member) -> None:
    site = member.harbour
    second = new_key()
    two = replace(chartered(site), version=2).with_duty(Duty.RELEASE, [public_half(site.key), public_half(second)], 2)
    site.charter(two, site.key)
    with pytest.raises(BadSignature, match="only 1 of 2 keys"):
        member.sync()
    one, key = site.signatures, site.key
    twice = lambda number: {"Convoy-Signatures": ", ".join([one(number)["Convoy-Signatures"]] * 2)}  # noqa: E731
    site.signatures = twice  # type: ignore[method-assign]
    with pytest.raises(BadSignature, match="only 1 of 2 keys"):
        member.sync()

    def both(number: str) -> dict[str, str]:
        first = one(number)["Convoy-Signatures"]
        site.key = second
        told = {"Convoy-Signatures": f"{first}, {one(number)['Convoy-Signatures']}"}
        site.key = key
        return told

    site.signatures = both  # type: ignore[method-assign]
    member.sync()
    member.holds(MODS)


def test_same_number_other_content_is_another_release(member: Member) -> None:
    member.sync()
    member.harbour.publish("1.0.0", NEWER)
    found = member.status()
    assert found.is_other and found.release == found.followed == "1.0.0" and found.plan and found.plan.moves
    member.sync()
    member.holds(NEWER)
    assert not member.status().is_other
    assert member.harbour.reports[-1]["release_sha256"] == Folder(member.folder).record().sha256


@pytest.mark.parametrize(
    ("order", "given"),
    [("leave", {}), ("undo", {}), ("restore", {"backup": "2026-11-01-1"}), ("drop backup", {"backup": "2026-11-01-1"})],
)
def test_an_order_that_takes_files_away_is_asked_at_the_machine(member: Member, order: str, given: dict) -> None:
    member.sync()
    member.harbour.publish("1.1.0", NEWER)
    member.sync()
    before = member.files()
    member.harbour.orders = [{"id": 1, "what": order, "given": given}]
    watch(member)
    [done] = member.harbour.done
    assert done["refused"] and "never allowed on this machine" in done["said"] and member.files() == before
    asked: list[str] = []
    member.harbour.orders = [{"id": 2, "what": order, "given": given}]
    watch(member, ask=lambda question: bool(asked.append(question)) or True)
    assert len(asked) == 1 and "Allow that here" in asked[0]
    if order in ("leave", "undo"):
        assert not member.harbour.done[-1]["refused"] and member.files() != before
    if order != "leave":
        assert Allowed(member.folder / ".convoy").all() == {Allowance.BACK if order == "undo" else Allowance.RESTORE}


# --- Answers without end, slow ones, and those of somebody else

PORTAL = b"<html>Welcome to the inn. Please sign in.</html>"


def endless(connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n")
    while True:
        connection.sendall(b" " * 65536)


def drip_headers(connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\nX-Slow: ")
    while True:
        connection.sendall(b"a")
        time.sleep(0.05)


def drip_body(connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n")
    drip_headers(connection)


def portal(connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s" % (len(PORTAL), PORTAL))


def nested(connection: socket.socket) -> None:
    body = b"[" * 100_000
    connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s" % (len(body), body))


@contextmanager
def answering(answer: Callable[[socket.socket], None]) -> Iterator[str]:
    """A server that reads a request's head and answers so."""
    with socket.create_server(("127.0.0.1", 0)) as listening:

        def serve() -> None:
            while True:
                try:
                    connection, _ = listening.accept()
                    connection.recv(65536)
                    answer(connection)
                    connection.close()
                except OSError:
                    if listening.fileno() < 0:
                        return

        threading.Thread(target=serve, daemon=True).start()
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
        listening.close()


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        (endless, "goes on"),
        (drip_headers, "does not answer in time"),
        (drip_body, "does not answer in time"),
        (portal, "no True Convoy site"),
        (nested, "no True Convoy site"),
    ],
)
def test_an_answer_that_is_none_ends_no_watch(
    member: Member, answer: Callable, words: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    member.sync()
    monkeypatch.setattr(sites, "ANSWER_SECONDS", 0.5)
    before = Folder(member.folder).pairing()
    with answering(answer) as address:
        Folder(member.folder).create(replace(before, site=address), again=True)
        with pytest.raises(SiteAway, match=words), sites.Site(Folder(member.folder).pairing()) as site:
            site.head()
        told = watch(member)
        assert words in told[0] and member.status().unheard
    Folder(member.folder).create(before, again=True)
    assert not member.status().unheard
    member.holds(MODS)


def test_what_was_lost_of_trust_begins_again_at_the_pinned_mark(member: Member) -> None:
    """And a site that has other keys by then is not taken for the one that was paired."""
    site = member.harbour
    root = new_key()
    site.charter(replace(chartered(site), version=2).with_duty(Duty.CHARTER, [public_half(root)], 1), site.key, root)
    member.sync()
    for name in ("trust.json", "trust.json.twin"):
        (member.folder / ".convoy" / name).write_bytes(b"spoilt")
    assert member.sync().plan.moves == ()
    for name in ("trust.json", "trust.json.twin"):
        (member.folder / ".convoy" / name).unlink()
    thief = new_key()
    site.key, site.charters = thief, []
    site.charter(first_charter("crew-1", public_half(thief), public_half(thief)), thief)
    with pytest.raises(WrongCharter, match="shows no charter with the key"):
        member.sync()
    member.holds(MODS)


def test_a_charter_is_pinned_by_the_mark_of_the_pairing_command(harbour: Harbour, tmp_path: Path) -> None:
    roots = [public_half(new_key()), public_half(harbour.key)]
    harbour.charter(replace(chartered(harbour), version=2).with_duty(Duty.CHARTER, roots, 1), harbour.key)
    mark = chartered(harbour).mark
    join(CODE, harbour.address, tmp_path / "one", mark)
    with pytest.raises(BadRelease, match="another key"):
        join(CODE, harbour.address, tmp_path / "two", read_charter(harbour.charters[0].document).mark)
    assert Folder(tmp_path / "one").pairing().key == mark


def test_whoever_watches_asks_one_small_file_until_it_calls(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    site = member.harbour
    site.publish("1.0.1", MODS, optional=("lanterns",), reaches={"lanterns": Reach.OWN})
    member.sync()
    site.stated_at = datetime.now(UTC)
    monkeypatch.setattr(watching, "ASK_EVERY", 0.01)
    watcher = watching.Watcher(member.folder, member.store, [], [].append, Silent())
    reports = len(site.reports)
    watcher.run(seconds=0.3)
    site.asked = site.words = 0
    watcher.run(seconds=0.3)
    site.calls = {call_name("i2"): 4}
    watcher.run(seconds=0.3)
    # Nothing but the file, and nothing is told that was not told at the sync.
    assert (site.asked, len(site.reports)) == (0, reports) and site.words > 5
    site.orders, site.calls = [{"id": 1, "what": "look", "given": {}}], {call_name("i1"): 1}
    watcher.run(seconds=0.5)
    assert [one["said"] for one in site.done] == ["Every file is as release 1.0.1 has it."]
    site.choice, site.calls = {"left_out": ["lanterns"]}, {call_name("i1"): 2}
    watcher.run(seconds=0.5)
    site.asked = 0
    watcher.run(seconds=0.3)
    assert site.asked == 0 and site.reports[-1]["about"]["plan"]["counts"]["remove"] == 3
    site.stated_at = None
    site.publish("1.1.0", NEWER)
    watcher.run(seconds=0.5)
    assert site.asked and site.reports[-1]["about"]["plan"]["release"] == "1.1.0"


@pytest.mark.parametrize(
    ("site", "source", "reaches"),
    [
        ("1.2.3.4", "127.0.0.1", False),
        ("1.2.3.4", "192.168.1.1", False),
        ("192.168.1.9", "192.168.1.1", True),
        ("192.168.1.9", "127.0.0.1", False),
        ("192.168.1.9", "169.254.169.254", False),
        ("127.0.0.1", "192.168.1.1", True),
        ("127.0.0.1", "::ffff:169.254.169.254", False),
    ],
)
def test_a_site_sends_nobody_into_their_own_network(
    monkeypatch: pytest.MonkeyPatch, site: str, source: str, reaches: bool
) -> None:
    """By a source's address, or by a redirect to it: each connection is judged by what its name comes to."""
    names = {"site": site, "source": source}
    found = lambda host, port, **_: [(0, 0, 0, "", (names[host], port))]  # noqa: E731
    monkeypatch.setattr(socket, "getaddrinfo", found)
    connected: list[str] = []

    def connect(self: object, host: str, *_: object, **__: object) -> None:
        connected.append(host)
        raise httpcore.ConnectError("nobody is there")

    monkeypatch.setattr(httpcore.SyncBackend, "connect_tcp", connect)
    monkeypatch.delenv("CONVOY_PRIVATE_SOURCES", raising=False)
    with (
        pytest.raises((ClosedAddress, httpx.ConnectError)),
        connection.client(connection.private_networks_of("http://site:8460")) as asking,
    ):
        asking.get("http://source/file")
    assert connected == ([source] if reaches else [])
