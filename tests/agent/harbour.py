"""A site and a source in one small server: the far side of the agent, which tests can make misbehave."""

import hashlib
import io
import json
import socket
import threading
import time
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import uvicorn
from starlette.requests import Request
from starlette.responses import FileResponse, JSONResponse, Response
from starlette.routing import Route

from convoy_core.conflicts.laying import EVERYTHING
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import Lock, LockedBuild, PlacedFile, lay_down
from convoy_core.lock.recipe import Recipe, ReleaseChannel
from convoy_core.lock.terms import Terms
from convoy_core.outside.claims import Claims
from convoy_core.trust.charter import CONTEXT as CHARTER
from convoy_core.trust.charter import Charter, Duty, first_charter, read_charter
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import key_fingerprint, new_key, public_half, sign
from convoy_core.trust.statement import CONTEXT as STATEMENT
from convoy_core.trust.statement import Named, Statement
from convoy_core.trust.word import write_word
from convoy_core.words.codes import PAIRING_LENGTH, make_code
from convoy_core.words.model import Archive, Channel, Kind, Pickup, Reach, Side
from convoy_standins.sources import make_app
from tests.core.making import BASE

CODE = make_code(PAIRING_LENGTH, lambda alphabet: alphabet[7])
PACK = "pack-1"
TERMS = Terms(settings=("config/**",), worlds=("worlds",))
"""The settings that the mods of tests carry are no settings files to these terms, unless a test says so."""


class Press:
    """Publishes releases of one pack: signed documents, and archives that lie at the source. Files lie below `root`."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.key = new_key()
        self.charters: list[Signed] = []
        self.charter(first_charter("crew-1", public_half(self.key), public_half(self.key)), self.key)
        self.pack, self.name = PACK, "Night Freight"
        self.newest = ""
        self.documents: dict[str, bytes] = {}
        self.withdrawn: list[str] = []
        self.stated_at: datetime | None = None
        """When what it says of its newest release is said to be made; None: now."""
        self.holds_for = timedelta(days=20_000)
        """For longer than a real site's, as tests put the clock where they like."""
        self.word: Signed | None = None
        """What it says of its newest release, where a test has it say something else."""
        (root / "harbour" / "files").mkdir(parents=True, exist_ok=True)

    def publish(self, number: str, mods: dict[str, dict[str, str]], **options: Any) -> Lock:
        """A release whose mods each place `mods/MOD/PATH`, or all `mods/PATH` (`shared`), or go into worlds
        (`for_worlds`), or lie in the game's own folder (`at_the_root`), as far as their parts (`laid`) go. The archives
        are real, and lie at the source.
        """
        lock = lay_down(
            [self._layer(mod, number, files, options) for mod, files in mods.items()],
            BASE,
            ["mods"],
            options.get("terms", TERMS),
            options.get("winners"),
            options.get("set_aside", ()),
        )
        told = {"sealed_until": options.get("sealed_until", ""), "suits": options.get("suits")}
        recipe = Recipe(self.pack, self.name, number, "stable", "2026-11-01T20:00:00+00:00", "", lock, **told)
        self.documents[number] = recipe.as_bytes()
        self.newest = number
        return lock

    def charter(self, charter: Charter, *keys: bytes) -> None:
        """One more charter, signed by these keys."""
        signed = Signed(charter.as_bytes())
        for key in keys:
            signed = signed.with_signature(CHARTER, key)
        self.charters.append(signed)

    def pairing(self, charter: Signed, side: str) -> dict[str, Any]:
        """What a pairing code opens."""
        key = read_charter(charter.document).duties[Duty.CHARTER].keys[0]
        told = {"token": "t0ken", "public_key": key.hex(), "key": key_fingerprint(key), "pack_id": PACK, "side": side}
        named = {"pack": "Night Freight", "installation": "i1", "name": "Mine"}
        return {**told, **named, "charter": charter.as_data()}

    def signatures(self, number: str) -> dict[str, str]:
        """The header that goes with a release."""
        signature = sign(self.key, self.documents[number])
        return {"Convoy-Signatures": f"{public_half(self.key).hex()} {signature.hex()}"}

    def statement(self) -> Signed:
        if self.word:
            return self.word
        newest = (
            {ReleaseChannel.STABLE: Named(self.newest, sha256_hex(self.documents[self.newest]))} if self.newest else {}
        )
        withdrawn = frozenset(sha256_hex(self.documents[number]) for number in self.withdrawn)
        version = read_charter(self.charters[-1].document).version
        at = self.stated_at or datetime.now(UTC)
        made = Statement(self.pack, version, at, at + self.holds_for, newest, withdrawn)
        return Signed(made.as_bytes()).with_signature(STATEMENT, self.key)

    def _layer(self, mod: str, number: str, files: dict[str, str], options: dict[str, Any]):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            for path, content in files.items():
                archive.writestr(zipfile.ZipInfo(path), content)
        data = packed.getvalue()
        digest = hashlib.sha256(data).hexdigest()
        name = f"{mod}-{digest[:8]}.zip"
        (self.root / "harbour" / "files" / name).write_bytes(data)
        build = LockedBuild(
            mod,
            mod.title(),
            number,
            Kind.MOD,
            Channel.STABLE,
            True,
            options.get("sides", {}).get(mod, Side.BOTH),
            options.get("reaches", {}).get(mod, Reach.CREW),
            "MIT",
            "harbour",
            options.get("pickups", {}).get(mod, Pickup.DIRECT),
            (f"files/{name}",),
            f"pages/{mod}",
            Archive(name, len(data), digest),
            options.get("needs", {}).get(mod, ()),
            mod in options.get("optional", ()),
            claims=Claims(touches=tuple(options.get("touches", {}).get(mod, ()))),
        )
        laid = options.get("laid", {}).get(mod, EVERYTHING)
        place = "mods" if options.get("shared") else f"mods/{mod}"
        if mod == options.get("at_the_root"):
            place = ""
        if mod in options.get("for_worlds", ()):
            place = "worlds/{world}/trials"
        placed = [
            PlacedFile(
                f"{place}/{path}".lstrip("/"),
                len(content.encode()),
                options.get("hashes", {}).get(path) or hashlib.sha256(content.encode()).hexdigest(),
                mod,
                path,
            )
            for path, content in files.items()
            if laid.keep(path)
        ]
        return replace(build, laid=laid), placed

    def archive(self, mod: str) -> Path:
        return max((self.root / "harbour" / "files").glob(f"{mod}-*.zip"), key=lambda path: path.stat().st_mtime_ns)


class Harbour(Press):
    """A press with a site and a source, which hears what the agent tells. Attributes may be changed to misbehave."""

    def __init__(self, root: Path) -> None:
        super().__init__(root)
        self.shown_key = self.key
        self.side = "player"
        self.reports: list[dict[str, Any]] = []
        self.progress: list[dict[str, Any]] = []
        self.hold: Callable[[], str] = str
        """What the page answers to a telling of progress: nothing, unless a test says otherwise."""
        self.choice: dict[str, Any] = {}
        self.orders: list[dict[str, Any]] = []
        self.done: list[dict[str, Any]] = []
        self.known: dict[str, str] = {}
        self.wanted_readings: list[Any] = []
        self.readings: list[dict[str, Any]] = []
        self.beside: dict[str, Press] = {}
        """Collections that are taken up, by their pack's id; and those that a code opens, by it."""
        self.opens: dict[str, Press] = {}
        self.refused: dict[str, str] = {}
        self.silent = False
        """Says nothing of collections but that they are taken up."""
        self.into_worlds: list[dict[str, Any]] = []
        self.profile = (Path(__file__).parents[2] / "demo/games/tillerway.toml").read_text()
        """Of the pack's game, as the site hands it out."""
        self.departs = False
        self.starts: list[dict[str, Any]] = []
        self.help: list[dict[str, Any]] = []
        self.left = self.asked = self.words = 0
        self.calls: dict[str, int] = {}
        self.codes_used = 0
        self.sent: list[str] = []
        """Numbers of the releases that were asked for."""
        app = make_app(root)
        app.router.routes[:0] = [
            Route("/api/agent/pair", self._pair, methods=["POST"]),
            Route("/api/agent/pair/look", self._pair, methods=["POST"]),
            Route("/api/agent/head", self._head),
            Route("/word", self._word),
            Route("/api/agent/releases/{number}", self._release),
            Route("/api/agent/game", self._game),
            Route("/api/agent/started", self._told, methods=["POST"]),
            Route("/api/agent/help", self._told, methods=["POST"]),
            Route("/api/agent/charters/{after:int}", self._charters),
            Route("/api/agent/beside", self._take, methods=["POST"]),
            Route("/api/agent/beside/look", self._take, methods=["POST"]),
            Route("/api/agent/beside/{pack}", self._drop, methods=["DELETE"]),
            Route("/api/agent/beside/{pack}/releases/{number}", self._release),
            Route("/api/agent/beside/{pack}/charters/{after:int}", self._charters),
            Route("/api/agent/worlds", self._into_world, methods=["POST"]),
            Route("/api/agent/harbour/files/{name}", self._own_file),
            Route("/api/agent/report", self._report, methods=["POST"]),
            Route("/api/agent/progress", self._progress, methods=["POST"]),
            Route("/api/agent/order", self._order, methods=["POST"]),
            Route("/api/agent/known/{sha256}", self._known),
            Route("/api/agent/readings", self._readings, methods=["GET", "POST"]),
            Route("/api/agent/left", self._left, methods=["POST"]),
        ]
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.files_address = self.address
        self._server = uvicorn.Server(uvicorn.Config(app, "127.0.0.1", self.port, log_level="critical"))
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.01)

    def close(self) -> None:
        self._server.should_exit = True
        self._server.force_exit = True
        self._thread.join()

    # --- What the agent asks

    async def _pair(self, request: Request) -> Response:
        if not request.url.path.endswith("look"):
            self.codes_used += 1
        if (await request.json())["code"].replace("-", "") != CODE:
            return JSONResponse({"code": "not-found", "what": "This pairing code opens nothing."}, status_code=404)
        shown = self.charters[-1]
        if self.shown_key != self.key:
            public = public_half(self.shown_key)
            other = first_charter("crew-1", public, public)
            shown = Signed(other.as_bytes()).with_signature(CHARTER, self.shown_key)
        return JSONResponse(self.pairing(shown, self.side))

    async def _head(self, request: Request) -> Response:
        if request.headers.get("authorization") != "Bearer t0ken":
            return JSONResponse({}, status_code=401)
        order = self.orders[0] if self.orders else None
        told = {"number": self.newest, "sources": {"harbour": f"{self.files_address}/harbour"}, "order": order}
        told["statement"] = self.statement().as_data()
        told["word"] = "/word"
        told["beside"] = [self._row(one) for one in self.beside.values()]
        self.asked += 1
        return JSONResponse({**told, **self.choice})

    async def _word(self, request: Request) -> Response:
        """As a server of somebody else's might hand it out: it is shown no token."""
        assert "authorization" not in request.headers
        self.words += 1
        content = write_word(self.statement(), self.calls)
        etag = f'"{hashlib.sha256(content).hexdigest()}"'
        if request.headers.get("if-none-match") == etag:
            return Response(status_code=304)
        return Response(content, headers={"ETag": etag})

    def _row(self, press: Press) -> dict[str, Any]:
        named = {"pack": press.pack, "name": press.name, "number": press.newest, "refused": self.refused}
        mark = read_charter(press.charters[-1].document).mark
        if self.silent:
            return {**named, "number": "", "sha256": "", "mark": mark, "statement": None}
        digest = sha256_hex(press.documents[press.newest])
        return {**named, "sha256": digest, "mark": mark, "statement": press.statement().as_data()}

    async def _take(self, request: Request) -> Response:
        press = self.opens.get((await request.json())["code"])
        if press is None:
            return JSONResponse({"code": "not-found", "what": "Nobody has given out this code."}, status_code=404)
        if not request.url.path.endswith("look"):
            self.beside[press.pack] = press
        return JSONResponse(self._row(press))

    async def _into_world(self, request: Request) -> Response:
        """As the site does: what went into the old world goes into the new one."""
        told = await request.json()
        self.into_worlds.append(told)
        chosen = self.choice.setdefault("worlds", {})
        for mod in told["mods"]:
            ones = [one for one in chosen.get(mod, []) if one != told["instead_of"]]
            chosen[mod] = [*ones, told["world"]]
        return JSONResponse({"done": True})

    async def _drop(self, request: Request) -> Response:
        del self.beside[request.path_params["pack"]]
        return JSONResponse({"done": True})

    async def _game(self, request: Request) -> Response:
        return JSONResponse({"profile": self.profile, "departs": self.departs})

    async def _told(self, request: Request) -> Response:
        """Starts, and calls for help."""
        told = json.loads(await request.body())
        (self.starts if request.url.path.endswith("started") else self.help).append(told)
        return JSONResponse({"done": True, "address": "http://site/calls/1"})

    async def _release(self, request: Request) -> Response:
        number, press = request.path_params["number"], self._meant(request)
        self.sent.append(number)
        return Response(press.documents[number], headers=press.signatures(number))

    def _meant(self, request: Request) -> Press:
        return self.beside[request.path_params["pack"]] if "pack" in request.path_params else self

    async def _charters(self, request: Request) -> Response:
        charters = self._meant(request).charters
        after = [one for one in charters if read_charter(one.document).version > request.path_params["after"]]
        return JSONResponse({"charters": [one.as_data() for one in after[:2]]})

    async def _own_file(self, request: Request) -> Response:
        """A crew's own file, which the site itself hands out, and only to a paired agent."""
        if request.headers.get("authorization") != "Bearer t0ken":
            return Response(status_code=401)
        return FileResponse(self.root / "harbour" / "files" / request.path_params["name"])

    async def _report(self, request: Request) -> Response:
        self.reports.append(json.loads(await request.body()))
        return JSONResponse({"done": True})

    async def _progress(self, request: Request) -> Response:
        self.progress.append(json.loads(await request.body()))
        return JSONResponse({"hold": self.hold()})

    async def _order(self, request: Request) -> Response:
        self.orders.pop(0)
        self.done.append(json.loads(await request.body()))
        return JSONResponse({"done": True})

    async def _left(self, request: Request) -> Response:
        self.left += 1
        return JSONResponse({"done": True})

    async def _readings(self, request: Request) -> Response:
        """Asks for `wanted_readings` again and again, and keeps what it is told."""
        if request.method == "POST":
            self.readings += json.loads(await request.body())["files"]
        return JSONResponse(self.wanted_readings)

    async def _known(self, request: Request) -> Response:
        return JSONResponse({"name": self.known.get(request.path_params["sha256"], "")})
