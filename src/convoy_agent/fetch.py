"""Fetches archives from sources into the store: several at a time, resumed, retried with care, verified.

A source may be away, slow, cut off or wrong; each is tried again within limits and then named. Nothing but a file with
the right sha256 ever enters the store.
"""

from __future__ import annotations

import hashlib
import random
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from dataclasses import dataclass
from itertools import zip_longest
from pathlib import Path
from urllib.parse import urljoin, urlsplit

import httpx

from convoy_core.lock import LockedBuild

from .errors import FetchFailed, Stopped
from .files import CHUNK, trouble_told
from .line import asked_wait, tls
from .progress import Told, Untold
from .store import Store


@dataclass(frozen=True)
class Limits:
    """How patient fetching is. Seconds and bytes."""

    at_once: int = 6
    """Archives fetched at a time, from all sources together: enough to fill a line."""
    per_source: int = 4
    """Of those, from one source: few enough to be polite."""
    attempts: int = 4
    wait_seconds: float = 0.5
    """Before the second attempt; doubles each time, with jitter."""
    longest_wait: float = 30
    """What a source's Retry-After may ask for at most."""
    timeout_seconds: float = 15
    slow_after: float = 15
    slow_bytes_per_second: int = 2048
    """Slower than this over `slow_after` seconds counts as away."""
    line: int = 0
    """Bytes a second that all fetching together may take; 0: whatever comes."""


class _Again(Exception):
    """This attempt failed in a way that may pass. `after`: seconds that the source asked to wait."""

    def __init__(self, why: str, after: float = 0) -> None:
        super().__init__(why)
        self.after = after


class Fetcher:
    """Fetches into one store. `told` hears how far each archive is.
    `credentials` gives the headers for an address; `ready` is called with each build whose archive has arrived, in the
    thread that fetched it; `wait` is called between blocks, and may hold on, or raise to stop.
    """

    def __init__(
        self,
        store: Store,
        addresses: Mapping[str, str],
        told: Told = Untold(),
        limits: Limits = Limits(),
        credentials: Callable[[str], Mapping[str, str]] = lambda address: {},
        ready: Callable[[LockedBuild], None] = lambda build: None,
        wait: Callable[[], None] = lambda: None,
    ) -> None:
        self._store = store
        self._addresses = addresses
        self._told = told
        self._limits = limits
        self._credentials = credentials
        self._ready, self._wait = ready, wait
        self._line = _Line(limits.line)
        self._seats: defaultdict[str, threading.Semaphore] = defaultdict(lambda: threading.Semaphore(limits.per_source))
        self._client = httpx.Client(
            timeout=limits.timeout_seconds,
            follow_redirects=True,
            headers={"User-Agent": "true-convoy-agent", "Accept-Encoding": "identity"},
            limits=httpx.Limits(max_connections=limits.at_once),
            verify=tls(),
        )
        self._stopped = False
        self._guard = threading.Lock()

    def fetch_all(self, builds: Sequence[LockedBuild]) -> None:
        """All of them, or FetchFailed for the first that cannot be had. What arrived stays in the store."""
        with self._client, ThreadPoolExecutor(self._limits.at_once) as pool:
            running = [pool.submit(self._bring, build) for build in _mixed(builds)]
            try:
                finished, _ = wait(running, return_when=FIRST_EXCEPTION)
                for one in finished:
                    one.result()
            finally:
                self._stopped = True
                for one in running:
                    one.cancel()

    def _bring(self, build: LockedBuild) -> None:
        with self._guard:
            seat = self._seats[build.source]
        with seat, self._store.alone_with(build.archive.sha256, lambda: self._another_fetches(build)):
            self._fetch(build)
        if not self._stopped:
            self._at(build, build.archive.size)
            self._ready(build)

    def _at(self, build: LockedBuild, size: int) -> None:
        self._told.file(f"{build.name} {build.version}", min(size, build.archive.size), build.archive.size)

    def _another_fetches(self, build: LockedBuild) -> None:
        """Another agent of this machine has the same archive in hand: says so, and stops when asked."""
        self._told.remark(f"{build.name}, which another agent of this machine is fetching")
        self._wait()
        if self._stopped:
            raise Stopped("Fetching was stopped.", now="Sync again to go on from here.")

    def _fetch(self, build: LockedBuild) -> None:
        problems: list[str] = []
        for attempt in range(self._limits.attempts):
            if self._stopped or build.archive.sha256 in self._store:
                return
            # Several places for one file are tried in turn.
            address = self._address(build, attempt)
            try:
                self._attempt(build, address)
                return
            except _Again as again:
                problems.append(str(again))
                pause = self._limits.wait_seconds * 2**attempt * random.uniform(0.5, 1.5)  # noqa: S311 - jitter
                # A place that was not tried yet is not kept waiting for what another one did.
                if len(build.urls) <= attempt + 1 < self._limits.attempts:
                    time.sleep(min(max(pause, again.after), self._limits.longest_wait))
        raise FetchFailed(
            f"{build.name} {build.version} could not be fetched.",
            f"{build.source or 'Its source'}: {problems[-1]} ({len(problems)} attempts).",
            "Nothing was changed. Sync again later; what has arrived is kept.",
            mod=build.mod,
            problem=problems[-1],
        )

    def _address(self, build: LockedBuild, attempt: int) -> str:
        if not build.urls:
            raise FetchFailed(f"{build.name} {build.version} has no address.", "Its source lists none.", mod=build.mod)
        url = build.urls[attempt % len(build.urls)]
        address = urljoin(self._addresses.get(build.source, "").rstrip("/") + "/", url)
        if urlsplit(address).scheme not in ("http", "https"):
            raise FetchFailed(f"{build.name} has an address that is not fetched.", address[:200], mod=build.mod)
        return address

    def _attempt(self, build: LockedBuild, address: str) -> None:
        part = self._store.partial / build.archive.sha256
        have = part.stat().st_size if part.exists() else 0
        if have >= build.archive.size:
            part.unlink(missing_ok=True)
            have = 0
        headers = {**self._credentials(address), **({"Range": f"bytes={have}-"} if have else {})}
        try:
            with self._client.stream("GET", address, headers=headers) as reply:
                if reply.status_code == 416:
                    part.unlink(missing_ok=True)
                    raise _Again("the file has changed")
                _check_status(reply)
                self._receive(build, reply, part, have if reply.status_code == 206 else 0)
        except httpx.TimeoutException as error:
            raise _Again("it does not answer in time") from error
        except httpx.HTTPError as error:
            raise _Again("the line was cut") from error

    def _receive(self, build: LockedBuild, reply: httpx.Response, part: Path, have: int) -> None:
        """Appends to what is there, hashing all of it; adopts the file only when size and sha256 are right."""
        digest = hashlib.sha256()
        if have:
            with part.open("rb") as file:
                for block in iter(lambda: file.read(CHUNK), b""):
                    digest.update(block)
        size = have
        self._at(build, have)
        watch = _Watch(self._limits)
        with trouble_told(part), part.open("ab" if have else "wb") as file:
            # As the bytes come, not gathered into larger blocks: a source that drips must be seen to drip.
            for block in reply.iter_raw():
                size += len(block)
                if size > build.archive.size:
                    break
                digest.update(block)
                file.write(block)
                self._at(build, size)
                watch.see(len(block), self._line.take(len(block)) + self._held())
                if self._stopped:
                    return
        if size < build.archive.size:
            raise _Again(f"the file ended after {size} of {build.archive.size} bytes")
        if size > build.archive.size or digest.hexdigest() != build.archive.sha256:
            part.unlink()
            self._at(build, 0)
            raise _Again("it sent other bytes than the release names")
        self._store.adopt(part, build.archive.sha256)

    def _held(self) -> float:
        """Holds on while the member pauses; gives the seconds that this took."""
        began = time.monotonic()
        self._wait()
        return time.monotonic() - began


def _mixed(builds: Sequence[LockedBuild]) -> list[LockedBuild]:
    """In turns from each source, so that nobody waits for a seat at one while another has free ones."""
    by_source: dict[str, list[LockedBuild]] = {}
    for build in builds:
        by_source.setdefault(build.source, []).append(build)
    turns = zip_longest(*by_source.values())
    return [build for turn in turns for build in turn if build is not None]


class _Line:
    """Keeps all threads together below a rate, by making each wait its turn."""

    def __init__(self, bytes_per_second: int) -> None:
        self._rate = bytes_per_second
        self._guard = threading.Lock()
        self._free_at = 0.0

    def take(self, count: int) -> float:
        """Waits until the line has room for what has just come; gives the seconds that this took."""
        if not self._rate:
            return 0
        with self._guard:
            now = time.monotonic()
            self._free_at = max(self._free_at, now) + count / self._rate
            pause = self._free_at - now
        time.sleep(pause)
        return pause


class _Watch:
    """Raises _Again when bytes come in too slowly to be worth waiting for."""

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._since = time.monotonic()
        self._bytes = 0

    def see(self, count: int, waited: float) -> None:
        """`waited`: seconds since the last block that were our own doing."""
        self._bytes += count
        self._since += waited
        passed = time.monotonic() - self._since
        if passed < self._limits.slow_after:
            return
        if self._bytes < passed * self._limits.slow_bytes_per_second:
            raise _Again(f"it sends {self._bytes / passed:.0f} bytes a second")
        self._since, self._bytes = time.monotonic(), 0


def _check_status(reply: httpx.Response) -> None:
    status = reply.status_code
    if status in (200, 206):
        return
    if status in (404, 410):
        raise _Again(f"it no longer has the file ({status})")
    after = asked_wait(reply)
    if status == 429:
        raise _Again("it asks us to wait (429)", after or 5)
    raise _Again(f"it answered with {status}", after)
