"""What all connections of a run share: proxies, certificates, large reads, heeding who asks to wait, and naming what
failed.

The system's proxies and certificates are taken, as the member's browser takes them: environment variables first
(`HTTPS_PROXY`, `ALL_PROXY`, `NO_PROXY`, SOCKS among them), then what Windows and macOS have set.
"""

from __future__ import annotations

import socket
import ssl
from dataclasses import dataclass
from functools import cache
from typing import Any

import httpx
import truststore

from convoy_core.words.errors import ConvoyError

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


def client(**given: Any) -> httpx.Client:
    """A client as all of the agent's are. Raises BadProxy."""
    try:
        return httpx.Client(verify=tls(), max_redirects=MOST_REDIRECTS, transport=TRANSPORT, **given)
    except (ValueError, httpx.InvalidURL, ImportError) as error:
        raise BadProxy(
            "The proxy that is set on this machine cannot be used.",
            f"{error}.",
            "Look at HTTPS_PROXY and ALL_PROXY: http, https, socks5 and socks5h are understood.",
        ) from error


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
