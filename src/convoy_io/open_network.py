"""Connections to addresses that somebody else names: they must not open the rooms of whoever connects.

A name is looked up and judged here, and what is judged is what is connected to, also after each redirect, so that a
name cannot point elsewhere a moment later. Refused is what is not of the open network (loopback, private, link-local),
but for networks that are named as allowed.
"""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Iterable, Sequence
from typing import Any

import httpcore
import httpx

from convoy_core.words.errors import ConvoyError, MalformedInput

Network = ipaddress.IPv4Network | ipaddress.IPv6Network


class ClosedAddress(ConvoyError):
    """An address that is not of the open network."""

    code = "closed-address"


class Judging(httpcore.NetworkBackend):
    """Connects to nothing else than the open network and `allowed`. `now` says what to do, at the end of a refusal."""

    def __init__(self, allowed: Sequence[Network], now: str, lines: httpcore.NetworkBackend | None = None) -> None:
        self._allowed, self._now = allowed, now
        self._lines = lines or httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        addresses = addresses_of(host, port)
        closed = [one for one in addresses if not is_open(one, self._allowed)]
        if closed:
            raise ClosedAddress(
                f"{host} is not on the open network.", f"It is {closed[0]}, within a network of its own.", self._now
            )
        return self._lines.connect_tcp(addresses[0], port, timeout, local_address, socket_options)

    def connect_unix_socket(self, *_: Any, **__: Any) -> httpcore.NetworkStream:
        raise ClosedAddress("A source lies on the network.")

    def sleep(self, seconds: float) -> None:
        self._lines.sleep(seconds)


def judged_client(allowed: Iterable[str], now: str, **given: Any) -> httpx.Client:
    """A client whose connections are all judged, `allowed` being networks as `networks` reads them; `given`: as httpx
    takes it. No proxy that the environment names is asked: it would connect in our stead, and nobody would judge.
    """
    transport = httpx.HTTPTransport(retries=0)
    # httpx has no public way to say how names become connections; its pool has.
    transport._pool = httpcore.ConnectionPool(
        ssl_context=httpx.create_ssl_context(),
        network_backend=Judging(networks(allowed), now),
        max_connections=10,
    )
    return httpx.Client(transport=transport, trust_env=False, **given)


def addresses_of(host: str, port: int) -> list[str]:
    """Raises httpcore.ConnectError for a name that nobody knows."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise httpcore.ConnectError(f"nobody knows the name {host}") from error
    return [str(one[4][0]) for one in found]


def is_open(address: str, allowed: Sequence[Network] = ()) -> bool:
    judged = ipaddress.ip_address(address.split("%")[0])
    inner = getattr(judged, "ipv4_mapped", None) or getattr(judged, "sixtofour", None)
    judged = inner or judged
    return (judged.is_global and not judged.is_multicast) or any(judged in network for network in allowed)


def networks(told: Iterable[str]) -> list[Network]:
    """CIDR, one each. Raises MalformedInput."""
    try:
        return [ipaddress.ip_network(one.strip()) for one in told if one.strip()]
    except ValueError as error:
        raise MalformedInput(f"This is no network: {error}.", now="Write them as 10.0.0.0/8, with commas.") from error
