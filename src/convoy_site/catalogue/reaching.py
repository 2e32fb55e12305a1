"""Reaches sources over the network: an address that somebody typed must not open the rooms of the site itself.

Every connection, also each after a redirect, goes to an address that was looked up and judged here; what is judged is
what is connected to, so that a name cannot point elsewhere a moment later. Addresses that are not of the open network
(loopback, private, link-local) are refused, but for those that the site's keeper named (`CONVOY_PRIVATE_SOURCES`).
"""

import ipaddress
import socket
import typing
from collections.abc import Iterable

import httpcore
import httpx
from django.conf import settings

from convoy_core.words.errors import ConvoyError

TIMEOUT_SECONDS = 20
MOST_REDIRECTS = 5
SCHEMES = ("http", "https")


class ClosedAddress(ConvoyError):
    """An address that sources may not lie at."""

    code = "closed-address"


def client() -> httpx.Client:
    """A client for sources. Its connections raise ClosedAddress for what is not of the open network."""
    transport = httpx.HTTPTransport(retries=0)
    # httpx has no public way to say how names become connections; its pool has.
    transport._pool = httpcore.ConnectionPool(
        ssl_context=httpx.create_ssl_context(), network_backend=_Judging(), max_connections=10
    )
    return httpx.Client(
        transport=transport, timeout=TIMEOUT_SECONDS, follow_redirects=True, max_redirects=MOST_REDIRECTS
    )


def checked_address(address: str) -> str:
    """The address of a source without a slash at its end. Raises ClosedAddress for what is none of the web."""
    try:
        url = httpx.URL(address.strip())
    except httpx.InvalidURL as error:
        raise ClosedAddress(f"“{address[:80]}” is no address.", str(error)) from error
    if url.scheme not in SCHEMES or not url.host or url.userinfo or url.query or url.fragment:
        raise ClosedAddress(
            f"“{address[:80]}” cannot be a source's address.",
            "It must begin with http:// or https://, and have no sign-in, question mark or number sign.",
        )
    return str(url).rstrip("/").removesuffix("/catalogue.json")


class _Judging(httpcore.NetworkBackend):
    def __init__(self) -> None:
        self._lines = httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        judged = _judged(host, port)
        return self._lines.connect_tcp(judged, port, timeout, local_address, socket_options)

    def connect_unix_socket(self, *_: typing.Any, **__: typing.Any) -> httpcore.NetworkStream:
        raise ClosedAddress("A source lies on the network.")

    def sleep(self, seconds: float) -> None:
        self._lines.sleep(seconds)


def _judged(host: str, port: int) -> str:
    """The first address of a name, when all of them may be reached. Raises ClosedAddress."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise httpcore.ConnectError(f"nobody knows the name {host}") from error
    addresses = [str(one[4][0]) for one in found]
    closed = [one for one in addresses if not _is_open(one)]
    if closed:
        raise ClosedAddress(
            f"{host} is not on the open network.",
            f"It is {closed[0]}, within a network of its own.",
            "The site's keeper can allow that network.",
        )
    return addresses[0]


def _is_open(address: str) -> bool:
    judged = ipaddress.ip_address(address.split("%")[0])
    inner = getattr(judged, "ipv4_mapped", None) or getattr(judged, "sixtofour", None)
    judged = inner or judged
    return (judged.is_global and not judged.is_multicast) or any(judged in network for network in _allowed())


def _allowed() -> list[ipaddress.IPv4Network | ipaddress.IPv6Network]:
    return [ipaddress.ip_network(one) for one in settings.PRIVATE_SOURCES]
