"""Hands out each pack's word: the small file that every watching agent asks for every few seconds.

It comes before everything else that a request goes through, from memory, and is read anew after two seconds. A cache or
CDN may stand before it: the answer says for how long.
"""

import hashlib
import time
from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from uuid import UUID

from django.http import HttpRequest, HttpResponse

from .installations.orders import calls_of
from .releases.statements import word_of

PREFIX = "/statements/"
FRESH_FOR = 2.0
"""Seconds. A page's button reaches its agent that much later."""

MOST_KEPT = 2_000
"""Packs whose word is kept in memory: a few KB each. What was asked for longest ago goes."""

Kept = tuple[float, bytes, str]
"""Until when (monotonic), the content, and its ETag."""


class Word:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response
        self._kept: OrderedDict[str, Kept] = OrderedDict()
        self._guard = Lock()

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.path_info.startswith(PREFIX):
            return self._get_response(request)
        found = self._found(request.path_info[len(PREFIX) :])
        if found is None or request.method not in ("GET", "HEAD"):
            return HttpResponse(status=404 if found is None else 405)
        _, content, etag = found
        headers = {"ETag": etag, "Cache-Control": "public, max-age=2", "Access-Control-Allow-Origin": "*"}
        if request.headers.get("If-None-Match") == etag:
            return HttpResponse(status=304, headers=headers)
        return HttpResponse(content, content_type="application/json", headers=headers)

    def _found(self, name: str) -> Kept | None:
        with self._guard:
            kept = self._kept.get(name)
            if kept and kept[0] > time.monotonic():
                return kept
        made = _made(name)
        if made is None:
            return None
        kept = (time.monotonic() + FRESH_FOR, made, f'"{hashlib.sha256(made).hexdigest()[:32]}"')
        with self._guard:
            self._kept[name] = kept
            self._kept.move_to_end(name)
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        return kept


def _made(name: str) -> bytes | None:
    try:
        pack_id = UUID(name.removesuffix(".json"))
    except ValueError:
        return None
    return word_of(pack_id, calls_of(pack_id))
