"""Serves the stand-in sources over HTTP: catalogues with ETag, archives with Range, pages for people.

Faults come on request, so that tests meet them: `POST /faults` with {"path": "...", "fault": "...", "times": n} makes
the next n requests for paths that end so misbehave. Only for loopback: anybody may ask for faults.
"""

import asyncio
import html
import sys
import time
from collections.abc import AsyncIterator
from email.utils import formatdate
from pathlib import Path

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import (
    FileResponse,
    HTMLResponse,
    JSONResponse,
    PlainTextResponse,
    RedirectResponse,
    Response,
    StreamingResponse,
)
from starlette.routing import Route

from .generate import read_listed

SLOW_BYTES, SLOW_SECONDS = 512, 0.5
"""A slow source sends this much, then waits: no reader waits that long for a whole file."""

STATUS_FAULTS = {"404": 404, "429": 429, "500": 500, "503 until": 503}

A_SECOND = 2
"""Requests that a polite source answers a second; who asks more often is asked to wait, in no words at all."""


class Faults:
    """What is to go wrong: path ending to (fault, how often still)."""

    def __init__(self) -> None:
        self._wanted: dict[str, tuple[str, int]] = {}
        self._answered: dict[str, list[float]] = {}

    def set(self, path: str, fault: str, times: int) -> None:
        self._wanted[path] = (fault, times)

    def clear(self) -> None:
        self._wanted.clear()

    def next_for(self, path: str) -> str:
        for ending, (fault, times) in self._wanted.items():
            if fault == "two a second" and ending in path:
                return "429" if self._too_often(ending) else ""
            if path.endswith(ending) and times > 0:
                self._wanted[ending] = (fault, times - 1)
                return fault
        return ""

    def _too_often(self, what: str) -> bool:
        now = time.monotonic()
        lately = [at for at in self._answered.get(what, []) if now - at < 1]
        self._answered[what] = lately if len(lately) >= A_SECOND else [*lately, now]
        return len(lately) >= A_SECOND


def make_app(root: Path) -> Starlette:
    faults = Faults()

    async def health(request: Request) -> Response:
        return PlainTextResponse("ok")

    async def set_fault(request: Request) -> Response:
        wanted = await request.json()
        if wanted.get("fault") == "none":
            faults.clear()
        else:
            faults.set(wanted["path"], wanted["fault"], int(wanted.get("times", 1)))
        return JSONResponse({"done": True})

    async def file(request: Request) -> Response:
        path = (root / request.path_params["path"]).resolve()
        if not path.is_relative_to(root.resolve()) or not path.is_file():
            return PlainTextResponse("There is nothing here.", status_code=404)
        fault = faults.next_for(request.url.path)
        if fault in STATUS_FAULTS:
            headers = {"Retry-After": "1"} if fault == "429" else {}
            if fault == "503 until":
                headers = {"Retry-After": formatdate(time.time() + 2, usegmt=True)}
            return PlainTextResponse(f"Asked for: {fault}", status_code=STATUS_FAULTS[fault], headers=headers)
        if fault == "in circles":
            return RedirectResponse(str(request.url))
        if fault == "wrong bytes":
            return Response(bytes(path.stat().st_size), media_type="application/zip")
        if fault == "nonsense":
            return Response(b'{"mods": [{"id": 7}, "what', media_type="application/json")
        if fault in ("cut short", "slow"):
            headers = {"Content-Length": str(path.stat().st_size), "ETag": '"faulty"'}
            return StreamingResponse(_drip(path, slow=fault == "slow"), headers=headers)
        # Without compression and with the file's own ETag, so that a fetch that broke off can be taken up again.
        return (
            FileResponse(path, headers={"Cache-Control": "no-cache"})
            if not _unchanged(request, path)
            else Response(status_code=304)
        )

    async def page(request: Request) -> Response:
        source, mod = request.path_params["source"], request.path_params["mod"]
        folder = (root / source).resolve()
        known = folder.parent == root.resolve() and (folder / "catalogue.json").is_file()
        listed = read_listed(folder) if known else []
        found = next((one for one in listed if one["id"] == mod), None)
        if found is None:
            return PlainTextResponse("There is nothing here.", status_code=404)
        names = [html.escape(one["archive"]["name"]) for one in found["builds"]]
        links = "".join(f'<li><a href="../files/{name}">{name}</a></li>' for name in names)
        return HTMLResponse(
            f"<!doctype html><html lang=en><title>{html.escape(found['name'])}</title><main>"
            f"<h1>{html.escape(found['name'])}</h1><p>{html.escape(found['summary'])}</p><ul>{links}</ul></main></html>"
        )

    return Starlette(
        routes=[
            Route("/health", health),
            Route("/faults", set_fault, methods=["POST"]),
            Route("/{source}/pages/{mod}", page),
            Route("/{path:path}", file),
        ]
    )


def _unchanged(request: Request, path: Path) -> bool:
    etag = FileResponse(path, stat_result=path.stat()).headers["etag"]
    return request.headers.get("if-none-match") == etag


async def _drip(path: Path, slow: bool) -> AsyncIterator[bytes]:
    """Slowly for ever; or half of the file, and then the line drops."""
    content = path.read_bytes()
    if not slow:
        yield content[: len(content) // 2]
        raise ConnectionAbortedError("asked for: cut short")
    for start in range(0, len(content), SLOW_BYTES):
        yield content[start : start + SLOW_BYTES]
        await asyncio.sleep(SLOW_SECONDS)


if __name__ == "__main__":
    uvicorn.run(make_app(Path(sys.argv[1])), host="127.0.0.1", port=int(sys.argv[2]), log_level="warning")
