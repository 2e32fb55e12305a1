"""The site as the agent sees it: five calls, typed errors, nothing kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urljoin

import httpx

from convoy_core.rollcall import Deviation
from convoy_core.signing import key_fingerprint

from .errors import SiteAway, SiteRefused

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
class Head:
    number: str
    sources: Mapping[str, str]


@dataclass(frozen=True)
class SignedRelease:
    document: bytes
    signature: bytes
    key: bytes


def pair(site: str, code: str) -> Pairing:
    """Exchanges a pairing code for a token. Raises SiteAway, or SiteRefused with the site's own words."""
    with _client(site, "") as client:
        reply = _ask(client, "POST", "agent/pair", json={"code": code})
    told = reply.json()
    try:
        return Pairing(
            site,
            told["token"],
            told["public_key"],
            told["pack_id"],
            told["pack"],
            told["installation"],
            told["name"],
            told["side"],
        )
    except (KeyError, TypeError) as error:
        raise SiteAway(f"{site} does not answer as a True Convoy site.", str(error)) from error


class Site:
    """The paired site. Use as a context."""

    def __init__(self, pairing: Pairing) -> None:
        self._site, self._token = f"{pairing.site.rstrip('/')}/", pairing.token
        self._client = _client(pairing.site, pairing.token)

    def __enter__(self) -> Site:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def head(self) -> Head:
        told = _ask(self._client, "GET", "agent/head").json()
        sources = {str(name): urljoin(self._site, str(address)) for name, address in told["sources"].items()}
        return Head(str(told["number"]), sources)

    def credentials(self, address: str) -> dict[str, str]:
        """Headers for fetching from an address: the token for this very site, and nothing for anybody else."""
        return {"Authorization": f"Bearer {self._token}"} if address.startswith(f"{self._site}api/") else {}

    def release(self, number: str) -> SignedRelease:
        """The signed bytes, unverified: the caller checks them against the pinned key."""
        reply = _ask(self._client, "GET", f"agent/releases/{number}")
        try:
            signature = bytes.fromhex(reply.headers["Convoy-Signature"])
            return SignedRelease(reply.content, signature, bytes.fromhex(reply.headers["Convoy-Key"]))
        except (KeyError, ValueError) as error:
            raise SiteAway("The site sent a release without a signature.") from error

    def report(self, release: str, deviations: Mapping[str, Deviation], fingerprint: str) -> None:
        # Names that are no text on this system (their bytes are not UTF-8) are told as well as they can be.
        told = {path.encode("utf-8", "replace").decode()[:300]: what for path, what in deviations.items()}
        first = dict(sorted(told.items())[:MAX_DEVIATIONS])
        body = {"release": release, "deviations": first, "fingerprint": fingerprint}
        _ask(self._client, "POST", "agent/report", json=body)

    def progress(self, **told: Any) -> None:
        """Tells what is being done. Fails silently: nobody's sync stops because a page could not be told."""
        try:
            self._client.post("agent/progress", json=told, timeout=5)
        except httpx.HTTPError:
            return


def _client(site: str, token: str) -> httpx.Client:
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    return httpx.Client(base_url=f"{site.rstrip('/')}/api/", headers=headers, timeout=TIMEOUT_SECONDS)


def _ask(client: httpx.Client, method: str, path: str, **given: Any) -> httpx.Response:
    try:
        reply = client.request(method, path, **given)
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise SiteAway(
            f"{client.base_url.host or 'The site'} does not answer.",
            "It is away, or the address is wrong.",
            "Check the address and your line, then try again.",
        ) from error
    if reply.is_success:
        return reply
    if reply.status_code == 401:
        raise SiteRefused(
            "The site no longer knows this installation.",
            "It was paired again elsewhere, or removed.",
            "Ask for a new pairing command on the installation's page.",
        )
    try:
        told = reply.json()
        raise SiteRefused(told["what"], told.get("why", ""), told.get("now", ""), **told.get("data", {}))
    except (ValueError, KeyError, TypeError) as error:
        raise SiteAway(f"The site answered with {reply.status_code}.", now="Try again later.") from error
