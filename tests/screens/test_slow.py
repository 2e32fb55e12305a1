"""Clients that never finish: the site answers others meanwhile, and lets go of them."""

import socket
import time
from contextlib import ExitStack
from urllib.parse import urlsplit

import httpx

HALVES = (
    b"GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ",
    b"POST /_allauth/browser/v1/auth/login HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
    b"Content-Length: 400\r\n\r\n{",
    b"",
    b"GET /statements/x.json HTTP/1.1\r\n",
)


BODY = 1
"""Of these, the one whose head is whole: it waits in front of the site for as long as it brings a byte now and then."""


def test_half_sent_requests_keep_nobody_waiting(stack: dict[str, str]) -> None:
    where = urlsplit(stack["CONVOY_ADDRESS"])
    assert where.port
    with ExitStack() as open_ones:
        slow = []
        for number in range(120):
            one = open_ones.enter_context(socket.create_connection(("127.0.0.1", where.port), timeout=60))
            one.sendall(HALVES[number % len(HALVES)])
            if number % len(HALVES) != BODY:
                slow.append(one)
        began = time.monotonic()
        for _ in range(5):
            assert httpx.get(f"{stack['CONVOY_ADDRESS']}/api/health", timeout=10).json()["done"]
        assert time.monotonic() - began < 10
        # Whoever sends on, byte for byte, is let go of all the same.
        until, alive = time.monotonic() + 45, list(slow)
        while alive and time.monotonic() < until:
            alive = [one for one in alive if _goes_on(one)]
            time.sleep(1)
        assert not alive


def _goes_on(one: socket.socket) -> bool:
    try:
        one.sendall(b"a")
        one.setblocking(False)
        return one.recv(4096) != b""
    except BlockingIOError:
        return True
    except OSError:
        return False
    finally:
        one.setblocking(True)
