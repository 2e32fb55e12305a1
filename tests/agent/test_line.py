"""The network as it is: proxies, certificates, sources that ask to wait, lines that break; each failure by its name."""

import http.server
import os
import signal
import socket
import ssl
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from pathlib import Path

import httpx
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

from convoy_agent.errors import FetchFailed, SiteAway
from convoy_agent.fetching import fetch
from convoy_agent.fetching.fetch import Fetcher
from convoy_agent.fetching.limits import Limits
from convoy_agent.fetching.pace import LONGEST_PAUSE, Pace
from convoy_agent.site import connection
from convoy_agent.site.connection import BadProxy
from convoy_agent.site.progress import NoListener
from convoy_agent.site.site import look
from convoy_agent.sync import sync
from convoy_core.lock.canonical import sha256_hex
from convoy_io.waits import asked_wait

from .conftest import IMPATIENT, MODS, Member, needs_posix
from .test_sync import run

NOW = datetime(2026, 11, 25, 20, tzinfo=UTC)


@pytest.mark.parametrize(
    ("status", "asked", "seconds"),
    [
        (429, "7", 7),
        (429, "", 0),
        (503, "30", 30),
        (429, "²", 0),
        (429, "9" * 400, 0),
        (429, "soon", 0),
        (503, format_datetime(NOW + timedelta(seconds=90), usegmt=True), 90),
        (429, format_datetime(NOW - timedelta(hours=1), usegmt=True), 0),
        (429, "Wed, 99 Nov 2026 20:00:00 GMT", 0),
    ],
)
def test_a_source_may_ask_to_wait_in_either_form(status: int, asked: str, seconds: float) -> None:
    there = format_datetime(NOW, usegmt=True)
    headers = [(b"Retry-After", asked.encode("latin-1")), (b"Date", there.encode())]
    reply = httpx.Response(status, headers=headers)
    assert asked_wait(reply) == seconds
    with pytest.raises(fetch._PutOff if status == 429 or seconds else fetch._Again):
        fetch._check_status(reply)


def test_a_source_that_takes_two_requests_a_second_gives_everything(member: Member) -> None:
    mods = {f"mod{n}": {"waybill.toml": f"{n}"} for n in range(9)}
    member.harbour.publish("1.1.0", mods)
    wanted = {"path": "/harbour/files/", "fault": "two a second", "times": 1}
    httpx.post(f"{member.harbour.address}/faults", json=wanted)
    sync(member.folder, member.store)
    member.holds(mods)


def test_who_asks_to_wait_until_a_moment_is_left_alone_until_then(member: Member) -> None:
    member.fault("ledger", "503 until", times=1)
    began = time.monotonic()
    member.sync()
    assert time.monotonic() - began > 0.3
    member.holds(MODS)


def test_who_asks_for_more_than_anybody_waits_is_told_with_the_hour(member: Member) -> None:
    member.fault("ledger", "429")
    with pytest.raises(FetchFailed, match=r"asks us to wait until \d\d:\d\d \(429\)") as refused:
        sync(member.folder, member.store, limits=Limits(longest_wait=0.5))
    assert refused.value.data["reason"] == "asked-to-wait"


def test_the_pause_grows_with_refusals_and_shrinks_with_files() -> None:
    pace = Pace()
    assert pace.turn() == pace.turn() == 0
    for _ in range(30):
        altogether = pace.put_off(0)
    first, second = pace.turn(), pace.turn()
    assert second - first > LONGEST_PAUSE * 0.9 and altogether > 1
    for _ in range(200):
        pace.came()
    first, second = pace.turn(), pace.turn()
    assert second - first < 0.01


def test_a_line_that_breaks_again_and_again_still_gets_there(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each try brings a piece and breaks: more tries than are counted, none of them in vain."""
    big = {"ledger": {"data.bin": "".join(f"{n:07}" for n in range(100_000))}}
    lock = member.harbour.publish("1.1.0", big)
    [build] = lock.builds
    data = member.harbour.archive("ledger").read_bytes()
    tries = []

    def attempt(self: Fetcher, build: object, address: str) -> None:
        part = member.store.partial / sha256_hex(data)
        had = part.stat().st_size if part.exists() else 0
        tries.append(had)
        part.write_bytes(data[: had + 100_000])
        if had + 100_000 < len(data):
            raise fetch._Again("the line was cut", "cut")
        member.store.adopt(part, sha256_hex(data))

    monkeypatch.setattr(Fetcher, "_attempt", attempt)
    Fetcher(member.store, {"harbour": "http://x"}, NoListener(), IMPATIENT).fetch_all([build])
    assert len(tries) == 8 > IMPATIENT.attempts and build.archive.sha256 in member.store


class Socks(threading.Thread):
    """A SOCKS5 proxy of one page: no sign-in, TCP only. Counts who came through."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.port = self.listening.getsockname()[1]
        self.came = 0

    def run(self) -> None:
        while True:
            try:
                here, _ = self.listening.accept()
            except OSError:
                return
            threading.Thread(target=self._serve, args=(here,), daemon=True).start()

    def _serve(self, here: socket.socket) -> None:
        here.recv(here.recv(2)[1])
        here.sendall(b"\x05\x00")
        head = here.recv(4)
        host = here.recv(here.recv(1)[0]).decode() if head[3] == 3 else socket.inet_ntoa(here.recv(4))
        port = int.from_bytes(here.recv(2), "big")
        there = socket.create_connection((host, port))
        here.sendall(b"\x05\x00\x00\x01" + bytes(6))
        self.came += 1
        for one, other in ((here, there), (there, here)):
            threading.Thread(target=self._pass, args=(one, other), daemon=True).start()

    def _pass(self, one: socket.socket, other: socket.socket) -> None:
        try:
            while data := one.recv(65536):
                other.sendall(data)
        finally:
            other.shutdown(socket.SHUT_WR)


def test_everything_goes_through_the_proxy_that_is_set(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    proxy = Socks()
    proxy.start()
    for name in ("NO_PROXY", "no_proxy", "HTTP_PROXY", "http_proxy"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("ALL_PROXY", f"socks5h://127.0.0.1:{proxy.port}")
    member.sync()
    member.holds(MODS)
    assert proxy.came >= 2
    proxy.listening.close()
    monkeypatch.setenv("ALL_PROXY", "socks5h://127.0.0.1:9")
    with pytest.raises(SiteAway):
        member.sync()
    monkeypatch.setenv("ALL_PROXY", "gopher://127.0.0.1:9")
    with pytest.raises(BadProxy, match="socks5"):
        member.sync()


@pytest.fixture
def secure(tmp_path: Path) -> Iterator[tuple[str, Path]]:
    """A server whose certificate nobody knows: its address, and the certificate's file."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "127.0.0.1")])
    moment = datetime.now(UTC)
    made = x509.CertificateBuilder(name, name, key.public_key(), x509.random_serial_number())
    made = made.not_valid_before(moment - timedelta(days=1)).not_valid_after(moment + timedelta(days=1))
    here = x509.IPAddress(__import__("ipaddress").ip_address("127.0.0.1"))
    made = made.add_extension(x509.SubjectAlternativeName([here]), critical=False)
    made = made.add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
    file = tmp_path / "certificate.pem"
    pem = made.sign(key, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)
    plain = serialization.NoEncryption()
    file.write_bytes(pem + key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain))
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(file)
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), http.server.BaseHTTPRequestHandler)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"https://127.0.0.1:{server.server_port}", file
    server.shutdown()


def test_a_certificate_that_is_not_trusted_is_named_and_one_that_the_system_trusts_is_taken(
    secure: tuple[str, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    address, file = secure
    with pytest.raises(SiteAway, match="certificate is not trusted here") as refused:
        look(address, "x")
    assert refused.value.data["reason"] == "certificate"
    monkeypatch.setenv("SSL_CERT_FILE", str(file))
    connection.tls.cache_clear()
    try:
        with pytest.raises(SiteAway, match="501"):  # it got through, and is no True Convoy site
            look(address, "x")
    finally:
        connection.tls.cache_clear()


def test_each_failure_has_its_name(member: Member, monkeypatch: pytest.MonkeyPatch) -> None:
    silent = socket.create_server(("127.0.0.1", 0))
    addresses = {
        "refused": "http://127.0.0.1:9",
        "unknown-name": "http://no-such-place.invalid",
        "timeout": f"http://127.0.0.1:{silent.getsockname()[1]}",
        "redirects": f"{member.harbour.address}/harbour",
    }
    [build, _] = member.harbour.publish("1.1.0", MODS).builds
    member.fault("ledger", "in circles")
    for code, address in addresses.items():
        limits = Limits(attempts=1, timeout_seconds=0.3, wait_seconds=0)
        with pytest.raises(FetchFailed) as refused:
            Fetcher(member.store, {"harbour": address}, NoListener(), limits).fetch_all([build])
        assert refused.value.data["reason"] == code, refused.value.sentence()
    silent.close()


@needs_posix
def test_ctrl_c_ends_a_long_wait_at_once_and_says_how_things_stand(member: Member) -> None:
    member.harbour.publish("1.1.0", {**MODS, "bells": {"ring.dat": "ring" * 5000}})
    wanted = {"path": member.harbour.archive("bells").name, "fault": "slow", "times": 99}
    httpx.post(f"{member.harbour.address}/faults", json=wanted)
    command = [sys.executable, "-m", "convoy_agent", "--store", str(member.store.root), "sync"]
    process = subprocess.Popen(
        [*command, "--folder", str(member.folder)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, "COLUMNS": "200"},
    )
    while not any(one["phase"] == "fetching" and one["files_done"] for one in member.harbour.progress):
        assert process.poll() is None, process.communicate()
        time.sleep(0.05)
    process.send_signal(signal.SIGINT)
    began = time.monotonic()
    _, told = process.communicate(timeout=20)
    assert process.returncode == 130 and time.monotonic() - began < 6
    assert "Nothing in the folder was changed" in told and "Traceback" not in told
    assert member.files() == {}
    assert run(member, "status", "--folder", str(member.folder)).returncode == 1
