"""The site as the agent sees it: a handful of calls, typed errors, nothing kept."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urljoin

import httpx

from convoy_core.lock.lock import LockedBuild
from convoy_core.lock.signing import key_fingerprint
from convoy_core.sync.deviations import Deviation

from ..errors import SiteAway, SiteRefused
from .connection import client as make_client
from .connection import reason_of

TIMEOUT_SECONDS = 30
MAX_DEVIATIONS = 10_000
"""The site takes no longer reports; nobody reads further."""


@dataclass(frozen=True)
class Pairing:
    """What a machine keeps of its pairing. `public_key` is pinned: no other key's releases are taken."""

    site: str
    token: str
    public_key: str
    pack_id: str
    pack: str
    installation: str
    name: str
    side: str

    @property
    def key(self) -> str:
        return key_fingerprint(bytes.fromhex(self.public_key))


@dataclass(frozen=True)
class Order:
    """What somebody asked for on the installation's page. `what` is one of those that `watch` knows."""

    id: int
    what: str
    given: Mapping[str, Any]


@dataclass(frozen=True)
class Head:
    """`number`: the release that this installation follows by its member's choice; `newest`: the pack's current one,
    empty while none is open. `left_out`: optional mods that the member does without; `line`: KB a second at most (0:
    all); `most`: MB at once.
    """

    number: str
    newest: str
    sources: Mapping[str, str]
    left_out: frozenset[str] = frozenset()
    line: int = 0
    most: int = 0
    order: Order | None = None


@dataclass(frozen=True)
class SignedRelease:
    document: bytes
    signature: bytes
    key: bytes


def look(site: str, code: str) -> Pairing:
    """What a pairing code opens, without using it up: a pairing without a token. Raises as `pair` does."""
    return _pairing(site, code, "agent/pair/look")


def pair(site: str, code: str) -> Pairing:
    """Exchanges a pairing code for a token. Raises SiteAway, or SiteRefused with the site's own words."""
    return _pairing(site, code, "agent/pair")


def _pairing(site: str, code: str, door: str) -> Pairing:
    with _client(site, "") as client:
        reply = _ask(client, "POST", door, json={"code": code})
    try:
        told = reply.json()
        bytes.fromhex(told["public_key"])
        return Pairing(
            site,
            told.get("token", ""),
            told["public_key"],
            told["pack_id"],
            told["pack"],
            told["installation"],
            told["name"],
            told["side"],
        )
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise SiteAway(f"{site} does not answer as a True Convoy site.", str(error)) from error


class Site:
    """The paired site. Use as a context. `away`: it did not answer in this run, and is asked nothing more."""

    away = False

    def __init__(self, pairing: Pairing) -> None:
        self._site, self._token = f"{pairing.site.rstrip('/')}/", pairing.token
        self._client = _client(pairing.site, pairing.token)

    def __enter__(self) -> Site:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def head(self) -> Head:
        told = _ask(self._client, "GET", "agent/head").json()
        try:
            sources = {str(name): urljoin(self._site, str(address)) for name, address in told["sources"].items()}
            order = told.get("order")
            return Head(
                str(told["number"]),
                str(told.get("newest", told["number"])),
                sources,
                frozenset(map(str, told.get("left_out", ()))),
                int(told.get("line", 0)),
                int(told.get("most", 0)),
                Order(int(order["id"]), str(order["what"]), dict(order["given"])) if order else None,
            )
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise SiteAway("The site does not answer as a True Convoy site.", str(error)) from error

    def credentials(self, address: str) -> dict[str, str]:
        """Headers for fetching from an address: the token for this very site, and nothing for anybody else."""
        return {"Authorization": f"Bearer {self._token}"} if address.startswith(f"{self._site}api/") else {}

    def release(self, number: str) -> SignedRelease:
        """The signed bytes, unverified: the caller checks them against the pinned key."""
        self._refuse_away()
        reply = _ask(self._client, "GET", f"agent/releases/{number}")
        try:
            signature = bytes.fromhex(reply.headers["Convoy-Signature"])
            return SignedRelease(reply.content, signature, bytes.fromhex(reply.headers["Convoy-Key"]))
        except (KeyError, ValueError) as error:
            raise SiteAway("The site sent a release without a signature.") from error

    def agent_offer(self) -> tuple[bytes, bytes]:
        """Which agents the site has, as signed bytes with their signature, unverified."""
        reply = _ask(self._client, "GET", "agent/offer")
        try:
            return reply.content, bytes.fromhex(reply.headers["Convoy-Signature"])
        except (KeyError, ValueError) as error:
            raise SiteAway("The site offers an agent without a signature.") from error

    def agent_file(self, name: str) -> Iterator[bytes]:
        """The blocks of one of those files. Raises SiteAway."""
        try:
            with self._client.stream("GET", urljoin(self._site, f"agent/{name}"), follow_redirects=True) as reply:
                reply.raise_for_status()
                yield from reply.iter_bytes()
        except httpx.HTTPError as error:
            raise SiteAway("The site's agent cannot be fetched.", reason_of(error).words) from error

    def report(
        self, release: str, deviations: Mapping[str, Deviation], fingerprint: str, about: Mapping[str, Any]
    ) -> None:
        """Tells where the folder stands; `about` is what `telling` gathers."""
        first = dict(sorted((as_told(path), what) for path, what in deviations.items())[:MAX_DEVIATIONS])
        self._refuse_away()
        body = {"release": release, "deviations": first, "fingerprint": fingerprint, "about": about}
        _ask(self._client, "POST", "agent/report", **_as_json(body))

    def progress(self, **told: Any) -> str | None:
        """Tells what is being done; gives what the member asks meanwhile: `pause`, `stop` or nothing.

        None when nobody answered: no sync stops because a page could not be told.
        """
        if self.away:
            return None
        try:
            reply = self._client.post("agent/progress", **_as_json(told), timeout=5)
            return str(reply.json().get("hold", "")) if reply.is_success else None
        except (httpx.HTTPError, ValueError, AttributeError):
            return None

    def _refuse_away(self) -> None:
        if self.away:
            raise SiteAway("The site does not answer.", now="Try again later.")

    def order_done(self, order: Order, said: str, refused: bool) -> None:
        """Tells how an order went; the site then shows it and gives the next."""
        told = {"id": order.id, "said": said[:2000], "refused": refused}
        _ask(self._client, "POST", "agent/order", **_as_json(told))

    def left(self) -> None:
        """Tells that the installation was left; its token opens nothing any more."""
        _ask(self._client, "POST", "agent/left")

    def known(self, sha256: str) -> str:
        """Which build an archive is, in words; empty when the site does not know it."""
        return str(_ask(self._client, "GET", f"agent/known/{sha256}").json().get("name", ""))


def page_of(build: LockedBuild, sources: Mapping[str, str]) -> str:
    """Where a person gets a build: its page, at its source."""
    return urljoin(sources.get(build.source, "").rstrip("/") + "/", build.page)


def _as_json(body: Any) -> dict[str, Any]:
    """A request's body. Names on a disk may hold bytes that are no letters, and turn up in any sentence."""
    data = json.dumps(body, ensure_ascii=False, separators=(",", ":"), default=list).encode("utf-8", "replace")
    return {"content": data, "headers": {"Content-Type": "application/json"}}


def as_told(path: str) -> str:
    """A path as text that any database keeps: names whose bytes are no UTF-8 are told as well as they can be."""
    return path.encode("utf-8", "replace").decode()[:300]


def _client(site: str, token: str) -> httpx.Client:
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    return make_client(base_url=f"{site.rstrip('/')}/api/", headers=headers, timeout=TIMEOUT_SECONDS)


def _ask(client: httpx.Client, method: str, path: str, **given: Any) -> httpx.Response:
    try:
        reply = client.request(method, path, **given)
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        reason = reason_of(error)
        raise SiteAway(
            f"{client.base_url.host or 'The site'} does not answer: {reason.words}.",
            now="Check the address and your line, then try again.",
            reason=reason.code,
        ) from error
    if reply.is_success:
        return reply
    if reply.status_code == 401:
        raise SiteRefused(
            "The site no longer knows this installation.",
            "It was paired again elsewhere, or removed.",
            "Ask for a new pairing command on the installation's page.",
            status=reply.status_code,
        )
    try:
        told = reply.json()
        raise SiteRefused(told["what"], told.get("why", ""), told.get("now", ""), **told.get("data", {}))
    except (ValueError, KeyError, TypeError) as error:
        raise SiteAway(f"The site answered with {reply.status_code}.", now="Try again later.") from error
