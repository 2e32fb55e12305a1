"""The site as the agent sees it: a handful of calls, typed errors, nothing kept."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote, urljoin

import httpx

from convoy_core.lock.lock import LockedBuild
from convoy_core.settings.readings import LARGEST
from convoy_core.sync.deviations import Deviation
from convoy_core.trust.signed import MOST_SIGNATURES, Signed, read_signed_data
from convoy_core.trust.statement import Named
from convoy_core.words.errors import MalformedInput

from ..errors import SiteAway, SiteRefused
from .connection import TooMuch, body_of, reason_of, within
from .connection import client as make_client
from .head import BesideHead, Head, Order, Pairing, beside_of, milestones_of, pinned_of

TIMEOUT_SECONDS = 30
ANSWER_SECONDS = 60
ANSWER_BYTES = 2 * 2**20
"""Of any answer but a release: a head with four hundred sources takes a tenth."""

RELEASE_SECONDS = 600
RELEASE_BYTES = 128 * 2**20
"""A release of 10,000 files takes 3 MB."""

MAX_DEVIATIONS = 10_000
"""The site takes no longer reports; nobody reads further."""


@dataclass(frozen=True)
class Answer:
    """What the site answered, read within its limits."""

    headers: httpx.Headers
    content: bytes

    def json(self) -> Any:
        """Raises SiteAway for what is none: a page of the line's owner, say, who wants one to sign in first."""
        try:
            return json.loads(self.content)
        except (ValueError, RecursionError) as error:
            raise SiteAway(
                "What answers is no True Convoy site.",
                "It sent a page where data was asked for: perhaps this line wants you to sign in first.",
                "Open a page in your browser, then try again.",
            ) from error


def look(site: str, code: str) -> Pairing:
    """What a pairing code opens, without using it up: a pairing without a token. Raises as `pair` does."""
    return _pairing(site, code, "agent/pair/look")


def pair(site: str, code: str) -> Pairing:
    """Exchanges a pairing code for a token. Raises SiteAway, or SiteRefused with the site's own words."""
    return _pairing(site, code, "agent/pair")


def _pairing(site: str, code: str, door: str) -> Pairing:
    with _client(site, "") as client:
        reply = _ask(client, "POST", door, json={"code": code})
    told = reply.json()
    try:
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
            charter=read_signed_data(told["charter"]),
        )
    except (KeyError, TypeError, ValueError, AttributeError, MalformedInput) as error:
        raise SiteAway(f"{site} does not answer as a True Convoy site.", str(error)) from error


class Site:
    """The paired site. Use as a context. `away`: it did not answer in this run, and is asked nothing more."""

    away = False

    def __init__(self, pairing: Pairing) -> None:
        self._site, self._token = f"{pairing.site.rstrip('/')}/", pairing.token
        self._client = _client(pairing.site, pairing.token)
        self._public = _client(pairing.site, "")
        """Shows no token: for what a server of somebody else's may hand out."""

    def __enter__(self) -> Site:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()
        self._public.close()

    def head(self) -> Head:
        told = _ask(self._client, "GET", "agent/head").json()
        try:
            sources = {str(name): urljoin(self._site, str(address)) for name, address in told["sources"].items()}
            order = told.get("order")
            return Head(
                str(told["number"])[:40],
                str(told.get("newest", told["number"]))[:40],
                sources,
                frozenset(map(str, told.get("left_out", ()))),
                max(0, int(told.get("line", 0))),
                max(0, int(told.get("most", 0))),
                Order(int(order["id"]), str(order["what"]), dict(order["given"])) if order else None,
                str(told.get("sha256", "")),
                {str(mod): tuple(map(str, worlds)) for mod, worlds in dict(told.get("worlds", {})).items()},
                urljoin(self._site, str(told["word"])) if told.get("word") else "",
                read_signed_data(told["statement"]),
                max(0, int(told.get("keep", 0))),
                told.get("tells_settings") is True,
                frozenset(map(str, told.get("sets", ()))),
                pinned_of(told.get("pinned", ())),
                milestones_of(told.get("milestones", ())),
                beside_of(told.get("beside", ())),
            )
        except (KeyError, TypeError, ValueError, AttributeError, OverflowError, MalformedInput) as error:
            raise SiteAway("The site does not answer as a True Convoy site.", str(error)) from error

    def game(self) -> tuple[str, bool]:
        """The profile of the pack's game, as TOML: how it is started, and what its log says (not signed: it names
        nothing that is run); and whether a departure is near, so that its crew wants to know of a start.
        """
        told = _ask(self._client, "GET", "agent/game").json()
        try:
            return str(told["profile"]), told["departs"] is True
        except (KeyError, TypeError) as error:
            raise SiteAway("The site does not answer as a True Convoy site.", str(error)) from error

    def credentials(self, address: str) -> dict[str, str]:
        """Headers for fetching from an address: the token for this very site, and nothing for anybody else."""
        return {"Authorization": f"Bearer {self._token}"} if address.startswith(f"{self._site}api/") else {}

    def charters(self, after: int, collection: str = "") -> list[Signed]:
        """Charters that follow one, unverified, a few at a time: the pack's crew's, or that of a collection beside."""
        told = _ask(self._client, "GET", f"{_door(collection)}charters/{after}").json()
        try:
            return [read_signed_data(one) for one in told["charters"]]
        except (KeyError, TypeError, MalformedInput) as error:
            raise SiteAway("The site does not answer as a True Convoy site.", str(error)) from error

    def word(self, address: str, seen: str) -> tuple[bytes, str] | None:
        """What lies at the address of the pack's statement, with its ETag; None while it is what was seen last."""
        headers = {"If-None-Match": seen} if seen else {}
        reply = _unless_unchanged(self._public, "GET", address, ANSWER_BYTES, ANSWER_SECONDS, headers=headers)
        return None if reply is None else (reply.content, reply.headers.get("ETag", ""))

    def release(self, number: str, collection: str = "") -> Signed:
        """The signed bytes, unverified: the caller checks them against the charter."""
        self._refuse_away()
        reply = _ask(
            self._client, "GET", f"{_door(collection)}releases/{quote(number, safe='')}",
            most=RELEASE_BYTES, seconds=RELEASE_SECONDS,
        )  # fmt: skip
        try:
            pairs = [one.strip().partition(" ") for one in reply.headers["Convoy-Signatures"].split(",")]
            signatures = tuple((bytes.fromhex(key), bytes.fromhex(signature)) for key, _, signature in pairs)
        except (KeyError, ValueError) as error:
            raise SiteAway("The site sent a release without a signature.") from error
        return Signed(reply.content, signatures[:MOST_SIGNATURES])

    def look_beside(self, code: str) -> BesideHead:
        """What a collection's join code opens; the code is not used up."""
        return self._beside("POST", "agent/beside/look", code)

    def take_beside(self, code: str) -> BesideHead:
        """Takes a collection up beside the pack."""
        return self._beside("POST", "agent/beside", code)

    def _beside(self, method: str, door: str, code: str) -> BesideHead:
        told = _ask(self._client, method, door, **_as_json({"code": code})).json()
        try:
            return beside_of([told])[0]
        except (KeyError, TypeError, ValueError, AttributeError, MalformedInput) as error:
            raise SiteAway("The site does not answer as a True Convoy site.", str(error)) from error

    def drop_beside(self, collection: str) -> None:
        _ask(self._client, "DELETE", f"agent/beside/{collection}")

    def into_world(self, world: str, mods: Sequence[str], instead_of: str) -> None:
        """Content of these mods goes into this world, too; or instead of into another, which is called so now."""
        told = {"world": as_told(world), "mods": list(mods), "instead_of": as_told(instead_of)}
        _ask(self._client, "POST", "agent/worlds", **_as_json(told))

    def agent_offer(self) -> Signed:
        """Which agents the site has, as signed bytes, unverified."""
        try:
            return read_signed_data(_ask(self._client, "GET", "agent/offer").json())
        except MalformedInput as error:
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
        self,
        release: Named,
        deviations: Mapping[str, Deviation],
        fingerprint: str,
        about: Mapping[str, Any],
        serial: int,
    ) -> None:
        """Tells where the folder stands; `about` is what `report` gathers. `serial` grows with each telling, so that
        one that comes late overwrites none.
        """
        first = dict(sorted((as_told(path), what) for path, what in deviations.items())[:MAX_DEVIATIONS])
        self._refuse_away()
        body = {
            "release": release.number, "release_sha256": release.sha256, "serial": serial,
            "deviations": first, "fingerprint": fingerprint, "about": about,
        }  # fmt: skip
        _ask(self._client, "POST", "agent/report", **_as_json(body))

    def progress(self, **told: Any) -> str | None:
        """Tells what is being done; gives what the member asks meanwhile: `pause`, `stop` or nothing.

        None when nobody answered: no sync stops because a page could not be told.
        """
        if self.away:
            return None
        try:
            reply = _ask(self._client, "POST", "agent/progress", **_as_json(told), timeout=5, seconds=10)
            return str(reply.json().get("hold", ""))
        except (SiteAway, SiteRefused, AttributeError):
            return None

    def started(self, **told: Any) -> None:
        """How a start stands. Raises SiteAway, SiteRefused."""
        _ask(self._client, "POST", "agent/started", **_as_json(told), timeout=5, seconds=10)

    def call_for_help(self, told: Mapping[str, Any]) -> str:
        """Sends what was gathered; gives the page at which its member finds it. Raises SiteAway, SiteRefused."""
        answer = _ask(self._client, "POST", "agent/help", **_as_json(told)).json()
        return str(answer.get("address", "")) if isinstance(answer, dict) else ""

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

    def wanted_readings(self) -> list[dict[str, Any]]:
        """Archives that only a person may fetch, with the files in them that nobody has read."""
        found = _ask(self._client, "GET", "agent/readings").json()
        return [one for one in found if isinstance(one, dict)] if isinstance(found, list) else []

    def tell_readings(self, files: list[dict[str, Any]]) -> None:
        _ask(self._client, "POST", "agent/readings", **_as_json({"files": files}))

    def known(self, sha256: str) -> str:
        """Which build an archive is, in words; empty when the site does not know it."""
        told = _ask(self._client, "GET", f"agent/known/{sha256}").json()
        return str(told.get("name", "")) if isinstance(told, dict) else ""


class BenchLine:
    """What a keeper's bench asks of a site, and tells it."""

    def __init__(self, site: str, token: str) -> None:
        self._client = _client(site, token)

    def __enter__(self) -> BenchLine:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def next_trial(self, games: Sequence[str]) -> dict[str, Any] | None:
        """What is to be tried; nothing where nothing waits."""
        told = _ask(self._client, "POST", "bench/next", most=RELEASE_BYTES, seconds=RELEASE_SECONDS,
                    **_as_json({"games": list(games)})).json()  # fmt: skip
        return told if isinstance(told, dict) else None

    def progress(self, trial: str, done: int) -> bool:
        """Says whether it is to be stopped: somebody wants that, or it is not this bench's any more."""
        try:
            told = _ask(self._client, "POST", f"bench/trials/{trial}/progress", **_as_json({"done": done})).json()
        except SiteAway:
            return False
        except SiteRefused:
            return True
        return isinstance(told, dict) and told.get("stop") is True

    def own_archive(self, trial: str, sha256: str, size: int, into: Path) -> bool:
        """Writes an archive that only the site has, as it comes; says whether all of it did. Whoever calls looks
        whether it is the right one.
        """
        try:
            with (
                within(RELEASE_SECONDS),
                self._client.stream("GET", f"bench/trials/{trial}/own/{sha256}", follow_redirects=True) as reply,
                into.open("wb") as out,
            ):
                for block in reply.iter_bytes(256 * 1024):
                    size -= len(block)
                    if size < 0 or not reply.is_success:
                        return False
                    out.write(block)
        except httpx.HTTPError:
            return False
        return size == 0

    def result(self, trial: str, told: Mapping[str, Any]) -> None:
        _ask(self._client, "POST", f"bench/trials/{trial}/result", **_as_json(told))


def _door(collection: str) -> str:
    return f"agent/beside/{collection}/" if collection else "agent/"


def page_of(build: LockedBuild, sources: Mapping[str, str]) -> str:
    """Where a person gets a build: its page, at its source."""
    return urljoin(sources.get(build.source, "").rstrip("/") + "/", build.page)


def _as_json(body: Any) -> dict[str, Any]:
    """A request's body. Names on a disk may hold bytes that are no letters, and turn up in any sentence; settings files
    may hold anything. A site that refuses one of them would hear nothing of the rest.
    """
    data = json.dumps(_as_taken(body), ensure_ascii=False, separators=(",", ":")).encode("utf-8", "replace")
    return {"content": data, "headers": {"Content-Type": "application/json"}}


def _as_taken(value: Any) -> Any:
    """What no database keeps, said otherwise: null characters as what stands for what cannot be shown, numbers that are
    none or that no column holds in words.
    """
    if isinstance(value, str):
        return value.replace("\0", "\ufffd")
    if isinstance(value, int | float):
        return value if -LARGEST - 1 <= value <= LARGEST else str(value)
    if isinstance(value, Mapping):
        return {_as_taken(name): _as_taken(one) for name, one in value.items()}
    return value if value is None else [_as_taken(one) for one in value]


def as_told(path: str) -> str:
    """A path as text that any database keeps: names whose bytes are no UTF-8 are told as well as they can be."""
    return path.encode("utf-8", "replace").decode()[:300]


def _client(site: str, token: str) -> httpx.Client:
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    return make_client(base_url=f"{site.rstrip('/')}/api/", headers=headers, timeout=TIMEOUT_SECONDS)


def _ask(
    client: httpx.Client,
    method: str,
    path: str,
    most: int = ANSWER_BYTES,
    seconds: float = 0,
    **given: Any,
) -> Answer:
    """Raises SiteAway, also for an answer that does not end or takes too long (`seconds`; 0: as all), and
    SiteRefused.
    """
    answer = _unless_unchanged(client, method, path, most, seconds or ANSWER_SECONDS, **given)
    if answer is None:
        raise SiteAway("The site answered that nothing has changed, and was not asked so.", now="Try again later.")
    return answer


def _unless_unchanged(
    client: httpx.Client, method: str, path: str, most: int, seconds: float, **given: Any
) -> Answer | None:
    asked = client.base_url.host or "The site"
    try:
        with within(seconds), client.stream(method, path, **given) as reply:
            content = body_of(reply, most)
    except TooMuch as error:
        raise SiteAway(
            f"{asked} sends {error}, and goes on.",
            "No site has that much to say.",
            "Try again later.",
            reason="endless",
        ) from error
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        reason = reason_of(error)
        raise SiteAway(
            f"{asked} does not answer: {reason.words}.",
            now="Check the address and your line, then try again.",
            reason=reason.code,
        ) from error
    if reply.status_code == UNCHANGED:
        return None
    answer = Answer(reply.headers, content)
    if reply.is_success:
        return answer
    if reply.status_code == 401:
        raise SiteRefused(
            "The site no longer knows this installation.",
            "It was paired again elsewhere, or removed.",
            "Ask for a new pairing command on the installation's page.",
            status=reply.status_code,
        )
    try:
        told = json.loads(content)
        words = [str(told.get(name, ""))[:2000] for name in ("what", "why", "now")]
        if not words[0]:
            raise KeyError("what")
        raise SiteRefused(*words, **_plain_data(told.get("data", {})))
    except (ValueError, RecursionError, KeyError, TypeError, AttributeError) as error:
        raise SiteAway(f"The site answered with {reply.status_code}.", now="Try again later.") from error


UNCHANGED = 304


def _plain_data(data: Any) -> dict[str, Any]:
    """What a refusal carries beside its words; names that would be taken for those are left out."""
    return {str(name): value for name, value in data.items() if name not in ("what", "why", "now")}
