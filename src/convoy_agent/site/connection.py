"""What all connections of a run share: proxies, certificates, large reads, heeding who asks to wait, and naming what
failed.

The system's proxies and certificates are taken, as the member's browser takes them: environment variables first
(`HTTPS_PROXY`, `ALL_PROXY`, `NO_PROXY`, SOCKS among them), then what Windows and macOS have set.
"""

from __future__ import annotations

import os
import socket
import ssl
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cache
from ipaddress import ip_address
from typing import Any

import httpcore
import httpx
import truststore

from convoy_core.words.errors import ConvoyError
from convoy_io.open_network import Judging, Network, addresses_of, is_open, networks

READ_BYTES = 256 * 1024
"""What is asked of a socket at a time. httpx asks for 64 KB, which on a fast line makes waiting for the interpreter a
fifth of the time; a whole megabyte no longer lies near the processor when it is hashed."""

TRANSPORT: httpx.BaseTransport | None = None
"""What stands in the place of the network. None but in trials."""

MOST_REDIRECTS = 8
"""Sources send one round once or twice; more is a circle."""


class BadProxy(ConvoyError):
    """The proxy that this machine is set to use cannot be used."""

    code = "bad-proxy"


@dataclass(frozen=True)
class Reason:
    """Why a connection came to nothing. `code` is for scripts; `words` end a sentence that names who was asked;
    `lasts`: trying again at once would not help.
    """

    code: str
    words: str
    lasts: bool = False


def client(allowed: Sequence[Network] | None = None, **given: Any) -> httpx.Client:
    """A client as all of the agent's are. `allowed`: where it may connect to beside the open network; None: anywhere,
    as to the site that its person named. A proxy is this machine's own, and judges for itself. Raises BadProxy.
    """
    try:
        made = httpx.Client(verify=tls(), max_redirects=MOST_REDIRECTS, transport=TRANSPORT, **given)
        _heed_deadlines(made, allowed)
        return made
    except (ValueError, httpx.InvalidURL, ImportError) as error:
        raise BadProxy(
            "The proxy that is set on this machine cannot be used.",
            f"{error}.",
            "Look at HTTPS_PROXY and ALL_PROXY: http, https, socks5 and socks5h are understood.",
        ) from error


_until: ContextVar[float] = ContextVar("until", default=float("inf"))


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """What is asked in here has come by then, or ends with a timeout: also where every single byte comes in time."""
    token = _until.set(min(_until.get(), time.monotonic() + seconds))
    try:
        yield
    finally:
        _until.reset(token)


def body_of(reply: httpx.Response, most: int) -> bytes:
    """The body of a streamed reply. Raises TooMuch above `most` bytes, unpacked; httpx.ReadTimeout after the
    deadline.
    """
    found = bytearray()
    for block in reply.iter_bytes(64 * 1024):
        found += block
        if len(found) > most:
            raise TooMuch(f"more than {most} bytes")
        if time.monotonic() > _until.get():
            raise httpx.ReadTimeout("the answer took too long")
    return bytes(found)


class TooMuch(Exception):
    """An answer without end. It is the caller's to say whose."""


class _Deadlined(httpcore.NetworkStream):
    """A stream that waits no longer than `within` says, for headers as for anything else."""

    def __init__(self, stream: httpcore.NetworkStream) -> None:
        self._stream = stream

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        left = _until.get() - time.monotonic()
        if left <= 0:
            raise httpcore.ReadTimeout("the answer took too long")
        return self._stream.read(
            max_bytes, min(left, timeout) if timeout is not None else left if left < float("inf") else None
        )

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._stream.write(buffer, timeout)

    def close(self) -> None:
        self._stream.close()

    def start_tls(self, *given: Any, **named: Any) -> httpcore.NetworkStream:
        return _Deadlined(self._stream.start_tls(*given, **named))

    def get_extra_info(self, info: str) -> Any:
        return self._stream.get_extra_info(info)


class _Deadlines(httpcore.NetworkBackend):
    def __init__(self, backend: httpcore.NetworkBackend) -> None:
        self._backend = backend

    def connect_tcp(self, *given: Any, **named: Any) -> httpcore.NetworkStream:
        return _Deadlined(self._backend.connect_tcp(*given, **named))

    def connect_unix_socket(self, *given: Any, **named: Any) -> httpcore.NetworkStream:
        return _Deadlined(self._backend.connect_unix_socket(*given, **named))

    def sleep(self, seconds: float) -> None:
        self._backend.sleep(seconds)


def private_networks_of(site: str) -> list[Network]:
    """Where sources of a site may lie beside the open network: where the site lies itself, and what this machine's
    person names in CONVOY_PRIVATE_SOURCES. Raises MalformedInput for what is no network there.
    """
    named = networks(os.environ.get("CONVOY_PRIVATE_SOURCES", "").split(","))
    if not site:
        return named
    url = httpx.URL(site)
    try:
        addresses = addresses_of(url.host, url.port or 443)
    except httpcore.ConnectError:
        return named
    if any(ip_address(one.split("%")[0]).is_loopback for one in addresses):
        return [*named, *networks(LOOPBACK), *networks(PRIVATE)]
    return [*named, *networks(PRIVATE)] if not all(map(is_open, addresses)) else named


LOOPBACK = ("127.0.0.0/8", "::1/128")
PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7")
"""Networks of homes and offices. Link-local ones are not among them: machines' own administration lies there."""


def _heed_deadlines(made: httpx.Client, allowed: Sequence[Network] | None) -> None:
    """There is no public way to say so. Where a later httpx has it elsewhere, only a header that drips outlasts
    them.
    """
    found: Iterable[Any] = (made._transport, *made._mounts.values())
    for transport in found:
        pool = getattr(transport, "_pool", None)
        if pool is not None and hasattr(pool, "_network_backend"):
            backend = pool._network_backend
            if allowed is not None and transport is made._transport:
                backend = Judging(allowed, "CONVOY_PRIVATE_SOURCES on this machine can allow that network.", backend)
            pool._network_backend = _Deadlines(backend)


@cache
def tls() -> ssl.SSLContext:
    """Made once in a run. It trusts what the system trusts, also what its owner added there."""
    _read_in_large_pieces()
    return truststore.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


def reason_of(error: Exception) -> Reason:
    """What a failed request comes to, by the first cause that says something."""
    causes = [error]
    while (cause := causes[-1].__cause__ or causes[-1].__context__) is not None and len(causes) < 10:
        causes.append(cause)  # type: ignore[arg-type]
    for kind, code, words, lasts in REASONS:
        if found := next((one for one in causes if isinstance(one, kind)), None):
            return Reason(code, words.format(detail=_detail(found)), lasts)
    return Reason("cut", "the line was cut")


REASONS: tuple[tuple[type[BaseException] | tuple[type[BaseException], ...], str, str, bool], ...] = (
    (ssl.SSLCertVerificationError, "certificate", "its certificate is not trusted here ({detail})", True),
    (ssl.SSLError, "tls", "no safe line could be agreed on ({detail})", True),
    (httpx.TooManyRedirects, "redirects", "it sends us round in circles", True),
    (httpx.UnsupportedProtocol, "redirects", "it sends us to an address that is none of the web", True),
    (httpx.ProxyError, "proxy", "the proxy does not let us through ({detail})", True),
    (
        socket.gaierror,
        "unknown-name",
        "nobody knows that name: it is misspelt, or this machine is not on the net",
        False,
    ),
    (httpx.ConnectTimeout, "timeout", "it does not answer in time", False),
    (httpx.TimeoutException, "timeout", "it does not answer in time", False),
    (ConnectionRefusedError, "refused", "nobody listens there (refused)", False),
    (ConnectionResetError, "cut", "the line was cut", False),
    (httpx.ConnectError, "no-connection", "there is no connection ({detail})", False),
)
"""Kind of error, code, words, and whether it lasts. The first that is among the causes counts."""


def _detail(error: BaseException) -> str:
    told = getattr(error, "verify_message", "") or str(error) or type(error).__name__
    return told[:160].rstrip(".")


def _read_in_large_pieces() -> None:
    """There is no public way to say so. Where a later httpcore has it elsewhere, reads are merely smaller."""
    try:
        from httpcore._sync.http11 import HTTP11Connection
    except ImportError:
        return
    HTTP11Connection.READ_NUM_BYTES = READ_BYTES
