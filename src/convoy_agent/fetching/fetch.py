"""Fetches archives from sources into the store: several at a time, resumed, retried with care, verified.

A source may be away, slow, cut off or wrong; each is tried again within limits and then named. A try that brought bytes
was none in vain: only those without progress are counted. Who asks to wait is left alone until then, and that is told.
Nothing but a file with the right sha256 ever enters the store.
"""

from __future__ import annotations

import hashlib
import random
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor
from datetime import datetime, timedelta
from itertools import zip_longest
from pathlib import Path
from urllib.parse import urljoin, urlsplit

import httpx

from convoy_core.lock.lock import LockedBuild
from convoy_io.open_network import ClosedAddress, Network
from convoy_io.waits import asked_wait

from ..errors import FetchFailed, Stopped
from ..interruptible import SOON, all_done, ended
from ..site.connection import client, reason_of
from ..site.progress import Listener, NoListener
from ..storage import disk
from ..storage.files import CHUNK, trouble_told
from ..storage.store import Store
from .limits import Limits
from .pace import Pace


class _Again(Exception):
    """This attempt failed in a way that may pass; `lasts`: in one that will not, at this place. `code` names it."""

    def __init__(self, why: str, code: str = "", lasts: bool = False) -> None:
        super().__init__(why)
        self.code, self.lasts = code, lasts


class _PutOff(Exception):
    """The source asks to be left alone for `after` seconds (0: it does not say). `status`: its answer."""

    def __init__(self, status: int, after: float) -> None:
        super().__init__(f"it asks us to wait ({status})")
        self.status, self.after = status, after


class Fetcher:
    """Fetches into one store. `told` hears how far each archive is.
    `credentials` gives the headers for an address; `ready` is called with each build whose archive has arrived, in the
    thread that fetched it; `wait` is called between blocks, and may hold on, or raise to stop; `private`: networks that
    sources may lie in beside the open one (None: any).
    """

    def __init__(
        self,
        store: Store,
        addresses: Mapping[str, str],
        told: Listener = NoListener(),
        limits: Limits = Limits(),
        credentials: Callable[[str], Mapping[str, str]] = lambda address: {},
        ready: Callable[[LockedBuild], None] = lambda build: None,
        wait: Callable[[], None] = lambda: None,
        private: Sequence[Network] | None = None,
    ) -> None:
        self._store = store
        self._addresses = addresses
        self._told = told
        self._limits = limits
        self._credentials = credentials
        self._ready, self._wait = ready, wait
        self._line = _Line(limits.line)
        self._seats: defaultdict[str, threading.Semaphore] = defaultdict(lambda: threading.Semaphore(limits.per_source))
        self._paces: defaultdict[str, Pace] = defaultdict(Pace)
        self._client = client(
            private,
            timeout=limits.timeout_seconds,
            follow_redirects=True,
            headers={"User-Agent": "true-convoy-agent", "Accept-Encoding": "identity"},
            limits=httpx.Limits(max_connections=limits.at_once),
        )
        self._stop = threading.Event()
        self._guard = threading.Lock()

    def fetch_all(self, builds: Sequence[LockedBuild]) -> None:
        """All of them, or FetchFailed for the first that cannot be had. What arrived stays in the store."""
        pool = ThreadPoolExecutor(self._limits.at_once)
        running = [pool.submit(self._bring, build) for build in _mixed(builds)]
        patience = float("inf")
        try:
            for one in all_done(running, FIRST_EXCEPTION):
                one.result()
        except KeyboardInterrupt:
            patience = SOON
            raise
        finally:
            self._stop.set()
            ended(pool, running, patience)
            self._client.close()

    def _bring(self, build: LockedBuild) -> None:
        with self._guard:
            seat = self._seats[build.source]
        with seat, self._store.alone_with(build.archive.sha256, lambda: self._another_fetches(build)):
            self._fetch(build)
        if not self._stop.is_set():
            self._at(build, build.archive.size)
            self._ready(build)

    def _at(self, build: LockedBuild, size: int) -> None:
        self._told.file(f"{build.name} {build.version}", min(size, build.archive.size), build.archive.size)

    def _another_fetches(self, build: LockedBuild) -> None:
        """Another agent of this machine has the same archive in hand: says so, and stops when asked."""
        self._told.remark(f"{build.name}, which another agent of this machine is fetching")
        self._wait()
        if self._stop.is_set():
            raise Stopped("Fetching was stopped.", now="Sync again to go on from here.")

    def _fetch(self, build: LockedBuild) -> None:
        """Tries until the file is there. Counted are tries that brought nothing; several places are tried in turn."""
        with self._guard:
            pace = self._paces[build.source]
        problems: list[_Again] = []
        in_vain = number = 0
        while in_vain < self._limits.attempts and not (self._stop.is_set() or build.archive.sha256 in self._store):
            self._pause(pace.turn(), f"{build.source}, which asks us to wait")
            if self._stop.is_set():
                return
            address = self._address(build, number)
            had = self._have(build)
            try:
                self._attempt(build, address)
                pace.came()
                return
            except _PutOff as asked:
                self._put_off(build, pace, asked)
                continue
            except _Again as again:
                problems.append(again)
            number += 1
            if self._have(build) - had >= self._limits.progress_bytes:
                in_vain = 0
                continue
            in_vain += self._limits.attempts if self._is_hopeless(build, problems) else 1
            # A place that was not tried yet is not kept waiting for what another one did.
            if len(build.urls) <= number and in_vain < self._limits.attempts:
                seconds = self._limits.wait_seconds * 2**in_vain * random.uniform(0.25, 0.75)  # noqa: S311 - jitter
                self._pause(seconds, f"{build.source}, to be tried again")
        if problems and not self._stop.is_set() and build.archive.sha256 not in self._store:
            raise self._failed(build, str(problems[-1]), problems[-1].code, f" ({len(problems)} tries)")

    def _is_hopeless(self, build: LockedBuild, problems: Sequence[_Again]) -> bool:
        """Whether every place that there is failed in a way that lasts."""
        places = max(1, len(build.urls))
        return len(problems) >= places and all(one.lasts for one in problems[-places:])

    def _put_off(self, build: LockedBuild, pace: Pace, asked: _PutOff) -> None:
        """Keeps to what the source asked for; raises FetchFailed when that is more than anybody waits for."""
        altogether = pace.put_off(asked.after)
        if asked.after > self._limits.longest_wait or altogether > self._limits.patience:
            until = _clock(max(asked.after, 60))
            why = f"it asks us to wait until {until} ({asked.status})"
            raise self._failed(build, why, "asked-to-wait", "", f"Sync again after {until}")

    def _failed(
        self, build: LockedBuild, why: str, code: str, tries: str, now: str = "Sync again later"
    ) -> FetchFailed:
        return FetchFailed(
            f"{build.name} {build.version} could not be fetched.",
            f"{build.source or 'Its source'}: {why}{tries}.",
            f"Nothing was changed. {now}; what has arrived is kept.",
            mod=build.mod,
            problem=why,
            reason=code,
        )

    def _pause(self, seconds: float, for_what: str) -> None:
        """Waits, says for what when it is long, and heeds who pauses or stops meanwhile."""
        until = time.monotonic() + seconds
        while not self._stop.is_set() and (left := until - time.monotonic()) > 0:
            if left > 1:
                self._told.remark(f"{for_what}, until {_clock(left)}")
                self._wait()
            self._stop.wait(min(left, 1))

    def _have(self, build: LockedBuild) -> int:
        """Bytes of an archive that are there already, unfinished."""
        try:
            return (self._store.partial / build.archive.sha256).stat().st_size
        except FileNotFoundError:
            return 0

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
        have = self._have(build)
        if have >= build.archive.size:
            disk.remove(part)
            have = 0
        headers = {**self._credentials(address), **({"Range": f"bytes={have}-"} if have else {})}
        try:
            with self._client.stream("GET", address, headers=headers) as reply:
                if reply.status_code == 416:
                    disk.remove(part)
                    raise _Again("the file has changed", "changed")
                _check_status(reply)
                self._receive(build, reply, part, have if reply.status_code == 206 else 0)
        except ClosedAddress as error:
            raise _Again(f"{error.what} {error.why} {error.now}", error.code, lasts=True) from error
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            reason = reason_of(error)
            raise _Again(reason.words, reason.code, reason.lasts) from error

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
                if self._stop.is_set():
                    return
            disk.written(file)
        if size < build.archive.size:
            raise _Again(f"the file ended after {size} of {build.archive.size} bytes", "cut")
        if size > build.archive.size or digest.hexdigest() != build.archive.sha256:
            disk.remove(part)
            self._at(build, 0)
            raise _Again("it sent other bytes than the release names", "other-bytes")
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
            raise _Again(f"it sends {self._bytes / passed:.0f} bytes a second", "slow")
        self._since, self._bytes = time.monotonic(), 0


def _check_status(reply: httpx.Response) -> None:
    status = reply.status_code
    if status in (200, 206):
        return
    if status in (404, 410):
        raise _Again(f"it no longer has the file ({status})", "gone")
    after = asked_wait(reply)
    if status == 429 or (status == 503 and after):
        raise _PutOff(status, after)
    raise _Again(f"it answered with {status}", "status")


def _clock(seconds: float) -> str:
    """The time of day in so many seconds, by this machine's clock."""
    at = datetime.now().astimezone() + timedelta(seconds=seconds)
    return f"{at:%H:%M}" if seconds < 43_200 else f"{at:%Y-%m-%d %H:%M}"
